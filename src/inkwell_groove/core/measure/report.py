"""`groove measure`: every measure of a recording in one pass."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.audio.decibels import dbfs
from inkwell_groove.core.audio.sound import Audio, SoundFormat, SoundReader, to_float
from inkwell_groove.core.measure.chain import Hum, Pair
from inkwell_groove.core.measure.levels import SampleLevels, TruePeak
from inkwell_groove.core.measure.loudness import Loudness

_BLOCK_SAMPLES = 262_144
_FLOOR_BLOCK_S = 0.4


class Measures(BaseModel):
    """What was measured. Levels in dBFS are none for digital silence. Lists go by channel."""

    model_config = ConfigDict(frozen=True)

    container: str
    word: str
    rate_hz: int
    channels: int
    samples: int
    duration_s: float
    sample_peak_dbfs: list[float | None]
    true_peak_dbtp: list[float | None]
    rms_dbfs: list[float | None]
    clipped_runs: list[int] = Field(description="Runs of three or more samples at the word's limit.")
    clipped_samples: list[int]
    dc_offset: list[float] = Field(description="Mean, full scale 1.0.")
    noise_floor_dbfs: list[float | None] = Field(description="RMS of the quietest tenth of the 400 ms blocks.")
    loudness_lufs: float | None = Field(description="Integrated, ITU-R BS.1770-5.")
    hum_hz: float | None
    hum_dbfs: float | None
    balance_db: float | None = Field(description="RMS of the left channel over the right.")
    channel_delay_samples: float | None = Field(description="By how much the right channel lags the left.")


class NoiseFloor:
    """RMS of the quietest tenth of 400 ms blocks (block length as in ITU-R BS.1770), digital silence left aside."""

    def __init__(self, channels: int, *, rate_hz: int) -> None:
        self._block = round(_FLOOR_BLOCK_S * rate_hz)
        self._rest = np.zeros((0, channels))
        self._powers: list[Audio] = []

    def feed(self, audio: Audio) -> None:
        joined = np.concatenate((self._rest, audio))
        whole = len(joined) // self._block * self._block
        if whole:
            self._powers.append((joined[:whole] ** 2).reshape(-1, self._block, audio.shape[1]).mean(axis=1))
        self._rest = joined[whole:]

    def result_dbfs(self) -> list[float | None]:
        if not self._powers:
            return [None] * self._rest.shape[1]
        floors = []
        for powers in np.concatenate(self._powers).T:
            sounding = np.sort(powers[powers > 0])
            floors.append(
                dbfs(float(np.sqrt(sounding[: max(1, len(sounding) // 10)].mean()))) if len(sounding) else None
            )
        return floors


def measure(reader: SoundReader, *, progress: Callable[[float], None] | None = None) -> Measures:
    """All measures of a recording. Memory does not grow with its length."""
    form = reader.format
    samples = SampleLevels(form.channels, top=_largest(form))
    true_peak = TruePeak(form.channels, rate_hz=form.rate_hz)
    loudness = Loudness(form.channels, rate_hz=form.rate_hz)
    floor = NoiseFloor(form.channels, rate_hz=form.rate_hz)
    hum, pair = Hum(rate_hz=form.rate_hz), Pair(rate_hz=form.rate_hz)
    for first in range(0, form.samples, _BLOCK_SAMPLES):
        audio = to_float(reader.read(first, _BLOCK_SAMPLES), form.full_scale)
        for one in (samples, true_peak, loudness, floor, hum, pair):
            one.feed(audio)
        if progress:
            progress(min(1.0, (first + _BLOCK_SAMPLES) / form.samples))
    samples.finish()
    true_peak.finish()
    found_hum = hum.result()
    return Measures(
        container=form.container,
        word=form.word,
        rate_hz=form.rate_hz,
        channels=form.channels,
        samples=form.samples,
        duration_s=form.duration_s,
        sample_peak_dbfs=[dbfs(value) for value in samples.peak],
        true_peak_dbtp=[dbfs(value) for value in true_peak.peak],
        rms_dbfs=[dbfs(value) for value in samples.rms],
        clipped_runs=[int(value) for value in samples.clipped_runs],
        clipped_samples=[int(value) for value in samples.clipped_samples],
        dc_offset=[float(value) for value in samples.mean],
        noise_floor_dbfs=floor.result_dbfs(),
        loudness_lufs=loudness.integrated_lufs(),
        hum_hz=found_hum[0] if found_hum else None,
        hum_dbfs=found_hum[1] if found_hum else None,
        balance_db=_balance(samples),
        channel_delay_samples=pair.delay_samples(),
    )


def _largest(form: SoundFormat) -> float:
    return 1.0 if form.is_float else 1.0 - 2.0 ** (1 - form.bits)


def _balance(samples: SampleLevels) -> float | None:
    if len(samples.rms) != 2 or not all(samples.rms > 0):
        return None
    return float(20.0 * np.log10(samples.rms[0] / samples.rms[1]))
