"""The level meter against BS.1770 annex 2, the true-peak cases of EBU Tech 3341, and plain arithmetic."""

from __future__ import annotations

import numpy as np
import pytest

from inkwell_groove.core.measure.loudness import Loudness
from inkwell_groove.core.transfer.block import Block, from_float
from inkwell_groove.core.transfer.meter import HISTORY_S, WINDOWS_PER_S, Meter
from inkwell_groove.devices.source import RATES_HZ
from tests.core.transfer.scenes import Audio
from tests.sounds import sine


def fed(audio: Audio, *, rate_hz: int = 48_000, block: int = 960, bits: int = 24) -> Meter:
    meter = Meter(rate_hz=rate_hz, channels=audio.shape[1], bits=bits)
    whole = from_float(audio)
    for number, first in enumerate(range(0, len(whole), block)):
        meter.feed(Block(number, first, 0.0, whole[first : first + block]))
    return meter


@pytest.mark.parametrize(
    ("divisor", "phase", "amplitude", "dbtp"),
    [
        pytest.param(4, 0.0, 0.5, -6.0, id="Tech 3341 case 15"),
        pytest.param(4, 45.0, 0.5, -6.0, id="Tech 3341 case 16"),
        pytest.param(6, 60.0, 0.5, -6.0, id="Tech 3341 case 17"),
        pytest.param(8, 67.5, 0.5, -6.0, id="Tech 3341 case 18"),
    ],
)
@pytest.mark.parametrize("rate_hz", [48_000, 44_100, 96_000])
def test_true_peak_of_the_reference_tones(
    divisor: int, phase: float, amplitude: float, dbtp: float, rate_hz: int
) -> None:
    audio = sine(rate_hz / divisor, 2, rate_hz=rate_hz, phase_degrees=phase) * amplitude
    fade = np.minimum(1, np.minimum(np.arange(len(audio)), np.arange(len(audio))[::-1]) / 4_800)[:, None]
    for value in fed(audio * fade, rate_hz=rate_hz).hold().true_peak_dbtp:
        assert value is not None
        assert dbtp - 0.4 <= value <= dbtp + 0.2  # the tolerance of Tech 3341


@pytest.mark.parametrize("rate_hz", RATES_HZ)
def test_every_rate_that_is_offered_can_be_metered(rate_hz: int) -> None:
    """From 176.4 kHz on BS.1770-5 annex 2 asks for no oversampling: at 12 kHz samples lie close enough to the peak."""
    for value in fed(sine(12_000, 1, rate_hz=rate_hz) * 0.5, rate_hz=rate_hz).hold().true_peak_dbtp:
        assert value == pytest.approx(-6.02, abs=0.3)


def test_a_true_peak_lies_above_the_samples_and_the_hold_keeps_it() -> None:
    meter = fed(np.concatenate([sine(12_000, 1, phase_degrees=45) * 0.5, np.zeros((48_000, 2))]))
    hold = meter.hold()
    assert hold.peak_dbfs[0] == pytest.approx(-9.03, abs=0.01)
    assert hold.true_peak_dbtp[0] == pytest.approx(-6.02, abs=0.3)
    meter.let_go()
    assert meter.hold().true_peak_dbtp == (None, None)


def test_rms_of_a_sine_is_three_decibels_below_its_peak() -> None:
    (*_, last) = fed(sine(1_000, 1, dbfs=-20)).history
    assert last.peak_dbfs[0] == pytest.approx(-20.0, abs=0.01)
    assert last.rms_dbfs[0] == pytest.approx(-23.01, abs=0.01)


def test_the_loudness_of_a_sine_at_minus_23_is_minus_23() -> None:
    # BS.1770: a stereo sine of 1 kHz; the recorder feeds its loudness from the same samples.
    loudness = Loudness(2, rate_hz=48_000)
    loudness.feed(from_float(sine(1_000, 5, dbfs=-23)).astype(np.float64) / 2.0**31)
    assert loudness.integrated_lufs() == pytest.approx(-23.0, abs=0.1)


@pytest.mark.parametrize("bits", [16, 24])
def test_clipped_samples_are_counted_in_runs_of_three_or_more(bits: int) -> None:
    top = 1.0 - 2.0 ** (1 - bits)
    audio = np.zeros((48_000, 2))
    audio[100:102, 0] = top  # two: chance
    audio[200:203, 0] = top
    audio[4_798:4_806, 1] = -1.0  # across the edge of a window
    assert fed(audio, bits=bits).hold().clipped_samples == (3, 8)


def test_windows_do_not_depend_on_the_blocks() -> None:
    audio = np.random.default_rng(1).uniform(-0.5, 0.5, (48_000, 2))
    one, other = (fed(audio, block=size).history for size in (480, 7_919))
    assert len(one) == WINDOWS_PER_S
    for a, b in zip(one, other, strict=True):
        assert a.peak_dbfs == b.peak_dbfs
        assert a.end_sample == b.end_sample
        assert a.true_peak_dbtp == pytest.approx(b.true_peak_dbtp)


def test_offset_and_balance_of_the_last_seconds() -> None:
    audio = sine(997, 4, dbfs=-20) * np.array([1.0, 10 ** (-3 / 20)]) + np.array([0.01, -0.02])
    hold = fed(audio).hold()
    assert hold.dc_offset == pytest.approx((0.01, -0.02), abs=2e-4)
    quiet = fed(sine(997, 4, dbfs=-20) * np.array([1.0, 10 ** (-3 / 20)])).hold()
    assert quiet.balance_db == pytest.approx(3.0, abs=0.02)


def test_hum_is_found_and_a_bass_note_is_not() -> None:
    rng = np.random.default_rng(3)
    noise = rng.standard_normal((48_000 * 20, 2)) * 1e-4
    hum = fed(noise + sine(50.0, 20, dbfs=-50)).hold()
    assert hum.hum_hz == pytest.approx(50.0, abs=0.13)
    assert hum.hum_dbfs == pytest.approx(-50.0, abs=1.0)
    assert fed(noise + sine(55.0, 20, dbfs=-30)).hold().hum_hz is None


@pytest.mark.parametrize(
    ("left", "right", "words"),
    [
        (1.0, 0.0, "right channel is silent"),
        (0.0, 1.0, "left channel is silent"),
        (1.0, 1.0, "Both channels are the same"),
        (1.0, -1.0, "against each other"),
    ],
)
def test_what_is_wrong_with_the_channels_is_said(left: float, right: float, words: str) -> None:
    mono = np.random.default_rng(4).standard_normal((48_000 * 4, 1)) * 0.05
    (trouble,) = fed(mono * np.array([left, right])).hold().troubles
    assert words in trouble


def test_a_proper_stereo_pair_is_no_trouble() -> None:
    rng = np.random.default_rng(5)
    common, own = rng.standard_normal((192_000, 1)), rng.standard_normal((192_000, 2))
    assert fed((common + 0.3 * own) * 0.05).hold().troubles == ()


def test_the_history_goes_back_three_minutes_and_no_further() -> None:
    meter = Meter(rate_hz=8_000, channels=1, bits=24)
    silence = np.zeros((8_000, 1), dtype=np.int32)
    for number in range(HISTORY_S + 20):
        meter.feed(Block(number, number * 8_000, 0.0, silence))
    assert len(meter.history) == HISTORY_S * WINDOWS_PER_S
