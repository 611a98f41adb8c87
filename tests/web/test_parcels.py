"""A docket sent from one house to another: bit for bit, its history too; what clashes or is not whole is said."""

from __future__ import annotations

import io
import json
import zipfile
from collections.abc import Iterator
from typing import Any

import pytest

from inkwell_groove.demo.sleeve import lanterns_cover
from launcher.database import Database as MariaDb
from tests.live import Server, new_schema
from tests.sounds import record_side


@pytest.fixture(scope="module")
def other(mariadb: MariaDb, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    """Another house: rows and store of its own."""
    with Server(new_schema(mariadb), tmp_path_factory.mktemp("elsewhere") / "media") as running:
        yield running


@pytest.fixture(scope="module")
def sent(server: Server, tmp_path_factory: pytest.TempPathFactory) -> tuple[int, bytes]:
    """A docket with a take, an edited plan, a description and a cover; and its parcel."""
    side = tmp_path_factory.mktemp("side") / "side.wav"
    record_side(side)
    docket_id = int(server.open_docket("S-1")["id"])
    server.upload(docket_id, side)
    server.wait_for_jobs()
    plan = server.get(f"/dockets/{docket_id}")["carriers"][0]["sides"][0]["plan"]
    server.describe(docket_id, ["One", "Two", "Three"], title="A Record Sent", album_artist="The Test Band")
    server.api.post(
        f"/dockets/{docket_id}/artwork", params={"name": "front.jpg"}, content=lanterns_cover()
    ).raise_for_status()
    side_id = server.get(f"/dockets/{docket_id}")["carriers"][0]["sides"][0]["id"]
    edit = {"op": "set gaps", "gaps": "left out"}
    server.edit_plan(side_id, plan["version"], edit)
    return docket_id, server.api.get(f"/dockets/{docket_id}/parcel.zip").content


def take_in(house: Server, content: bytes, shelfmark: str = "") -> Any:
    return house.api.post("/parcels", content=content, params={"shelfmark": shelfmark})


def by_mark(house: Server, shelfmark: str) -> Any:
    found = [one for one in house.get("/dockets", search=shelfmark) if one["shelfmark"] == shelfmark]
    return house.get(f"/dockets/{found[0]['id']}")


def repacked(content: bytes, change: Any) -> bytes:
    """The same ZIP with its files as `change` has them: a function of a dictionary of names."""
    with zipfile.ZipFile(io.BytesIO(content)) as archive:
        files = {name: archive.read(name) for name in archive.namelist()}
    change(files)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for name, data in files.items():
            archive.writestr(name, data)
    return out.getvalue()


def test_a_docket_is_the_same_in_another_house(server: Server, other: Server, sent: tuple[int, bytes]) -> None:
    docket_id, content = sent
    here = server.get(f"/dockets/{docket_id}")
    assert take_in(other, content).status_code == 202
    other.wait_for_jobs()
    there = by_mark(other, "S-1")
    assert there["release"] == here["release"] and there["origins"] == here["origins"]
    mine, yours = here["carriers"][0]["sides"][0], there["carriers"][0]["sides"][0]
    same = ("key", "number", "title", "artist", "start_sample", "end_sample", "confidence")
    assert [[one[k] for k in same] for one in yours["tracks"]] == [[one[k] for k in same] for one in mine["tracks"]]
    assert yours["plan"]["plan"] == mine["plan"]["plan"] and yours["plan"]["undo"] == mine["plan"]["undo"]
    sha256 = mine["takes"][0]["sha256"]
    assert yours["takes"][0]["sha256"] == sha256
    kept = [house.media_root / "takes" / sha256[:2] / sha256 for house in (server, other)]
    assert kept[0].read_bytes() == kept[1].read_bytes()
    assert other.api.get(f"/artwork/{there['artwork'][0]['id']}/image").content == lanterns_cover()
    said = [(line["action"], line["who"], line["at"]) for line in server.get("/ledger", docket_id=docket_id)]
    heard = [(line["action"], line["who"], line["at"]) for line in other.get("/ledger", docket_id=there["id"])]
    assert heard[1:] == said and heard[0][0] == "taken in from another house, where it was S-1"

    # It goes on from there: undone, and sealed to the very same samples.
    undone = other.undo(yours["id"])
    assert undone["plan"]["gaps"] == "kept"
    other.redo(yours["id"])
    md5s = []
    for house, number in ((server, docket_id), (other, there["id"])):
        house.post(f"/dockets/{number}/seal")
        house.wait_for_jobs()
        md5s.append([one["md5"] for one in house.get(f"/dockets/{number}")["packages"][-1]["album"]["tracks"]])
    assert md5s[0] == md5s[1]


def test_a_clash_is_said_and_another_shelfmark_helps(server: Server, sent: tuple[int, bytes]) -> None:
    clash = take_in(server, sent[1])
    assert clash.status_code == 409 and "S-1 is on the shelf already" in clash.json()["detail"]
    assert "another shelfmark" in clash.json()["remedy"]
    assert take_in(server, sent[1], "S-1 copy").status_code == 202
    server.wait_for_jobs()
    assert by_mark(server, "S-1 copy")["release"]["title"] == "A Record Sent"
    assert not list((server.media_root / "bundles").glob("incoming*")), "what was received is not left lying"


def _flip(files: dict[str, bytes]) -> None:
    name = next(name for name in files if name.startswith("takes/"))
    data = bytearray(files[name])
    data[len(data) // 2] ^= 1
    files[name] = bytes(data)


def _without_take(files: dict[str, bytes]) -> None:
    del files[next(name for name in files if name.startswith("takes/"))]


def _escaping(files: dict[str, bytes]) -> None:
    files["../outside"] = b"x"


def _newer(files: dict[str, bytes]) -> None:
    files["docket.json"] = json.dumps({**json.loads(files["docket.json"]), "version": 2}).encode()


def _broken_plan(files: dict[str, bytes]) -> None:
    told = json.loads(files["docket.json"])
    told["carriers"][0]["sides"][0]["plan_version_id"] = 999_999
    files["docket.json"] = json.dumps(told).encode()


def _said(files: dict[str, bytes], change: Any) -> None:
    told = json.loads(files["docket.json"])
    change(told)
    files["docket.json"] = json.dumps(told).encode()


def _carrier_twice(files: dict[str, bytes]) -> None:
    _said(files, lambda told: told["carriers"].append(told["carriers"][0]))


def _field_twice(files: dict[str, bytes]) -> None:
    _said(files, lambda told: told["fields"].append(told["fields"][0]))


def _name_too_long(files: dict[str, bytes]) -> None:
    _said(files, lambda told: told["carriers"][0]["sides"][0]["takes"][0].update(name="x" * 256))


def _word_of_no_kind(files: dict[str, bytes]) -> None:
    _said(files, lambda told: told["carriers"][0]["sides"][0]["takes"][0].update(word="s99"))


def _up_and_away(files: dict[str, bytes]) -> None:
    files["discs/1/.."] = b"x"


def _without_document(files: dict[str, bytes]) -> None:
    del files["docket.json"]


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (_without_take, "is not whole in it"),
        (_escaping, "does not belong into a docket"),
        (_up_and_away, "does not belong into a docket"),
        (_carrier_twice, "the carrier 1 is in it twice"),
        (_field_twice, "is in it twice"),
        (_name_too_long, "at most 255"),
        (_word_of_no_kind, "word"),
        (_newer, "version"),
        (_broken_plan, "the plan of side A is not in it"),
        (_without_document, "no docket.json"),
    ],
)
def test_what_is_not_whole_is_refused_at_once(other: Server, sent: tuple[int, bytes], change: Any, words: str) -> None:
    refused = take_in(other, repacked(sent[1], change), "S-bad")
    assert refused.status_code == 422 and words in refused.json()["detail"], refused.text
    assert not [one for one in other.get("/dockets") if one["shelfmark"] == "S-bad"]


def test_a_take_that_was_altered_on_its_way_is_found_out(other: Server, sent: tuple[int, bytes]) -> None:
    assert take_in(other, repacked(sent[1], _flip), "S-flip").status_code == 202
    failed = next(job for job in other.wait_for_jobs() if job["subject"] == "S-flip")
    assert failed["state"] == "failed" and "altered on its way" in failed["failure"]["what"]
    assert not [one for one in other.get("/dockets") if one["shelfmark"] == "S-flip"]


@pytest.mark.parametrize("content", [b"", b"PK", b"hello" * 100])
def test_what_is_no_zip_is_refused(other: Server, content: bytes) -> None:
    refused = take_in(other, content)
    assert refused.status_code == 422 and "no ZIP" in refused.json()["detail"]
