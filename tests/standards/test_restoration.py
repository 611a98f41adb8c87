"""Restoration against answers that are known: closed forms, the tables of the standards, arithmetic."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.signal import lfilter

from inkwell_groove.core.restoration.channels import Delayed, delay_us
from inkwell_groove.core.restoration.curves import CURVES, FLAT, MICROGROOVE, Curve, correction
from inkwell_groove.core.restoration.hum import HumFree, follow
from inkwell_groove.core.restoration.linear import Weighed, grid_hz
from inkwell_groove.core.restoration.mending import lost
from inkwell_groove.core.restoration.speed import AtSpeed
from tests.streams import Held

# IEC 60098: playback in dB over 1 kHz, computed from 3180, 318 and 75 microseconds.
_IEC_60098 = {
    20: 19.274,
    50: 16.946,
    100: 13.088,
    200: 8.219,
    500: 2.648,
    1000: 0.0,
    2000: -2.589,
    5000: -8.210,
    10000: -13.734,
    20000: -19.620,
}


@pytest.mark.parametrize("order", [2, 8, 24])
@pytest.mark.parametrize("gap", [1, 7, 60])
def test_a_gap_in_an_ar_process_is_filled_with_the_least_squares_answer(order: int, gap: int) -> None:
    """Janssen, Veldhuis and Vries 1986: the excitation of all samples that the gap reaches is made least."""
    rng = np.random.default_rng([order, gap])
    poles = 0.93 * np.exp(1j * rng.uniform(0.1, 3.0, order // 2))
    filter_ = np.real(np.poly(np.concatenate([poles, poles.conj()])))
    sound = lfilter([1.0], filter_, rng.standard_normal(600))
    start = 270
    rows = np.array(
        [np.concatenate([np.zeros(i), filter_[::-1], np.zeros(600 - order - 1 - i)]) for i in range(600 - order)]
    )
    inside = np.zeros(600, bool)
    inside[start : start + gap] = True
    closed_form, *_ = np.linalg.lstsq(rows[:, inside], -rows[:, ~inside] @ sound[~inside], rcond=None)
    broken = sound.copy()
    broken[inside] = 1e3
    assert np.abs(lost(broken, start, start + gap, filter_) - closed_form).max() < 1e-9 * np.abs(sound).max()


def _through(curve_hz: float, rate_hz: int, played: Curve, cut: Curve) -> float:
    """The level in dB of a tone after the correction."""
    t = np.arange(2 * rate_hz) / rate_hz
    tone = np.sin(2 * np.pi * curve_hz * t)[:, None]
    hz = np.maximum(grid_hz(rate_hz), 0.5)
    out = Weighed(Held(tone, rate_hz), correction(hz, played, cut)).read(0, len(tone))
    middle = slice(rate_hz // 2, 3 * rate_hz // 2)
    wave = np.exp(-2j * np.pi * curve_hz * t[middle]) * np.hanning(rate_hz)
    return float(20 * np.log10(np.abs(wave @ out[middle, 0]) / np.abs(wave @ tone[middle, 0])))


@pytest.mark.parametrize("rate_hz", [44_100, 96_000, 192_000])
@pytest.mark.parametrize("hz", _IEC_60098)
def test_the_microgroove_curve_is_that_of_the_standard_up_to_20_khz(hz: int, rate_hz: int) -> None:
    assert _through(hz, rate_hz, FLAT, MICROGROOVE) == pytest.approx(_IEC_60098[hz], abs=0.05)


def test_the_bilinear_transform_would_have_missed_it() -> None:
    """What is avoided: at 44.1 kHz it is 4.6 dB off at 15 kHz and infinitely so at half the rate."""
    from scipy.signal import bilinear, freqz

    t1, t2, t3 = 3180e-6, 318e-6, 75e-6
    b, a = bilinear([t2, 1.0], [t1 * t3, t1 + t3, 1.0], fs=44_100)
    _, response = freqz(b, a, worN=[1_000.0, 15_000.0], fs=44_100)
    exact = np.abs(MICROGROOVE.response(np.array([15_000.0]))[0])
    assert 20 * np.log10(abs(response[1] / response[0]) / exact) < -4.0


@pytest.mark.parametrize(
    ("name", "rolloff_db"),
    [("500/-13.7", -13.7), ("500/-16", -16.0), ("400/-12", -12.0), ("500/-10.5", -10.5), ("250/-5", -5.0)],
)
def test_older_curves_have_the_rolloff_they_are_named_by(name: str, rolloff_db: float) -> None:
    """Handbooks name a curve by the treble cut alone at 10 kHz (IASA-TC 04 tabulates them; from memory)."""
    only_treble = CURVES[name].model_copy(update={"turnover_us": None})
    at_10k, far_below = np.abs(only_treble.response(np.array([10_000.0, 1.0])))
    assert 20 * np.log10(at_10k / far_below) == pytest.approx(rolloff_db, abs=0.45)  # names are rounded
    told = Curve.of(500.0, rolloff_db)
    assert told.rolloff_us == pytest.approx(CURVES[name].rolloff_us, rel=0.1)


def test_a_record_played_at_45_comes_back_at_78() -> None:
    """78.26 over 45 is 1.7391: a tone of 1 kHz becomes 1739.1 Hz (common practice)."""
    rate_hz = 44_100
    t = np.arange(8 * rate_hz) / rate_hz
    fast = AtSpeed(Held(np.sin(2 * np.pi * 1_000.0 * t)[:, None], rate_hz), 78.26 / 45.0)
    sound = fast.read(0, fast.samples)[4_000:-4_000, 0]
    size = 1 << 22
    spectrum = np.abs(np.fft.rfft(sound * np.hanning(len(sound)), size))
    assert np.argmax(spectrum) * rate_hz / size == pytest.approx(1_739.1, rel=1e-4)
    assert fast.samples / rate_hz == pytest.approx(8 / 1.7391, rel=1e-4)


@pytest.mark.parametrize("delay_samples", [0.0, 0.3, -1.7, 5.25])
def test_azimuth_is_measured_and_put_right_to_a_tenth_of_a_sample(delay_samples: float) -> None:
    rate_hz, rng = 44_100, np.random.default_rng(4)
    spectrum = np.fft.rfft(rng.standard_normal(1 << 18))
    hz = np.fft.rfftfreq(1 << 18, 1 / rate_hz)
    spectrum[(hz < 100) | (hz > 15_000)] = 0
    left = np.fft.irfft(spectrum)
    right = np.fft.irfft(spectrum * np.exp(-2j * np.pi * hz * delay_samples / rate_hz))
    both = np.column_stack([left, right]) + rng.standard_normal((1 << 18, 2)) * 0.02 * left.std()
    found = delay_us(Held(both, rate_hz))
    assert found is not None
    assert found * 1e-6 * rate_hz == pytest.approx(delay_samples, abs=0.02)
    again = delay_us(Delayed(Held(both, rate_hz), -found * 1e-6 * rate_hz))
    assert again is not None
    assert abs(again * 1e-6 * rate_hz) < 0.02


@pytest.mark.slow
@pytest.mark.parametrize("drift", ["sways", "climbs"])
def test_hum_that_drifts_goes_and_a_tone_beside_it_stays(drift: str) -> None:
    rate_hz = 44_100
    t = np.arange(30 * rate_hz) / rate_hz
    mains = 50.0 + (0.1 * np.sin(2 * np.pi * t / 30.0) if drift == "sways" else 0.2 * t / 30.0)
    phase = 2 * np.pi * np.cumsum(mains) / rate_hz
    hum = 0.05 * np.sin(phase) + 0.012 * np.sin(3 * phase + 0.5)
    tone = 0.05 * np.sin(2 * np.pi * 235.0 * t) + 0.05 * np.sin(2 * np.pi * 135.0 * t)
    rng = np.random.default_rng(0)
    sound = np.repeat((hum + tone)[:, None], 2, axis=1) + 1e-5 * rng.standard_normal((len(t), 2))
    track = follow(Held(sound, rate_hz))
    assert track is not None
    left = HumFree(Held(sound, rate_hz), track).read(0, len(sound))[:, 0]
    assert 20 * np.log10((left - tone).std() / hum.std()) < -40.0
    for hz in (235.0, 135.0):
        wave = np.exp(-2j * np.pi * hz * t) * np.hanning(len(t))
        assert abs(20 * np.log10(abs(wave @ left) / abs(wave @ tone))) < 0.1
