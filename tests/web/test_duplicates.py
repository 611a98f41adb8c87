"""Duplicates over HTTP: listened to, compared, set aside, brought back byte for byte, and let go on their day."""

from __future__ import annotations

import os
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import mutagen.flac
import numpy as np
import pytest
import soundfile

from inkwell_groove.demo.tunes import Tune, play
from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.workroom.duplicates.holding import Holding
from inkwell_groove.workroom.events import Events
from tests.live import Server
from tests.web.test_files import digests_below

RATE_HZ = 22_050
SWAPPED = "second/Slack Water, the other way round.flac"


def tagged(path: Path, sound: Any, title: str, **more: str) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    soundfile.write(str(path), np.clip(sound, -1, 1), RATE_HZ, subtype="PCM_16")
    if path.suffix == ".flac":
        file = mutagen.flac.FLAC(path)
        file.update({"title": title, "artist": "The Tollgate Sisters", **more})
        file.save()


@pytest.fixture(scope="module")
def root(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """One recording in four files, another edit of it, another recording of its title, and two that are no kin."""
    root = tmp_path_factory.mktemp("files")
    first, second, third = (
        np.column_stack(play(Tune("", 26.0, seed, 96 + 9 * seed, seed), RATE_HZ, speed=1.0)) for seed in (3, 4, 5)
    )
    first[:, 1] *= 0.5
    press = {"album": "Slack Water", "catalognumber": "QHS 44", "date": "1968"}
    tagged(root / "all/first/Slack Water.flac", first, "Slack Water", tracknumber="1", **press)
    tagged(root / "all/first/Paper Oars.flac", second, "Paper Oars", tracknumber="2", **press)
    again = {"album": "Slack Water", "catalognumber": "GC 9", "date": "1999"}
    tagged(root / "all" / SWAPPED, 0.6 * first[:, ::-1], "Slack Water", tracknumber="1", **again)
    tagged(root / "all/second/Paper Oars.flac", 0.7 * second, "Paper Oars", tracknumber="2", **again)
    tagged(root / "all/heap/Copy of Slack Water.wav", first, "")
    tagged(root / "all/heap/edit.flac", np.concatenate([first[: 9 * RATE_HZ], first[16 * RATE_HZ :]]), "Slack Water")
    tagged(root / "all/heap/live.flac", third, "Slack Water")
    return root


@pytest.fixture(scope="module")
def house(database_url: str, root: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    with Server(database_url, tmp_path_factory.mktemp("media"), INKWELL_FILES_ROOT=str(root)) as running:
        running.post("/bundles", {"folder": "all", "in_place": True})
        running.wait_for_jobs()
        assert running.api.post("/duplicates/compare").status_code == 409, "nothing was listened to"
        running.post("/survey/analyse")
        running.wait_for_jobs()
        running.post("/duplicates/compare")
        running.wait_for_jobs()
        yield running


def sets(house: Server, kind: str) -> list[Any]:
    return [one for one in house.get("/duplicates")["sets"] if one["kind"] == kind]


def named(one: Any) -> list[str]:
    return [copy["name"] for copy in one["copies"]]


def test_copies_are_found_and_the_one_to_keep_comes_first_with_reasons(house: Server) -> None:
    slack, oars = sorted(sets(house, "same recording"), key=lambda one: -len(one["copies"]))
    assert sorted(named(slack)) == sorted([SWAPPED, "first/Slack Water.flac", "heap/Copy of Slack Water.wav"])
    assert slack["copies"][0]["name"] in (SWAPPED, "first/Slack Water.flac"), "proven, and described"
    wav = next(copy for copy in slack["copies"] if copy["name"].endswith(".wav"))
    assert "the first, because its samples have the checksum stored with them" in wav["reasons"]
    assert slack["swapped"]
    assert wav["proposed"]
    assert set(named(oars)) == {"first/Paper Oars.flac", "second/Paper Oars.flac"}
    assert not oars["swapped"]
    assert [copy["proposed"] for copy in oars["copies"]] == [False, False], "a reissue is kept beside its record"


def test_an_edit_and_another_recording_are_told_and_not_taken_for_the_same(house: Server) -> None:
    (edit,) = sets(house, "another edit")
    assert "heap/edit.flac" in named(edit)
    alone = [*edit["difference"]["only_first"], *edit["difference"]["only_second"]]
    assert [round(one["end_s"] - one["start_s"]) for one in alone] == [pytest.approx(7, abs=2)]
    others = {name for one in sets(house, "another recording") for name in named(one)}
    assert "heap/live.flac" in others
    assert all(copy["reasons"] == [] for copy in edit["copies"]), "nothing is proposed"


def test_the_same_release_in_another_pressing_is_told(house: Server) -> None:
    (pair,) = house.get("/duplicates")["releases"]
    assert (pair["tracks"], pair["of"]) == (2, 2)
    assert pair["words"] == "another pressing: another number and date"


def test_what_was_compared_is_not_compared_again_and_what_is_no_more_is_forgotten(house: Server) -> None:
    before = house.get("/duplicates")
    portraits = {one.name for one in (house.media_root / "portraits").glob("*/*")}
    assert len(portraits) == 7
    gone = house.media_root / "portraits" / "0f" / ("0f" * 16)
    gone.parent.mkdir(exist_ok=True)
    gone.write_bytes(b"of a sound that is no more")
    os.utime(gone, (1, 1))
    job = house.post("/duplicates/compare")
    done = next(one for one in house.wait_for_jobs() if one["id"] == job["id"])
    assert done["state"] == "done"
    assert house.get("/duplicates") == before
    assert {one.name for one in (house.media_root / "portraits").glob("*/*")} == portraits


def test_set_aside_and_brought_back_byte_for_byte(house: Server, root: Path) -> None:
    before, rows = digests_below(root), house.get("/sheet", bundle=[1])
    copy = next(one for one in rows["rows"] if one["path"] == "heap/Copy of Slack Water.wav")
    assert house.api.post("/held-files", json={"file_ids": [copy["id"]], "reason": " "}).status_code == 422
    assert house.api.post("/held-files", json={"file_ids": [999_999], "reason": "none"}).status_code == 404
    house.post("/held-files", {"file_ids": [copy["id"]], "reason": "a better copy is kept"})
    house.wait_for_jobs()
    assert not (root / "all/heap/Copy of Slack Water.wav").exists()
    assert "heap/Copy of Slack Water.wav" not in {name for one in sets(house, "same recording") for name in named(one)}
    (held,) = house.get("/held-files")
    assert (held["path"], held["state"]) == ("heap/Copy of Slack Water.wav", "held")
    assert house.get("/ledger")[0]["action"].startswith("1 files set aside until ")

    # Something else lies there meanwhile: nothing is written over.
    other = root / "all/heap/Copy of Slack Water.wav"
    other.write_bytes(b"another")
    house.post("/held-files/restore", {"held_ids": [held["id"]]})
    house.wait_for_jobs()
    assert other.read_bytes() == b"another"
    assert house.get("/held-files")[0]["state"] == "held"
    other.unlink()
    house.post("/held-files/restore", {"held_ids": [held["id"]]})
    house.wait_for_jobs()
    assert digests_below(root) == before
    assert house.get("/sheet", bundle=[1]) == rows
    assert house.get("/held-files") == []
    assert house.api.post("/held-files/restore", json={"held_ids": [held["id"]]}).status_code == 404


def test_a_file_that_somebody_altered_is_left_where_it_is(house: Server, root: Path) -> None:
    path = root / "all/heap/live.flac"
    kept = path.read_bytes()
    row = next(one for one in house.get("/sheet", bundle=[1])["rows"] if one["path"] == "heap/live.flac")
    path.write_bytes(kept + b"more")
    house.post("/held-files", {"file_ids": [row["id"]], "reason": "not wanted"})
    house.wait_for_jobs()
    assert path.read_bytes() == kept + b"more"
    assert house.get("/held-files") == []
    problem = next(one for one in house.get("/ledger") if one["action"] == "1 files could not be moved")
    assert "somebody altered the file" in problem["after"]["problems"][0]
    path.write_bytes(kept)


def test_what_was_held_long_enough_is_let_go_and_the_ledger_keeps_what_it_was(house: Server, root: Path) -> None:
    row = next(one for one in house.get("/sheet", bundle=[1])["rows"] if one["path"] == "heap/live.flac")
    house.post("/held-files", {"file_ids": [row["id"]], "reason": "not wanted", "days": 1})
    house.wait_for_jobs()
    database = Database(house.database_url)
    holding = Holding(database, MediaStore(house.media_root), Events())
    assert holding.let_go(datetime.now(UTC)) == 0, "its day has not come"
    assert holding.let_go(datetime.now(UTC) + timedelta(days=2)) == 1
    database.close()
    assert house.get("/held-files") == []
    gone = house.get("/ledger")[0]
    assert gone["action"] == "1 files let go, held until now"
    assert gone["before"]["files"][0]["path"] == "heap/live.flac"
    assert not list((house.media_root / "holding").rglob("*.flac"))
    assert not any((house.media_root / "holding").rglob("flac"))
