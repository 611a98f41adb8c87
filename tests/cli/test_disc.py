"""`groove disc read` and `groove log check`, as a script uses them."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest

from inkwell_groove.core.disc.image import DiscImage
from tests.cli.inside import groove_inside
from tests.discs import whole, write_image


@pytest.fixture
def sheet(tmp_path: Path) -> Path:
    return write_image(tmp_path, (40, 80, 120), 170, gaps={1: 40, 2: 10})


def test_a_disc_is_read_through_a_drive_to_files_that_make_it_again(sheet: Path, tmp_path: Path) -> None:
    profile = {
        "read_offset": 47,
        "bad": [{"first": 90, "last": 95, "rate": 0.3, "sticky": False}],
        "hidden_opening": "reads",
        "seed": 3,
        "over_reads": True,
    }
    (tmp_path / "drive.json").write_text(json.dumps(profile))
    out = tmp_path / "out"
    done = groove_inside("disc", "read", sheet, "--out", out, "--drive", tmp_path / "drive.json", "--json")
    assert done.returncode == 0, done.stderr
    told = json.loads(done.stdout)
    assert [one["number"] for one in told["tracks"]] == [0, 1, 2, 3]
    assert {one["verdict"] for one in told["tracks"]} == {"agreed"}
    assert told["tracks"][2]["settled"] and told["tracks"][2]["rereads"] > 0
    assert told["opening"]["outcome"] == "kept" and told["offset_samples"] == 47
    with DiscImage(sheet) as disc, DiscImage(out / "disc.cue") as again:
        np.testing.assert_array_equal(whole(again), whole(disc))
    for name in ("reading.log", "reading.json"):
        checked = groove_inside("log", "check", out / name)
        assert checked.returncode == 0 and "good evidence" in checked.stdout
    assert groove_inside("cue", "check", out / "disc.cue").returncode == 0
    assert groove_inside("verify", out).returncode == 0


def test_some_tracks_alone_give_their_files_and_a_log(sheet: Path, tmp_path: Path) -> None:
    out = tmp_path / "out"
    done = groove_inside("disc", "read", sheet, "--out", out, "--track", "2", "--quick", "--json")
    assert [one["verdict"] for one in json.loads(done.stdout)["tracks"]] == ["read once"]
    assert sorted(path.name for path in out.iterdir()) == ["02.flac", "reading.json", "reading.log"]


def test_an_altered_log_fails_the_check(sheet: Path, tmp_path: Path) -> None:
    out = tmp_path / "out"
    groove_inside("disc", "read", sheet, "--out", out)
    path = out / "reading.log"
    path.write_text(path.read_text().replace("good evidence", "full proof"))
    checked = groove_inside("log", "check", path)
    assert checked.returncode == 1
    assert "changed since it was closed" in checked.stderr and "Look for the log" in checked.stderr


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (["--gaps", "somewhere"], "no way to keep gaps"),
        (["--track", "9"], "no audio track 9"),
        (["--drive", "PROFILE"], "read_offset: Input should be less than or equal to 2939"),
        (["--out", "FULL"], "not an empty folder"),
    ],
)
def test_what_cannot_be_done_is_refused_and_nothing_is_written(
    sheet: Path, tmp_path: Path, arguments: list[str], said: str
) -> None:
    (tmp_path / "drive.json").write_text('{"read_offset": 5000}')
    full = tmp_path / "full"
    full.mkdir()
    (full / "mine.txt").write_text("mine")
    places = {"PROFILE": tmp_path / "drive.json", "FULL": full}
    words = [places.get(one, one) for one in arguments]
    out = [] if "--out" in words else ["--out", tmp_path / "out"]
    done = groove_inside("disc", "read", sheet, *out, *words)
    assert done.returncode == 1 and said in done.stderr
    assert not (tmp_path / "out").exists() and [one.name for one in full.iterdir()] == ["mine.txt"]
