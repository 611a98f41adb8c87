"""The ledger over HTTP: what is told, filtered and taken out, and everything of a day taken back from it."""

from __future__ import annotations

import csv
import io
import json
from pathlib import Path
from typing import Any

import pytest

from tests.live import Server
from tests.patience import until
from tests.sounds import record_side
from tests.web.test_files import digests_below


@pytest.fixture(scope="module")
def root(messy_root: Path) -> Path:
    return messy_root


@pytest.fixture(scope="module")
def house(messy_house: Server, tmp_path_factory: pytest.TempPathFactory) -> Server:
    """The messy folder and, on the shelf, one side with its three tracks found."""
    side = tmp_path_factory.mktemp("side") / "side.wav"
    record_side(side)
    docket = messy_house.open_docket("WH-0900")
    messy_house.upload(docket["id"], side)
    messy_house.wait_for_jobs()
    return messy_house


def newest(house: Server) -> Any:
    return house.get("/ledger", limit=1)[0]


def take_back(house: Server, *entries: Any) -> Any:
    told = house.post("/ledger/undo", {"ids": [one["id"] for one in entries]})
    house.wait_for_jobs()
    return told


def refused(house: Server, *ids: int) -> int:
    return int(house.api.post("/ledger/undo", json={"ids": list(ids)}).status_code)


def described(house: Server, **release: str) -> Any:
    house.api.patch("/dockets/1/description", json={"release": release}).raise_for_status()
    return newest(house)


def side_of(house: Server) -> Any:
    return house.get("/dockets/1")["carriers"][0]["sides"][0]


def tracks(house: Server) -> list[Any]:
    return [(one["start_sample"], one["end_sample"]) for one in side_of(house)["plan"]["plan"]["tracks"]]


def widened(house: Server, by_samples: int) -> Any:
    """The first track ends later; the entry that tells it."""
    plan = side_of(house)["plan"]
    first = plan["plan"]["tracks"][0]
    edit = {"op": "move edge", "track_key": first["key"], "edge": "end", "to_sample": first["end_sample"] + by_samples}
    house.edit_plan(side_of(house)["id"], plan["version"], edit)
    return newest(house)


def put_right(house: Server, check: str) -> Any:
    house.post("/survey/fix", {"check": check})
    told = newest(house)
    house.wait_for_jobs()
    return told


def test_a_description_is_taken_back_unless_it_was_changed_since(house: Server) -> None:
    described(house, title="Ebb", year="1974")
    entry = described(house, title="Ebb and Flood", label="Quayhead")
    assert entry["way_back"] == "open"
    described(house, label="Quayhead, Marrowby")
    take_back(house, entry)
    release = house.get("/dockets/1")["release"]
    assert (release["title"], release["label"], release["year"]) == ("Ebb", "Quayhead, Marrowby", "1974")
    told = newest(house)
    assert told["action"] == "taken back: described: title, label"
    assert (told["before"], told["after"], told["way_back"]) == ({"title": "Ebb and Flood"}, {"title": "Ebb"}, None)
    assert refused(house, entry["id"]) == 409, "once"


def test_a_field_that_was_empty_is_empty_again(house: Server) -> None:
    take_back(house, described(house, country="Sealand"))
    assert house.get("/dockets/1")["release"].get("country", "") == ""
    house.api.patch("/dockets/1/description", json={"release": {"country": "Sealand"}}).raise_for_status()
    take_back(house, described(house, country=""))
    assert house.get("/dockets/1")["release"]["country"] == "Sealand"


def test_what_is_said_of_a_carrier_and_how_files_are_named_is_taken_back(house: Server) -> None:
    before = house.get("/dockets/1")
    carrier = before["carriers"][0]
    said = {"speed": "45 rpm", "expected_s": {one["id"]: 1_290.0 for one in carrier["sides"]}}
    house.api.patch(f"/carriers/{carrier['id']}", json=said).raise_for_status()
    of_carrier = newest(house)
    pattern = {"folder": "{album artist}", "file": "{track title}"}
    house.api.put("/dockets/1/patterns", json=pattern).raise_for_status()
    of_naming = newest(house)
    assert house.get("/dockets/1")["carriers"] != before["carriers"]
    assert take_back(house, of_carrier, of_naming) == {"done": 2, "following": 0, "left": 0}
    after = house.get("/dockets/1")
    assert set(newest(house)["before"]) == set(of_carrier["before"]), "every side by its name"
    assert after["carriers"] == before["carriers"]
    assert after["folder_pattern"] == before["folder_pattern"]


def test_a_change_of_a_plan_is_open_only_once_what_was_built_on_it_is_undone(house: Server) -> None:
    before = tracks(house)
    first, second = widened(house, 4_410), widened(house, 441)
    states = {one["id"]: one["way_back"] for one in house.get("/ledger")}
    assert (states[first["id"]], states[second["id"]]) == ("behind", "open")
    assert refused(house, first["id"]) == 409
    assert take_back(house, first, second)["done"] == 2
    assert tracks(house) == before


def test_a_dismissal_is_taken_back(house: Server) -> None:
    (one,) = house.get("/survey/findings", check="silence at the end")["findings"]
    house.post("/survey/dismiss", {"ids": [one["id"]], "reason": "the tape ran on"})
    entry = newest(house)
    assert house.get("/survey/findings", check="silence at the end")["findings"] == []
    take_back(house, entry)
    assert len(house.get("/survey/findings", check="silence at the end")["findings"]) == 1
    assert refused(house, entry["id"]) == 409


def test_a_saved_pattern_is_what_it_was_is_gone_or_is_there_again(house: Server) -> None:
    def patterns() -> dict[str, str]:
        return {one["naming"]["name"]: one["naming"]["pattern"] for one in house.get("/filing-patterns")}

    def save(pattern: str) -> Any:
        body = {"name": "Ours", "pattern": pattern}
        answer = house.api.put("/filing-patterns", json=body)
        assert answer.is_success, answer.text
        return newest(house)

    first, second = save("{artist}/{title}"), save("{album}/{title}")
    states = {one["id"]: one["way_back"] for one in house.get("/ledger")}
    assert (states[first["id"]], states[second["id"]]) == ("behind", "open")
    take_back(house, second)
    assert patterns()["Ours"] == "{artist}/{title}"
    saved = next(one for one in house.get("/filing-patterns") if one["naming"]["name"] == "Ours")
    house.api.delete(f"/house-documents/{saved['id']}").raise_for_status()
    removed = newest(house)
    take_back(house, removed)
    assert patterns()["Ours"] == "{artist}/{title}"
    take_back(house, first)
    assert "Ours" not in patterns()


def test_everything_of_a_day_goes_back_whatever_it_was_the_newest_first(house: Server, root: Path) -> None:
    """Steps on files, a merge, files set aside, a docket's fields: jobs follow one another, and none is forgotten."""
    files, release, sheet = digests_below(root), house.get("/dockets/1")["release"], house.get("/sheet", bundle=[1])
    since = newest(house)["id"]
    put_right(house, "titles hold more")
    described(house, album_artist="marrowby silver band")
    merge = {"kind": "person", "name": "Marrowby Silver Band", "variants": ["marrowby silver band"]}
    house.post("/headings/merge", merge)
    house.wait_for_jobs()
    put_right(house, "missing album_artist")
    copy = next(one for one in house.get("/sheet", bundle=[1])["rows"] if "Copy of" in one["path"])
    house.post("/held-files", {"file_ids": [copy["id"]], "reason": "kept twice"})
    house.wait_for_jobs()
    described(house, title="Another")
    assert digests_below(root) != files
    mine = [one for one in house.get("/ledger", limit=200) if one["id"] > since and one["way_back"]]
    kinds = [one["way_back"] for one in mine]
    assert len(mine) == 6, "a merge writes files: they go back with it"
    assert kinds.count("open") >= 5
    told = take_back(house, *mine)
    assert told["done"] == 2, "the title at once; with the file that was set aside the jobs begin"
    assert told["following"] == 4
    assert digests_below(root) == files, "byte for byte"
    assert house.get("/dockets/1")["release"] == release
    assert house.get("/held-files") == []
    assert house.get("/ledger", search="more were not taken back") == []
    until(
        lambda: house.get("/collection", text="marrowby silver", kind="docket")["total"] == 0,
        "the index did not follow",
    )
    now = house.get("/sheet", bundle=[1])["rows"]
    assert [(one["path"], one["fields"]) for one in now] == [(one["path"], one["fields"]) for one in sheet["rows"]]
    assert not any(one["way_back"] == "open" for one in house.get("/ledger", limit=200) if one["id"] > since)


def test_what_cannot_follow_is_told(house: Server, root: Path) -> None:
    files = digests_below(root)
    told = described(house, title="Low Water")
    described(house, title="High Water")
    assert take_back(house, told, put_right(house, "titles hold more")) == {"done": 1, "following": 1, "left": 0}
    assert newest(house)["action"] == "1 more were not taken back: changed since, or taken back already"
    assert house.get("/dockets/1")["release"]["title"] == "High Water"
    assert digests_below(root) == files


def test_steps_taken_back_in_the_wrong_order_go_back_in_the_right_one(house: Server, root: Path) -> None:
    files = digests_below(root)
    older, newer = put_right(house, "titles hold more"), put_right(house, "missing album_artist")
    take_back(house, older)
    assert house.get("/file-steps")[1]["state"] == "taken back in part", "what the newer one wrote is not undone"
    assert take_back(house, older, newer)["following"] == 1
    assert digests_below(root) == files


def test_where_a_file_does_not_go_back_the_older_ones_stay(house: Server, root: Path) -> None:
    older, newer = put_right(house, "titles hold more"), put_right(house, "missing album_artist")
    for file in (root / "messy").rglob("*.flac"):
        file.write_bytes(file.read_bytes() + b"somebody else's")
    take_back(house, older, newer)
    assert house.get("/file-steps")[0]["state"] == "taken back in part"
    assert newest(house)["action"].endswith("what was done after them did not go back whole")
    assert {one["id"]: one["way_back"] for one in house.get("/ledger")}[older["id"]] == "open"


def test_only_what_the_ledger_has_is_taken_back(house: Server) -> None:
    assert refused(house) == 422
    assert refused(house, 999_999) == 404
    opened = next(one for one in house.get("/ledger", search="docket opened") if one["docket_id"] == 1)
    assert opened["way_back"] is None
    assert refused(house, opened["id"]) == 409


def test_the_ledger_is_filtered_and_goes_out_as_a_spreadsheet(house: Server) -> None:
    take_back(house, described(house, country="Lyonesse"))
    everything = house.get("/ledger", limit=200)
    assert house.get("/ledger/people") == [everything[0]["who"]]
    back = house.get("/ledger", search="taken back: described")
    assert back and all("taken back: described" in one["action"] for one in back)
    middle = everything[len(everything) // 2]["at"]
    older, newer = house.get("/ledger", until=middle, limit=200), house.get("/ledger", since=middle, limit=200)
    assert [one["id"] for one in newer + older] == [one["id"] for one in everything]
    assert house.get("/ledger", who="nobody") == []
    told = list(csv.DictReader(io.StringIO(house.api.get("/ledger.csv").content.decode("utf-8-sig"))))
    assert [int(one["entry"]) for one in told] == [one["id"] for one in reversed(everything)]
    assert json.loads(told[-1]["before"] or "{}") == (everything[0]["before"] or {})
    assert house.api.get("/ledger", params={"since": "yesterday"}).status_code == 422
