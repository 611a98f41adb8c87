"""What is heard, frame by frame: the level of three bands, from which starting and stopping are judged.

Frames of 20 ms, Hann window, power spectrum; each band's level is its power as of a sine, the louder channel's. The
lower band is where thumps and rumble live, the middle one music, the upper one the hiss of a groove or a tape.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from inkwell_groove.core.audio.packing import Whole

FRAME_S = 0.02
_BANDS_HZ = ((20.0, 150.0), (250.0, 4_000.0), (5_000.0, 12_000.0))
SILENT_DBFS = -140.0
_TOGETHER = 5


class Heard(NamedTuple):
    """One frame: samples [first_sample, first_sample + frame), and the levels of its bands in dBFS."""

    first_sample: int
    low_dbfs: float
    middle_dbfs: float
    high_dbfs: float


class Ear:
    """Cuts what comes into frames and measures their bands."""

    def __init__(self, *, rate_hz: int, channels: int) -> None:
        self.frame_samples = round(FRAME_S * rate_hz)
        self._rest = np.zeros((0, channels), dtype=np.int32)
        self._at: int | None = None
        window = np.hanning(self.frame_samples)
        self._window = (window / (window.sum() / 2.0) / 2.0**31).astype(np.float32)
        hz = np.fft.rfftfreq(self.frame_samples, 1.0 / rate_hz)
        top = 0.45 * rate_hz
        edges = [(np.searchsorted(hz, low), np.searchsorted(hz, min(high, top))) for low, high in _BANDS_HZ]
        self._bands = [slice(int(first), int(last)) for first, last in edges]

    def feed(self, first_sample: int, samples: Whole) -> Iterator[Heard]:
        """The frames that became whole. Samples must follow each other; a gap starts a new frame."""
        if self._at is None or self._at + len(self._rest) != first_sample:
            self._at, self._rest = first_sample, samples[:0]
        joined = np.concatenate((self._rest, samples)) if len(self._rest) else samples
        # A tenth of a second together: measuring frame by frame costs thrice as much, and nobody decides sooner.
        count = len(joined) // self.frame_samples // _TOGETHER * _TOGETHER
        whole = count * self.frame_samples
        levels = self._levels(joined[:whole], count)
        first = self._at
        self._at, self._rest = first + whole, joined[whole:].copy()
        for index in range(count):
            yield Heard(first + index * self.frame_samples, *(float(one) for one in levels[index]))

    def _levels(self, samples: Whole, count: int) -> npt.NDArray[np.float64]:
        if not count:
            return np.zeros((0, 3))
        frames = samples.reshape(count, self.frame_samples, -1).astype(np.float32)
        frames -= frames.mean(axis=1, keepdims=True)  # a converter's offset is not a sound
        frames *= self._window[:, None]
        # Frames side by side in memory: the transform and the sums then run along it.
        spectrum = np.fft.rfft(np.ascontiguousarray(frames.transpose(0, 2, 1)), axis=2)
        power = spectrum.real**2 + spectrum.imag**2
        bands = np.stack([power[:, :, band].sum(axis=2).max(axis=1) for band in self._bands], axis=1)
        return np.asarray(np.maximum(10.0 * np.log10(np.maximum(bands, 1e-30)), SILENT_DBFS), dtype=np.float64)


def mains_share(signal: npt.NDArray[np.float64], *, rate_hz: int) -> float:
    """How much of a signal's power between 100 Hz and 4 kHz lies on multiples of 50 or 60 Hz, 0 to 1.

    A finger on a cartridge or a lost earth buzzes as loud as music and as long; music does not sit on the mains.
    """
    power = np.abs(np.fft.rfft(signal * np.hanning(len(signal)))) ** 2
    hz = np.fft.rfftfreq(len(signal), 1.0 / rate_hz)
    inside = (hz > 100.0) & (hz < 4_000.0)
    total = float(power[inside].sum())
    reach_hz = max(3.0, 2.0 * rate_hz / len(signal))
    shares = [float(power[inside & (np.abs(hz - mains * np.rint(hz / mains)) < reach_hz)].sum()) for mains in (50, 60)]
    return max(shares) / total if total > 0 else 0.0
