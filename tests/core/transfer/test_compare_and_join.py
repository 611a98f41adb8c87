"""Two takes beside each other, and takes one behind the other."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import numpy.typing as npt
import pytest
import soundfile
import soxr
from scipy.signal import butter, sosfilt

from inkwell_groove.core.audio import bext, riff
from inkwell_groove.core.errors import Refused
from inkwell_groove.core.transfer.compare import compare
from inkwell_groove.core.transfer.joining import write_joined
from tests.sounds import ArrayReader, noise, write

RATE_HZ = 22_050


def music(seconds: float = 60.0, seed: int = 1) -> npt.NDArray[np.float64]:
    """Notes of changing strength: an envelope one can recognise."""
    rng = np.random.default_rng(seed)
    samples = round(seconds * RATE_HZ)
    t = np.arange(samples) / RATE_HZ
    steps = rng.uniform(0.03, 0.3, round(seconds * 4) + 1)
    strength = sosfilt(butter(1, 6, fs=RATE_HZ, output="sos"), steps[(t * 4).astype(int)])
    wave = np.sin(2 * np.pi * 330 * t) + 0.4 * np.sin(2 * np.pi * 1_250 * t)
    return np.column_stack([wave * strength, wave * strength]) + 1e-4 * rng.standard_normal((samples, 2))


def reader(audio: npt.NDArray[np.float64]) -> ArrayReader:
    return ArrayReader(audio.astype(np.float32), RATE_HZ, "f32")


def test_a_take_beside_itself_differs_nowhere() -> None:
    found = compare(reader(music()), reader(music()))
    assert found.same_recording
    assert (found.offset_s, found.level_db) == (pytest.approx(0, abs=0.002), pytest.approx(0, abs=0.01))
    assert found.speed_ratio == pytest.approx(1.0, abs=2e-4)
    assert found.differences == ()
    assert found.first == found.second


def test_level_offset_and_speed_are_found() -> None:
    audio = music(90)
    faster = soxr.resample(audio, RATE_HZ * 1.006, RATE_HZ, "HQ") * 10 ** (-4 / 20)
    found = compare(reader(audio), reader(np.concatenate([np.zeros((round(1.7 * RATE_HZ), 2)), faster])))
    assert found.speed_ratio == pytest.approx(1.006, abs=5e-4)
    assert found.offset_s == pytest.approx(1.7, abs=0.03)
    assert found.level_db == pytest.approx(-4.0, abs=0.15)
    assert [one for one in found.differences if one.kind == "time"] == []


def test_half_a_second_that_is_missing_is_found_where_it_is() -> None:
    audio = music(80)
    cut = np.concatenate([audio[: 40 * RATE_HZ], audio[round(40.5 * RATE_HZ) :]])
    (skip,) = [one for one in compare(reader(audio), reader(cut)).differences if one.kind == "time"]
    assert skip.start_sample <= 40.5 * RATE_HZ
    assert skip.end_sample >= 40 * RATE_HZ - 12 * RATE_HZ
    assert "0.50 s" in skip.words


def test_a_click_in_one_take_alone_is_found_on_its_side() -> None:
    audio, clicked = music(), music()
    clicked[round(33.333 * RATE_HZ)] += 0.6
    found = compare(reader(audio), reader(clicked))
    (click,) = found.differences
    assert click.kind == "only in the second"
    assert click.start_sample == pytest.approx(33.333 * RATE_HZ, abs=0.02 * RATE_HZ)
    assert found.second.clicks_per_minute == 1.0
    (other,) = compare(reader(clicked), reader(audio)).differences
    assert other.kind == "only in the first"


def test_a_passage_that_is_softer_in_one_is_found() -> None:
    audio, faded = music(), music()
    faded[20 * RATE_HZ : 24 * RATE_HZ] *= 10 ** (-6 / 20)
    (level,) = compare(reader(audio), reader(faded)).differences
    assert level.kind == "level"
    assert abs(level.start_sample - 20 * RATE_HZ) < 1.1 * RATE_HZ
    assert abs(level.end_sample - 24 * RATE_HZ) < 1.1 * RATE_HZ
    assert "−" in level.words


def test_two_different_sides_do_not_lie_over_each_other() -> None:
    found = compare(reader(music(seed=1)), reader(music(seed=2)))
    assert not found.same_recording
    assert found.level_db is None


def test_silence_and_the_shortest_takes_are_answered() -> None:
    silence = np.zeros((RATE_HZ, 2))
    assert not compare(reader(silence), reader(music(5))).same_recording
    assert compare(reader(music(0.05)), reader(music(0.05))).first.duration_s == pytest.approx(0.05, abs=0.001)


@pytest.mark.parametrize(("bits", "form"), [(16, "FLAC"), (24, "WAV"), (24, "FLAC")])
def test_joined_takes_hold_both_sample_for_sample(tmp_path: Path, bits: int, form: str) -> None:
    one, other = (noise(count, bits=bits, seed=count) for count in (30_001, 12_345))
    paths = [write(tmp_path / f"{n}.x", data, subtype=f"PCM_{bits}", form=form) for n, data in enumerate((one, other))]
    target = tmp_path / "joined.wav"
    assert write_joined(paths, target, note="Joined from two.") == 42_346
    found, _ = soundfile.read(str(target), dtype="int32", always_2d=True)
    np.testing.assert_array_equal(found, np.concatenate([one, other]))
    with target.open("rb") as file:
        chunk = riff.read_chunk(file, b"bext", size=target.stat().st_size, name="joined.wav")
    assert chunk is not None
    assert bext.parse(chunk).description == "Joined from two."


def test_takes_of_two_formats_are_not_joined(tmp_path: Path) -> None:
    one = write(tmp_path / "a.wav", noise(100), 48_000)
    other = write(tmp_path / "b.wav", noise(100), 96_000)
    with pytest.raises(Refused, match="different formats"):
        write_joined([one, other], tmp_path / "joined.wav", note="")
    floats = write(tmp_path / "c.wav", np.zeros((10, 2), np.float32), subtype="FLOAT")
    with pytest.raises(Refused, match="f32"):
        write_joined([floats, floats], tmp_path / "joined2.wav", note="")
