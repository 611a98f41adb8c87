"""Levels and loudness against ITU-R BS.1770 and EBU Tech 3341 (figures from memory), and against pyloudnorm."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pyloudnorm
import pytest

from inkwell_groove.core.audio.soundfiles import FileReader
from inkwell_groove.core.measure.loudness import Loudness, k_weighting
from inkwell_groove.core.measure.report import Measures, measure
from tests.sounds import sine, write


def measured(tmp_path: Path, audio: np.ndarray, rate_hz: int = 48_000) -> Measures:
    path = write(tmp_path / "x.wav", audio, rate_hz, subtype="DOUBLE")
    with FileReader(path) as reader:
        return measure(reader)


def steps(*parts: tuple[float, float]) -> np.ndarray:
    """A 1 kHz stereo sine at each level in dBFS for so many seconds."""
    return np.concatenate([sine(1_000, seconds, dbfs=dbfs) for dbfs, seconds in parts])


@pytest.mark.parametrize(
    ("parts", "lufs"),
    [
        pytest.param([(-23, 20)], -23.0, id="Tech 3341 case 1"),
        pytest.param([(-33, 20)], -33.0, id="Tech 3341 case 2"),
        pytest.param([(-36, 10), (-23, 60), (-36, 10)], -23.0, id="Tech 3341 case 3: relative gate"),
        pytest.param([(-72, 10), (-36, 10), (-23, 60), (-36, 10), (-72, 10)], -23.0, id="Tech 3341 case 4: both gates"),
        pytest.param([(-26, 20), (-20, 20.1), (-26, 20)], -23.0, id="Tech 3341 case 5"),
    ],
)
def test_integrated_loudness_of_the_reference_signals(
    tmp_path: Path, parts: list[tuple[float, float]], lufs: float
) -> None:
    assert measured(tmp_path, steps(*parts)).loudness_lufs == pytest.approx(lufs, abs=0.1)


def test_k_weighting_at_48_khz_is_the_table_of_bs_1770() -> None:
    # BS.1770 tables 1 and 2, from memory.
    shelf, highpass = k_weighting(48_000)
    np.testing.assert_allclose(
        shelf,
        [1.53512485958697, -2.69169618940638, 1.19839281085285, 1, -1.69065929318241, 0.73248077421585],
        atol=1e-9,
    )
    np.testing.assert_allclose(highpass, [1, -2, 1, 1, -1.99004745483398, 0.99007225036621], atol=1e-9)


@pytest.mark.parametrize("rate_hz", [44_100, 48_000, 96_000])
def test_loudness_of_noise_agrees_with_pyloudnorm(rate_hz: int) -> None:
    rng = np.random.default_rng(4)
    audio = rng.standard_normal((rate_hz * 6, 2)) * np.linspace(0.01, 0.2, rate_hz * 6)[:, None]
    ours = Loudness(2, rate_hz=rate_hz)
    for first in range(0, len(audio), 10_007):  # blocks of an odd size must not matter
        ours.feed(audio[first : first + 10_007])
    # Two implementations, so the tolerance of Tech 3341 between meters: 0.1 LU.
    assert ours.integrated_lufs() == pytest.approx(pyloudnorm.Meter(rate_hz).integrated_loudness(audio), abs=0.1)


@pytest.mark.parametrize(
    ("divisor", "phase", "amplitude", "dbtp"),
    [
        pytest.param(4, 0.0, 0.5, -6.0, id="Tech 3341 case 15"),
        pytest.param(4, 45.0, 0.5, -6.0, id="Tech 3341 case 16"),
        pytest.param(6, 60.0, 0.5, -6.0, id="Tech 3341 case 17"),
        pytest.param(8, 67.5, 0.5, -6.0, id="Tech 3341 case 18"),
        pytest.param(4, 45.0, 1.41, 3.0, id="Tech 3341 case 19"),
    ],
)
def test_true_peak_between_samples(tmp_path: Path, divisor: int, phase: float, amplitude: float, dbtp: float) -> None:
    audio = sine(48_000 / divisor, 2, phase_degrees=phase) * amplitude
    fade = np.minimum(1, np.minimum(np.arange(len(audio)), np.arange(len(audio))[::-1]) / 4_800)[:, None]
    found = measured(tmp_path, audio * fade)
    for value in found.true_peak_dbtp:
        assert value is not None
        assert dbtp - 0.4 <= value <= dbtp + 0.2  # the tolerance of Tech 3341


def test_levels_of_a_full_scale_sine(tmp_path: Path) -> None:
    found = measured(tmp_path, sine(997, 3, dbfs=-6.0))
    assert found.sample_peak_dbfs[0] == pytest.approx(-6.0, abs=0.01)
    assert found.rms_dbfs[0] == pytest.approx(-6.0 - 3.01, abs=0.01)  # a sine's RMS lies 3.01 dB under its peak
    assert found.balance_db == pytest.approx(0.0, abs=1e-9)
    assert found.dc_offset[0] == pytest.approx(0.0, abs=1e-4)


def test_hum_balance_delay_and_offset_are_found(tmp_path: Path) -> None:
    rng = np.random.default_rng(9)
    music = rng.standard_normal(48_000 * 20) * 0.05
    left = music + 0.002 * np.sin(2 * np.pi * 50 * np.arange(len(music)) / 48_000) + 0.01
    right = np.roll(music, 3) * 0.5
    found = measured(tmp_path, np.column_stack([left, right]))
    assert found.hum_hz == pytest.approx(50.0, abs=0.2)
    assert found.channel_delay_samples == pytest.approx(3.0, abs=0.1)
    assert found.balance_db == pytest.approx(20 * np.log10(np.hypot(0.05, 0.0101) / 0.025), abs=0.2)
    assert found.dc_offset == pytest.approx([0.01, 0.0], abs=5e-4)


def test_silence_has_no_level(tmp_path: Path) -> None:
    found = measured(tmp_path, np.zeros((48_000, 2)))
    assert found.sample_peak_dbfs == [None, None]
    assert found.loudness_lufs is None
    assert found.hum_hz is None


def test_noise_floor_is_the_quietest_tenth(tmp_path: Path) -> None:
    rng = np.random.default_rng(2)
    audio = np.concatenate([rng.standard_normal((48_000 * 18, 1)) * 0.1, rng.standard_normal((48_000 * 2, 1)) * 0.001])
    assert measured(tmp_path, audio).noise_floor_dbfs[0] == pytest.approx(-60.0, abs=0.3)
