"""What a recording says of the chain it came through: hum, balance, delay between the channels."""

from __future__ import annotations

from collections import deque

import numpy as np
import numpy.typing as npt
import scipy

from inkwell_groove.core.audio.sound import Audio

_MAINS_HZ = (50.0, 60.0)
_MAX_DELAY_S = 0.002  # more is not azimuth or a converter, but two recordings
_HUM_BLOCK_S = 8.0


class Hum:
    """Mains hum: a steady line near 50 or 60 Hz that stands out of its surroundings.

    Power spectra of 8 s stretches, each with lines an eighth of a hertz apart; their lower quartile is taken line by
    line, because hum is always there and bass notes are not.
    """

    def __init__(
        self, *, rate_hz: int, keep: int | None = None, tolerance_hz: float = 1.0, steady_db: float | None = None
    ) -> None:
        """`keep` is how many of the latest stretches are judged, all without it.

        `tolerance_hz` is how far from 50 or 60 Hz it may lie: in a recording the speed moves it, at the deck nothing.
        With `steady_db` its level may differ by no more than that between stretches, of which there must be two: where
        few are heard, a bass note may be in all of them, but hardly ever as loud.
        """
        self._tolerance_hz, self._steady_db = tolerance_hz, steady_db
        self._rate_hz = rate_hz
        self._factor = max(1, rate_hz // 2_000)
        self._rest: list[npt.NDArray[np.float64]] = []
        self._waiting = 0
        self._spectra: deque[npt.NDArray[np.float64]] = deque(maxlen=keep)
        self._block = round(_HUM_BLOCK_S * rate_hz / self._factor) * self._factor

    def feed(self, audio: Audio) -> None:
        self._rest.append(audio @ np.full(audio.shape[1], 1.0 / audio.shape[1]))
        self._waiting += len(audio)
        if self._waiting < self._block:
            return
        joined = np.concatenate(self._rest)
        whole = len(joined) // self._block * self._block
        for first in range(0, whole, self._block):
            self._take(joined[first : first + self._block])
        self._rest, self._waiting = [joined[whole:]], len(joined) - whole

    def _take(self, signal: npt.NDArray[np.float64]) -> None:
        low = signal
        factor = self._factor
        while factor > 1:
            step = min(8, factor)
            low = scipy.signal.decimate(low, step, ftype="fir")
            factor //= step
        self._low_rate_hz = self._rate_hz * len(low) / len(signal)
        window = scipy.signal.get_window("hann", len(low))
        spectrum = np.abs(np.fft.rfft(low * window)) * 2.0 / window.sum()
        self._spectra.append(spectrum[: round(200 * _HUM_BLOCK_S)])

    def result(self) -> tuple[float, float] | None:
        """(frequency in Hz, level in dBFS as a sine's peak) of the hum; none where no line stands 12 dB out."""
        if len(self._spectra) < (1 if self._steady_db is None else 2):
            return None
        lines = np.percentile(np.array(self._spectra), 25, axis=0)
        step_hz = 1.0 / _HUM_BLOCK_S
        best: tuple[float, float] | None = None
        for mains in _MAINS_HZ:
            reach = round(self._tolerance_hz / step_hz)
            first, last = round(mains / step_hz) - reach, round(mains / step_hz) + reach + 1
            peak = first + int(np.argmax(lines[first:last]))
            around = np.concatenate((lines[peak - 24 : peak - 6], lines[peak + 7 : peak + 25]))
            levels = [float(one[peak]) for one in self._spectra]
            if self._steady_db is not None and max(levels) > min(levels) * 10 ** (self._steady_db / 20):
                continue
            if lines[peak] > 4.0 * max(float(np.median(around)), 1e-9) and (best is None or lines[peak] > best[1]):
                best = (peak * step_hz, float(lines[peak]))
        return None if best is None else (best[0], 20.0 * float(np.log10(best[1])))


class Pair:
    """How far the right channel lags the left in the loudest stretch: cross-correlation, refined by a parabola."""

    def __init__(self, *, rate_hz: int) -> None:
        self._rate_hz = rate_hz
        self._best: tuple[float, Audio] | None = None

    def feed(self, audio: Audio) -> None:
        if audio.shape[1] != 2 or not len(audio):
            return
        stretch = audio[: min(len(audio), 131_072)]
        power = float(stretch[:, 0].std() * stretch[:, 1].std())
        if self._best is None or power > self._best[0]:
            self._best = (power, stretch.copy())

    def delay_samples(self) -> float | None:
        """Samples by which the right channel comes later; none for mono, silence or channels with nothing in common."""
        if self._best is None or self._best[0] <= 1e-12:
            return None
        left, right = (signal - signal.mean() for signal in self._best[1].T)
        size = 1 << (2 * len(left) - 1).bit_length()
        cross = np.fft.irfft(np.fft.rfft(right, size) * np.conj(np.fft.rfft(left, size)), size)
        reach = round(_MAX_DELAY_S * self._rate_hz)
        near = np.concatenate((cross[-reach:], cross[: reach + 1]))
        likeness = near / (np.linalg.norm(left) * np.linalg.norm(right))
        at = int(np.argmax(np.abs(likeness)))
        if abs(likeness[at]) < 0.2 or not 0 < at < len(near) - 1:
            return None
        before, here, after = np.abs(likeness[at - 1 : at + 2])
        curve = before - 2 * here + after
        return float(at - reach + (0.5 * (before - after) / curve if curve else 0.0))
