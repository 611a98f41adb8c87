"""The collection over HTTP: dockets' tracks and files found side by side, kept in step, heard."""

from __future__ import annotations

import io
import shutil
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile

from tests.live import Server
from tests.patience import until
from tests.sounds import record_side


@pytest.fixture(scope="module")
def house(
    database_url: str, messy_originals: Path, tmp_path_factory: pytest.TempPathFactory
) -> Iterator[tuple[Server, Path]]:
    """A house with the messy folder and one recorded side."""
    root, side = tmp_path_factory.mktemp("files"), tmp_path_factory.mktemp("side") / "side.wav"
    shutil.copytree(messy_originals, root / "messy")
    record_side(side)
    with Server(database_url, tmp_path_factory.mktemp("media"), INKWELL_FILES_ROOT=str(root)) as running:
        running.post("/bundles", {"folder": "messy", "in_place": True})
        docket = running.open_docket("WH-0777")
        running.upload(docket["id"], side)
        running.wait_for_jobs()
        sides = running.get(f"/dockets/{docket['id']}")["carriers"][0]["sides"]
        running.post(f"/sides/{sides[0]['id']}/find-tracks", {"count": 3})
        running.wait_for_jobs()
        said = {"title": "Tide Tables", "album_artist": "Odalys Brandt", "catalogue_number": "QHL 1200", "year": "1974"}
        running.describe(docket["id"], ["Ebb", "Slack Water", "Flood"], **said)
        until(lambda: running.get("/collection", text="tide tables")["total"] == 3, "the index did not follow")
        yield running, side


def titles(house: Server, **wanted: Any) -> list[str]:
    return [one["title"] for one in house.get("/collection", **wanted)["found"]]


def test_tracks_and_files_are_found_by_words_that_are_nearly_right(house: tuple[Server, Path]) -> None:
    server, _ = house
    assert titles(server, text="slak watr", kind="docket") == ["Slack Water"]
    assert titles(server, text="qhl1200 flood") == ["Flood"]
    assert titles(server, text="wh-0777") == ["Ebb", "Slack Water", "Flood"], "in the order of the record"
    assert titles(server, text="tide", field="title", kind="docket") == []
    both = server.get("/collection", text="slack water")
    assert both["facets"]["kind"].keys() == {"docket", "file"}
    everything = server.get("/collection")
    assert everything["total"] == sum(everything["facets"]["kind"].values()) > 60


def test_facets_narrow_what_is_found(house: tuple[Server, Path]) -> None:
    server, _ = house
    told = server.get("/collection", kind="file", decade=["1960s", "1970s"])
    assert set(told["facets"]["decade"]) == {"1960s", "1970s"}
    assert {one["year"][:3] for one in told["found"]} == {"196", "197"}
    assert titles(server, carrier="LP", text="ebb") == ["Ebb"]


def test_what_the_survey_found_can_be_listed(house: tuple[Server, Path]) -> None:
    server, _ = house
    server.post("/survey")
    server.wait_for_jobs()
    found = server.get("/collection", finding="titles hold more", most=500)
    assert found["total"] == 38
    assert server.api.get("/collection", params={"finding": "no such check"}).status_code == 422
    assert server.api.get("/collection", params={"field": "shoe size"}).status_code == 422


def test_a_wall_of_releases(house: tuple[Server, Path]) -> None:
    server, _ = house
    wall = server.get("/collection/wall", text="tide tables")
    assert wall["total"] == 1
    cover = wall["covers"][0]
    assert (cover["title"], cover["artist"], cover["year"], cover["tracks"]) == (
        "Tide Tables",
        "Odalys Brandt",
        "1974",
        3,
    )
    assert cover["first"]["title"] == "Ebb"
    assert len(server.get("/collection/wall", most=4)["covers"]) == 4


def test_what_is_changed_on_the_sheet_is_found_as_it_will_be(house: tuple[Server, Path]) -> None:
    server, _ = house
    one = next(file for file in server.get("/collection", kind="file", most=500)["found"] if file["sound"])
    change = {"file_id": one["file_id"], "field": "title", "value": "Zanzibar Quayside"}
    server.api.patch("/sheet", json={"changes": [change]}).raise_for_status()
    until(lambda: titles(server, text="zanzibar") == ["Zanzibar Quayside"], "the index did not follow")
    found = server.get("/collection", state="changed, not written")["found"]
    assert [file["file_id"] for file in found] == [one["file_id"]]
    server.api.post("/sheet/discard", json={"file_ids": [one["file_id"]]}).raise_for_status()
    until(lambda: titles(server, text="zanzibar") == [], "the index did not follow")


def test_a_track_is_heard_as_its_stretch_of_the_take(house: tuple[Server, Path]) -> None:
    server, side = house
    one = server.get("/collection", text="slack water", kind="docket")["found"][0]
    docket = server.get(f"/dockets/{one['docket_id']}")
    line = docket["carriers"][0]["sides"][0]["tracks"][1]
    answer = server.api.get(one["sound"].removeprefix("/api/v1"))
    heard, rate = soundfile.read(io.BytesIO(answer.content), dtype="int32")
    original, _ = soundfile.read(side, start=line["start_sample"], stop=line["end_sample"], dtype="int32")
    assert rate == line["rate_hz"]
    assert np.array_equal(heard, original), "bit for bit"
    assert server.api.get(f"/dockets/{one['docket_id']}/tracks/nothing/sound").status_code == 404


def test_searches_are_saved_by_name(house: tuple[Server, Path]) -> None:
    server, _ = house
    wanted = {"text": "slack", "kind": ["file"]}
    answer = server.api.put("/collection/searches", json={"name": "Slack files", "wanted": wanted})
    saved = answer.raise_for_status().json()
    assert saved["wanted"] == wanted
    assert server.get("/collection/searches") == [saved]
    assert server.api.put("/collection/searches", json={"name": " ", "wanted": wanted}).status_code == 422
    server.api.delete(f"/house-documents/{saved['id']}").raise_for_status()
    assert server.get("/collection/searches") == []
