"""The carriers beside the simulated decks are what the demo's scenario says of them, and their truth is true."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile

from inkwell_groove.core.audio.soundfiles import FileReader
from inkwell_groove.core.measure.report import measure
from inkwell_groove.core.transfer.block import Block
from inkwell_groove.core.transfer.stopping import Ends, StopWatch
from inkwell_groove.demo.carriers import RATE_HZ
from inkwell_groove.devices.carriers import CarrierShelf


@pytest.fixture(scope="module")
def folder(demo_carriers: Path) -> Path:
    return demo_carriers


def truth(folder: Path, shelfmark: str) -> Any:
    return json.loads((folder / f"{shelfmark}.truth.json").read_text())


def sound(folder: Path, name: str) -> np.ndarray:
    return soundfile.read(str(folder / name), always_2d=True)[0]


def test_the_decks_know_them(folder: Path) -> None:
    shelf = CarrierShelf(folder)
    single, _, cassette = shelf.all()
    assert (single.kind, single.played_at, [side.letter for side in single.sides]) == ("record", "45", ["A", "B"])
    assert (cassette.kind, len(cassette.sides)) == ("cassette", 1)
    assert shelf.sound(single.sides[0]).is_file()


def test_the_scratch_comes_once_a_turn(folder: Path) -> None:
    audio = sound(folder, "WH-0031 A.flac")[:, 0]
    (track,) = truth(folder, "WH-0031")[0]["tracks"]
    turn = round(60 / 45 * RATE_HZ)
    first = track["start_sample"] + 9 * RATE_HZ
    heights = [np.abs(np.diff(audio[at : at + 90], n=2)).max() for at in range(first, first + 10 * turn, turn)]
    between = [np.abs(np.diff(audio[at + turn // 2 :][:90], n=2)).max() for at in range(first, first + 10 * turn, turn)]
    assert min(heights) > 2 * np.median(between)


def test_the_run_out_of_the_single_ends_its_recording(folder: Path) -> None:
    samples, _ = soundfile.read(str(folder / "WH-0031 A.flac"), dtype="int32", always_2d=True)
    watch = StopWatch(Ends(silence_s=None), rate_hz=RATE_HZ, channels=2, idle_high_dbfs=-100.0)
    card = json.loads((folder / "WH-0031.carrier.json").read_text())
    out = card["sides"][0]["run_out_sample"]
    going_round = np.concatenate([samples, samples[out:]])
    reasons = (
        watch.feed(Block(0, at, 0.0, going_round[at : at + 960])) for at in range(0, len(going_round) - 960, 960)
    )
    assert next(reason for reason in reasons if reason) == "run-out groove"


def test_the_cassette_leans_hisses_and_drops_out(folder: Path) -> None:
    with FileReader(folder / "WH-0057 A.flac") as reader:
        found = measure(reader)
    assert found.channel_delay_samples == pytest.approx(60e-6 * RATE_HZ, abs=0.3)
    assert all(-62 < (floor or 0) < -48 for floor in found.noise_floor_dbfs)
    tracks = truth(folder, "WH-0057")[0]["tracks"]
    assert [track["title"] for track in tracks] == ["Net Menders", "Brickyard Gate", "Kiln Lane, evening"]
    assert tracks[0]["end_sample"] - tracks[0]["start_sample"] == pytest.approx(26 * 1.012 * RATE_HZ, abs=2)
    audio = sound(folder, "WH-0057 A.flac")[:, 0]
    at = tracks[1]["start_sample"] + 7 * RATE_HZ
    inside = audio[at + 500 : at + 5_000].std()
    assert inside < 0.3 * audio[at - 24_000 : at].std()


def test_the_shellac_plays_slow_and_crackles(folder: Path) -> None:
    sides = truth(folder, "WH-0044")
    assert sides[0]["speed_ratio"] == pytest.approx(45 / 78.26)
    (track,) = sides[0]["tracks"]
    assert track["end_sample"] - track["start_sample"] == pytest.approx(30 * 78.26 / 45 * RATE_HZ, abs=2)
    audio = sound(folder, "WH-0044 A.flac")
    groove = audio[: track["start_sample"]]
    assert np.abs(groove).max() > 10 * groove.std()  # crackle, not hiss
    assert np.corrcoef(audio[:, 0], audio[:, 1])[0, 1] > 0.5  # cut in mono
