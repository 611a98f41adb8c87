"""Names merged into headings, over HTTP: seen before, written in files and dockets, taken back, kept for the future."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest

from tests.live import Server
from tests.web.test_files import digests_below
from tests.web.test_survey import surveyed

BAND = "Marrowby Silver Band"
VARIANTS = ["marrowby silver band"]


@pytest.fixture(scope="module")
def root(messy_root: Path) -> Path:
    return messy_root


@pytest.fixture(scope="module")
def house(messy_house: Server) -> Server:
    """The messy folder, surveyed, and a docket that says the same name in small letters."""
    docket = messy_house.open_docket("WH-0500")
    release = {"album_artist": "marrowby silver band", "title": "Lanterns on the Weir", "label": "quayhead"}
    messy_house.api.patch(f"/dockets/{docket['id']}/description", json={"release": release}).raise_for_status()
    surveyed(messy_house)
    return messy_house


def names(house: Server, kind: str = "person", **more: Any) -> dict[str, Any]:
    return {one["name"]: one for one in house.get("/headings", kind=kind, **more)["names"]}


def test_every_name_is_listed_with_where_it_stands(house: Server) -> None:
    held = names(house)
    assert held["marrowby silver band"]["dockets"] == 1
    assert held["marrowby silver band"]["files"] > 5
    assert set(names(house, text="SILVER")) == {name for name in held if "silver" in name.casefold()}
    assert set(names(house, "label")) >= {"quayhead"}
    assert house.api.get("/headings", params={"kind": "genre"}).status_code == 422


def test_a_merge_is_seen_before_it_is_made_and_taken_back_as_a_whole(house: Server, root: Path) -> None:
    before, files, held = house.get("/dockets/1"), digests_below(root), names(house)
    merge = {"kind": "person", "name": BAND, "sort_name": "Marrowby Silver Band", "variants": VARIANTS}
    preview = house.post("/headings/preview", merge)
    assert preview["files"] == held[VARIANTS[0]]["files"]
    assert {(one["path"], one["before"], one["after"]) for one in preview["dockets"]} == {
        ("WH-0500", "marrowby silver band", BAND),
    }
    assert all(BAND in one["after"] or one["field"].endswith("_sort") for one in preview["changes"])
    assert digests_below(root) == files, "seen only"

    made = house.post("/headings/merge", merge)
    house.wait_for_jobs()
    assert house.get("/dockets/1")["release"]["album_artist"] == BAND
    after = names(house)
    assert after[BAND]["files"] >= held[VARIANTS[0]]["files"]
    assert after[BAND]["heading"] == BAND
    assert after.get(VARIANTS[0], {"files": 0})["files"] == 0
    assert house.get("/ledger")[0]["action"] in (
        "person heading “Marrowby Silver Band”: 1 variants merged",
        f"heading “{BAND}”, {preview['files']} files",
    )

    back = house.post(f"/headings/merges/{made['id']}/undo")
    assert back["taken_back"]
    house.wait_for_jobs()
    assert digests_below(root) == files, "byte for byte"
    assert house.get("/dockets/1")["release"] == before["release"]
    assert names(house) == held
    assert house.api.post(f"/headings/merges/{made['id']}/undo").status_code == 409


def test_what_points_to_a_heading_is_found_wherever_it_stands(house: Server, root: Path) -> None:
    """The variant came to be known by a docket; files that say it too come in, or are written, later."""
    made = house.post("/headings/merge", {"kind": "label", "name": "Quayhead", "variants": ["quayhead"]})
    assert house.get("/dockets/1")["release"]["label"] == "Quayhead"
    row = house.get("/sheet", bundle=[1])["rows"][0]
    change = {"file_id": row["id"], "field": "label", "value": "Gull & Crane; quayhead"}
    house.api.patch("/sheet", json={"changes": [change]}).raise_for_status()
    house.post("/sheet/write", {"bundle_ids": [1]})
    house.wait_for_jobs()
    (found,) = house.get("/survey/findings", check="variants")["findings"]
    assert found["words"] == "“quayhead” is filed under “Quayhead”"
    house.post("/survey/fix", {"check": "variants"})
    house.wait_for_jobs()
    stored = next(one for one in house.get("/sheet", bundle=[1])["rows"] if one["id"] == row["id"])
    assert stored["fields"]["label"] == "Gull & Crane; Quayhead", "the others of a field stay"
    house.post(f"/headings/merges/{made['id']}/undo")
    assert house.get("/dockets/1")["release"]["label"] == "quayhead"


def test_a_heading_that_is_merged_takes_what_pointed_to_it_along(house: Server) -> None:
    first = house.post("/headings/merge", {"kind": "work", "name": "Preludes", "variants": ["Prel."]})
    second = house.post("/headings/merge", {"kind": "work", "name": "Four Tidal Preludes", "variants": ["Preludes"]})
    house.wait_for_jobs()
    third = house.api.post("/headings/merge", json={"kind": "work", "name": " ", "variants": ["x"]})
    assert third.status_code == 422
    assert house.api.post("/headings/merge", json={"kind": "work", "name": "x", "variants": ["x"]}).status_code == 422
    house.post(f"/headings/merges/{second['id']}/undo")
    house.wait_for_jobs()
    house.post(f"/headings/merges/{first['id']}/undo")
    house.wait_for_jobs()
    assert "Preludes" not in {one["heading"] for one in names(house, "work").values()}


def test_what_is_settled_is_suggested_no_more(house: Server) -> None:
    suggested = house.get("/headings", kind="person")["suggested"]
    assert suggested, "the messy folder has spellings"
    one = suggested[0]
    made = house.post("/headings/merge", {"kind": "person", "name": one["name"], "variants": one["variants"]})
    house.wait_for_jobs()
    left = house.get("/headings", kind="person")["suggested"]
    assert one["name"] not in {each["name"] for each in left}
    house.post(f"/headings/merges/{made['id']}/undo")
    house.wait_for_jobs()
    assert one in house.get("/headings", kind="person")["suggested"]
