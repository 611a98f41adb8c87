"""Peaks, clipping, offset, balance: what can be said of the samples themselves."""

from __future__ import annotations

import numba
import numpy as np
import numpy.typing as npt
import scipy

from inkwell_groove.core.audio.sound import Audio

_TAPS = 24  # of each phase of the interpolator
_CHUNK = 64  # samples that are looked at together
MIN_CLIPPED_RUN = 3  # samples in a row at the same extreme: one may be chance, three are not (common practice)


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
    """The largest value between the samples: oversampled by a windowed-sinc interpolator (BS.1770-5 annex 2).

    Four times at 44.1 and 48 kHz, two times at 88.2 and 96 kHz, not at all from 176.4 kHz on: the annex asks for
    192 kHz in the end, and for proportionately less where the rate is higher.
    """

    def __init__(self, channels: int, *, rate_hz: int) -> None:
        self._factor = 4 if rate_hz <= 50_000 else 2 if rate_hz <= 100_000 else 1
        self._tail = np.zeros((_TAPS - 1, channels))
        self.peak = np.zeros(channels)
        if self._factor == 1:
            # The samples themselves are all there is to look at; a filter that lets everything pass cannot be made.
            self._phases = np.zeros((1, _TAPS))
            return
        taps = self._factor * _TAPS
        prototype = scipy.signal.firwin(taps + 1, 1.0 / self._factor, window=("kaiser", 9.0)) * self._factor
        # One row a phase: the samples themselves (phase 0) need no filter. Newest sample last, as in the signal.
        self._phases = np.array([prototype[phase : taps : self._factor][::-1] for phase in range(self._factor)])

    def feed(self, audio: Audio) -> npt.NDArray[np.float64]:
        """The true peak of what was fed, by channel; `peak` keeps the highest.

        What lies between the last dozen samples is seen when the next ones come.
        """
        if not len(audio):
            return np.zeros(len(self.peak))
        joined = np.concatenate((self._tail, audio))
        self._tail = joined[1 - _TAPS :]
        found = np.zeros(len(self.peak))
        _reached(joined, self._phases, found)
        self.peak = np.maximum(self.peak, found)
        return np.asarray(found)

    def finish(self) -> None:
        """Lets the filter ring out, so that a peak in the very last samples is seen."""
        self.feed(np.zeros((_TAPS, len(self.peak))))


@numba.njit(nogil=True, cache=True, fastmath=True)
def _reached(signal: Audio, phases: npt.NDArray[np.float64], peaks: npt.NDArray[np.float64]) -> None:
    """Raises `peaks` to what the signal reaches, in its samples and between them.

    Stretches whose samples stay below half the peak so far are passed over: what lies between samples can exceed them
    twofold at most in band-limited sound.
    """
    taps = phases.shape[1]
    count = signal.shape[0] - taps + 1
    between = np.empty(_CHUNK, dtype=np.float32)
    for c in range(signal.shape[1]):
        line = np.ascontiguousarray(signal[:, c]).astype(np.float32)
        # The first samples are those that were fed before, and counted then.
        peak = np.float32(peaks[c])
        for value in line[taps - 1 :]:
            peak = max(peak, abs(value))
        for first in range(0, count, _CHUNK):
            size = min(_CHUNK, count - first)
            high = np.float32(0.0)
            for value in line[first : first + size + taps - 1]:
                high = max(high, abs(value))
            if np.float32(2.0) * high <= peak:
                continue
            for phase in range(1, phases.shape[0]):
                between[:] = np.float32(0.0)
                # Tap by tap over a stretch of samples, each a slice: in this order, and with indices that plainly are
                # not negative, the compiler makes vector instructions of it.
                for k in range(taps):
                    factor = np.float32(phases[phase, k])
                    part = line[first + k : first + k + size]
                    for i in range(size):
                        between[i] += factor * part[i]
                for i in range(size):
                    peak = max(peak, abs(between[i]))
        peaks[c] = max(peaks[c], np.float64(peak))
