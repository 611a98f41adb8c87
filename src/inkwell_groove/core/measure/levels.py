"""Peaks, clipping, offset, balance: what can be said of the samples themselves."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from scipy.signal import firwin, upfirdn

from inkwell_groove.core.sound import Audio

MIN_CLIPPED_RUN = 3  # samples in a row at the same extreme: one may be chance, three are not (common practice)


def dbfs(value: float) -> float | None:
    """20 log10 of a full-scale value; none for digital silence, which has no level."""
    return 20.0 * float(np.log10(value)) if value > 0 else None


class SampleLevels:
    """Sample peak, mean (DC), RMS and runs at full scale, channel by channel."""

    def __init__(self, channels: int, *, top: float) -> None:
        """`top` is the largest value the word can hold, as full scale 1.0: 32767/32768 for 16 bit."""
        self._top = top
        self._samples = 0
        self._sum = np.zeros(channels)
        self._power = np.zeros(channels)
        self._peak = np.zeros(channels)
        self._run = np.zeros(channels, dtype=np.int64)
        self.clipped_runs = np.zeros(channels, dtype=np.int64)
        self.clipped_samples = np.zeros(channels, dtype=np.int64)

    def feed(self, audio: Audio) -> None:
        self._samples += len(audio)
        self._sum += audio.sum(axis=0)
        self._power += (audio**2).sum(axis=0)
        self._peak = np.maximum(self._peak, np.abs(audio).max(axis=0, initial=0.0))
        for channel in range(audio.shape[1]):
            self._count_runs(audio[:, channel], channel)

    def _count_runs(self, signal: npt.NDArray[np.float64], channel: int) -> None:
        at_top = (signal >= self._top) | (signal <= -1.0)
        if not at_top.any():
            self._close_run(channel)
            return
        edges = np.flatnonzero(np.diff(np.concatenate(([0], at_top.astype(np.int8), [0]))))
        for start, end in zip(edges[::2], edges[1::2], strict=True):
            if start > 0:
                self._close_run(channel)
            self._run[channel] += end - start
            if end < len(signal):
                self._close_run(channel)

    def _close_run(self, channel: int) -> None:
        if self._run[channel] >= MIN_CLIPPED_RUN:
            self.clipped_runs[channel] += 1
            self.clipped_samples[channel] += self._run[channel]
        self._run[channel] = 0

    def finish(self) -> None:
        for channel in range(len(self._run)):
            self._close_run(channel)

    @property
    def peak(self) -> npt.NDArray[np.float64]:
        return self._peak

    @property
    def mean(self) -> npt.NDArray[np.float64]:
        return self._sum / max(1, self._samples)

    @property
    def rms(self) -> npt.NDArray[np.float64]:
        return np.asarray(np.sqrt(self._power / max(1, self._samples)))


class TruePeak:
    """The largest value between the samples: four times oversampled by a windowed-sinc interpolator (BS.1770 annex 2).

    Rates above 96 kHz need no more than two times, above 176.4 kHz none.
    """

    def __init__(self, channels: int, *, rate_hz: int) -> None:
        self._factor = 4 if rate_hz <= 96_000 else 2 if rate_hz < 176_400 else 1
        taps = self._factor * 24 + 1
        self._filter = firwin(taps, 1.0 / self._factor, window=("kaiser", 9.0)) * self._factor
        self._tail = np.zeros((25, channels))
        self.peak = np.zeros(channels)

    def feed(self, audio: Audio) -> None:
        if not len(audio):
            return
        joined = np.concatenate((self._tail, audio))
        self._tail = joined[-25:]
        if self._factor == 1:
            self.peak = np.maximum(self.peak, np.abs(audio).max(axis=0))
            return
        # Blocks in which even a doubled sample peak would not beat the peak so far are not worth interpolating.
        if np.all(2.0 * np.abs(joined).max(axis=0) <= self.peak):
            return
        for channel in range(audio.shape[1]):
            up = upfirdn(self._filter, joined[:, channel], up=self._factor)
            settled = up[25 * self._factor : len(joined) * self._factor]
            self.peak[channel] = max(self.peak[channel], float(np.abs(settled).max(initial=0.0)))
        self.peak = np.maximum(self.peak, np.abs(audio).max(axis=0))

    def finish(self) -> None:
        """Lets the filter ring out, so that a peak in the very last samples is seen."""
        self.feed(np.zeros((25, len(self.peak))))
