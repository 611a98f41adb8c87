"""House rules and reports over HTTP: declared, followed by how much, carried out for all, taken back; and figures."""

from __future__ import annotations

import csv
import io
import shutil
import subprocess
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import mutagen.flac
import pytest

from inkwell_groove.core.files.reading import read_file
from tests.live import Server
from tests.sounds import record_side
from tests.web.test_files import digests_below
from tests.web.test_survey import findings, surveyed

DISC = "Harbour Lights CD1"


@pytest.fixture(scope="module")
def root(messy_originals: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    root = tmp_path_factory.mktemp("files")
    for name in (DISC, "unsorted"):
        shutil.copytree(messy_originals / name, root / "messy" / name)
    return root


@pytest.fixture(scope="module")
def house(database_url: str, root: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    with Server(database_url, tmp_path_factory.mktemp("media"), INKWELL_FILES_ROOT=str(root)) as running:
        running.post("/bundles", {"folder": "messy", "in_place": True})
        running.wait_for_jobs()
        surveyed(running)
        yield running


def share(house: Server, rule: str) -> Any:
    return house.get("/house-rules")["follows"][rule]


def declared(house: Server, path: str, body: Any) -> None:
    house.api.put(path, json=body).raise_for_status()
    house.wait_for_jobs()


def test_a_wording_rule_of_the_house_is_held_against_every_file_and_carried_out(house: Server, root: Path) -> None:
    before = digests_below(root)
    declared(house, "/house-rules/tags", {"rule": {"wanted": ["title"], "wording": [], "silence_s": 10}})
    files = share(house, "tags")["files"]
    wordless = share(house, "tags")["following"]
    rule = {"name": "No number in front", "fields": ["title"], "steps": [{"do": "leading number"}]}
    house.api.put("/wording-rules", json=rule).raise_for_status()
    assert share(house, "tags")["following"] == wordless, "saved is not declared"
    rule = {"wanted": ["title"], "wording": ["No number in front"], "silence_s": 10}
    declared(house, "/house-rules/tags", {"rule": rule})
    assert share(house, "tags") == {
        "files": files,
        "following": wordless - 8,
        "can_be_put_right": share(house, "tags")["can_be_put_right"],
    }
    shown = house.post("/survey/preview", {"rule": "tags"})["changes"]
    assert ("01. First Boat Over", "First Boat Over") in {(one["before"], one["after"]) for one in shown}
    step = house.post("/house-rules/tags/apply")
    house.wait_for_jobs()
    assert read_file(root / "messy" / DISC / "01 First Boat Over.m4a").fields["title"] == "First Boat Over"
    assert findings(house, "not worded") == []
    house.post(f"/file-steps/{step['id']}/undo")
    house.wait_for_jobs()
    assert digests_below(root) == before
    assert share(house, "tags")["following"] == wordless - 8


def test_filing_is_declared_by_a_saved_pattern_and_carried_out(house: Server, root: Path) -> None:
    before = digests_below(root)
    assert house.api.put("/house-rules/filing", json={"pattern": "none such"}).status_code == 422
    naming = {"name": "By album", "pattern": "{album}/{track_number:02} {title}"}
    house.api.put("/filing-patterns", json=naming).raise_for_status()
    declared(house, "/house-rules/filing", {"pattern": ""})
    assert share(house, "filing")["following"] == share(house, "filing")["files"], "nothing is wanted"
    declared(house, "/house-rules/filing", {"pattern": "By album"})
    assert house.get("/house-rules")["filing"] == "By album"
    before_it = share(house, "filing")["following"]
    step = house.post("/house-rules/filing/apply")
    house.wait_for_jobs()
    # Files that say nothing of album or number cannot all lie where the pattern says.
    assert share(house, "filing")["following"] >= before_it + 8
    house.post(f"/file-steps/{step['id']}/undo")
    house.wait_for_jobs()
    assert digests_below(root) == before
    declared(house, "/house-rules/filing", {"pattern": ""})


def test_artwork_is_counted_by_files_not_by_findings(house: Server) -> None:
    declared(house, "/art-rule", {"rule": {"embed": "none", "beside": False}})
    told = share(house, "artwork")
    with_pictures = sum(bool(row["pictures"]) for row in house.get("/sheet", bundle=[1])["rows"])
    assert told["files"] - told["following"] == with_pictures


@pytest.mark.parametrize(
    ("path", "body"),
    [
        ("/house-rules/tags", {"rule": {"wanted": ["shoe size"]}}),
        ("/house-rules/tags", {"rule": {"wanted": ["title"], "wording": ["none such"]}}),
        ("/house-rules/tags", {"rule": {"wanted": ["title"], "silence_s": 0}}),
        ("/house-rules/filing", {}),
    ],
)
def test_what_cannot_be_declared_is_refused(house: Server, path: str, body: Any) -> None:
    before = house.get("/house-rules")
    assert house.api.put(path, json=body).status_code == 422
    assert house.get("/house-rules") == before


def test_files_that_are_gone_and_files_nobody_knows_are_told(house: Server, root: Path) -> None:
    kept = root / "messy" / DISC / "01 First Boat Over.m4a"
    kept.rename(kept.with_name("unheard of.m4a"))
    surveyed(house, "?anew=true")
    (gone,) = findings(house, "gone")
    assert gone["paths"] == [f"{DISC}/01 First Boat Over.m4a"]
    (unknown,) = findings(house, "unknown")
    assert (unknown["words"], unknown["place"]) == ("nobody knows “unheard of.m4a”", "Harbour Lights")
    kept.with_name("unheard of.m4a").rename(kept)
    after = surveyed(house, "?anew=true")
    assert "gone" not in after and "unknown" not in after


def test_samples_that_have_not_the_checksum_stored_with_them_are_told(house: Server, root: Path) -> None:
    """A FLAC file whose STREAMINFO speaks of other samples, as a bad editor leaves it (RFC 9639 section 8.2)."""
    folder = root / "doubtful"
    folder.mkdir()
    record_side(folder / "a.wav", tracks_s=(2.0,))
    import soundfile

    data, rate = soundfile.read(folder / "a.wav", dtype="int16")
    (folder / "a.wav").unlink()
    for name, md5 in (("wrong", b"\x01" * 16), ("none", bytes(16)), ("right", None)):
        path = folder / f"{name}.flac"
        soundfile.write(str(path), data, rate, subtype="PCM_16")
        mutagen.flac.FLAC(path).save()
        if md5 is not None:
            held = bytearray(path.read_bytes())
            held[26:42] = md5
            path.write_bytes(held)
    house.post("/bundles", {"folder": "doubtful", "in_place": True})
    house.wait_for_jobs()
    house.post("/survey/analyse")
    house.wait_for_jobs()
    surveyed(house)
    assert [one["paths"] for one in findings(house, "other samples")] == [["wrong.flac"]]
    assert [one["paths"] for one in findings(house, "no checksum")] == [["none.flac"]]

    # Storing the one it has is a remedy like any other; the reference decoder then agrees.
    before = (folder / "none.flac").read_bytes()
    step = house.post("/survey/fix", {"check": "no checksum"})
    house.wait_for_jobs()
    stored = (folder / "none.flac").read_bytes()
    assert stored[26:42] == (folder / "right.flac").read_bytes()[26:42]
    assert [at for at, (old, new) in enumerate(zip(before, stored, strict=True)) if old != new] == list(range(26, 42))
    subprocess.run(["flac", "--test", "--silent", "--warnings-as-errors", folder / "none.flac"], check=True)
    assert "no checksum" not in surveyed(house)
    house.post(f"/file-steps/{step['id']}/undo")
    house.wait_for_jobs()
    assert (folder / "none.flac").read_bytes() == before
    assert surveyed(house)["no checksum"] == 1


def test_reports_count_what_there_is_and_come_as_csv(house: Server, tmp_path: Path) -> None:
    side = tmp_path / "side.wav"
    record_side(side)
    docket = house.open_docket("WH-0600")
    carrier = docket["carriers"][0]["id"]
    house.api.patch(f"/carriers/{carrier}", json={"condition": "Light crackle, no scratch."}).raise_for_status()
    house.upload(docket["id"], side)
    house.wait_for_jobs()
    house.open_docket("WH-0601")
    reports = {one["name"]: one for one in house.get("/reports")}
    assert {row["label"]: row["values"] for row in reports["standing"]["rows"]} == {"empty": [1], "under way": [1]}
    assert sum(sum(row["values"]) for row in reports["backlog"]["rows"]) == 2
    assert {row["label"]: row["values"] for row in reports["condition"]["rows"]} == {
        "crackle": [1],
        "nothing said": [1],
    }
    (month,) = reports["months"]["rows"]
    assert month["values"] == [pytest.approx(46 / 3600, abs=0.006), 0]
    files = sum(row["values"][0] for row in reports["formats"]["rows"])
    assert files == house.get("/house-rules")["follows"]["tags"]["files"]
    answer = house.api.get("/reports/backlog.csv").raise_for_status()
    rows = list(csv.DictReader(io.StringIO(answer.content.decode("utf-8-sig"))))
    assert sum(int(row["under a month"]) for row in rows) == 2
    assert house.api.get("/reports/nothing.csv").status_code == 404
