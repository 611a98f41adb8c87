"""`groove` as scripts use it: exit statuses, one line on stderr, reports that hold their shape."""

from __future__ import annotations

import json
import subprocess
from pathlib import Path

import pytest

from inkwell_groove.core.audio.rendering import WordLength
from inkwell_groove.core.audio.soundfiles import FileReader
from inkwell_groove.core.audio.writing import write_track
from launcher.places import ROOT
from tests.cli.inside import groove_inside
from tests.sounds import noise, record_side, write

# A report's fields are a contract: added to, never renamed.
MEASURED = (
    "container word rate_hz channels samples duration_s sample_peak_dbfs true_peak_dbtp rms_dbfs clipped_runs "
    "clipped_samples dc_offset noise_floor_dbfs loudness_lufs hum_hz hum_dbfs balance_db channel_delay_samples"
)


def groove(*arguments: str | Path) -> subprocess.CompletedProcess[str]:
    return subprocess.run([ROOT / "groove", *arguments], capture_output=True, text=True, check=False)


@pytest.fixture(scope="module")
def side(shared_folder: Path) -> tuple[Path, list[tuple[int, int]]]:
    path = shared_folder / "cli side.wav"
    return path, record_side(path)


@pytest.mark.slow
def test_measure_reports_every_figure_with_its_unit(side: tuple[Path, list[tuple[int, int]]], tmp_path: Path) -> None:
    done = groove("measure", side[0], "--json", "--report", tmp_path / "report.json")
    assert done.returncode == 0, done.stderr
    report = json.loads(done.stdout)
    assert json.loads((tmp_path / "report.json").read_text()) == report
    assert set(report) == set(MEASURED.split())
    assert (report["container"], report["word"], report["rate_hz"]) == ("WAV", "s16", 44_100)
    assert report["balance_db"] == pytest.approx(0.915, abs=0.02)  # the right channel was made 0.9 of the left


@pytest.mark.slow
def test_tracks_reports_starts_and_ends_in_seconds(side: tuple[Path, list[tuple[int, int]]]) -> None:
    path, truth = side
    report = json.loads(groove("tracks", path, "--json").stdout)
    assert {"tracks", "speed_ratio", "sides"} <= set(report)
    assert report["speed_ratio"] is None
    for track, (start, end) in zip(report["tracks"], truth, strict=True):
        assert track["start"] == pytest.approx(start / 44_100, abs=0.1)
        assert track["end"] == pytest.approx(end / 44_100, abs=0.1)
        assert 0 <= track["confidence"] <= 1


def test_tracks_takes_durations_with_unknown_ones(side: tuple[Path, list[tuple[int, int]]]) -> None:
    report = json.loads(groove_inside("tracks", side[0], "--durations", "12.24,,11.22", "--json").stdout)
    assert [track["listed"] for track in report["tracks"]] == [0, 1, 2]
    assert report["speed_ratio"] is None  # two tracks of twelve seconds tell no speed to a thousandth
    assert groove_inside("tracks", side[0], "--count", "3").stdout.count("%") == 3


def test_verify_says_of_each_file_whether_it_is_sound(tmp_path: Path) -> None:
    with FileReader(write(tmp_path / "take.wav", noise(50_000))) as reader:
        write_track(reader, 0, 50_000, WordLength(bits=24), tmp_path / "good.flac")
    (tmp_path / "take.wav").unlink()
    assert groove_inside("verify", tmp_path).returncode == 0
    content = bytearray((tmp_path / "good.flac").read_bytes())
    content[len(content) // 2] ^= 0xFF
    (tmp_path / "bad.flac").write_bytes(content)
    done = groove_inside("verify", tmp_path, "--json")
    assert done.returncode == 1
    assert {file["file"]: file["verdict"] for file in json.loads(done.stdout)["files"]} == {
        "good.flac": "sound",
        "bad.flac": "faulty",
    }
    assert done.stderr.count("\n") == 1
    assert "1 faulty: bad.flac" in done.stderr


def test_cue_check_lists_every_fault_with_its_line(tmp_path: Path) -> None:
    sheet = tmp_path / "x.cue"
    sheet.write_text('FILE "a.flac" WAVE\n  TRACK 01 AUDIO\n    INDEX 01 00:00:00\n')
    assert groove_inside("cue", "check", sheet).returncode == 0
    sheet.write_text('FILE "a.flac" WAVE\n  TRACK 02 AUDIO\n    INDEX 01 00:00:99\n')
    done = groove_inside("cue", "check", sheet, "--json")
    assert done.returncode == 1
    assert [fault["line"] for fault in json.loads(done.stdout)["faults"]] == [3, 0]


@pytest.mark.parametrize("command", [["measure"], ["tracks"], ["verify"], ["cue", "check"]])
def test_what_is_not_there_is_one_line_and_status_1(command: list[str]) -> None:
    done = groove_inside(*command, "/nowhere/x.wav")
    assert done.returncode == 1
    assert done.stderr.startswith("groove: ")
    assert done.stderr.count("\n") == 1


@pytest.mark.parametrize(
    "arguments", [["measure"], ["measure", "--loud", "x"], ["tracks", "x.wav", "--count", "many"], ["shout"]]
)
def test_wrong_usage_is_status_2(arguments: list[str]) -> None:
    assert groove_inside(*arguments).returncode == 2


def test_durations_that_are_none_are_refused(side: tuple[Path, list[tuple[int, int]]]) -> None:
    done = groove_inside("tracks", side[0], "--durations", "3:12,4:10")
    assert done.returncode == 1
    assert "is not a list of seconds" in done.stderr
