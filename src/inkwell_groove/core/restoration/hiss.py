"""Steady noise made less: each small piece of time and frequency weighed by how likely there is music in it.

The noise's print is the mean power of each frequency where the side is quietest. The weight of a piece is that of the
log-spectral amplitude estimator (Ephraim and Malah, 1985) and never under the reduction asked for. Its estimate of how
much music there is comes from the pieces around it, past and to come, and not from itself alone, which is what keeps
single pieces from standing out as chirps; how well is measured by the kurtosis of what is left of pure noise, over
that of the noise before (Uemura and others, 2008): 1 is no musical noise at all.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from scipy.ndimage import uniform_filter
from scipy.special import exp1

from inkwell_groove.core.restoration.stream import Block, GridStep, Stream

_FRAME_S = 0.046
_QUIET_S = 0.5
_AROUND = (13, 9)  # frames and bins over which music is looked for
_NEAR = 0.3  # of the weight of those right beside, which tell of attacks
_OVER = 1.5  # how much the mean of noise may chance to exceed its print


def frame_of(rate_hz: int) -> int:
    return 1 << round(float(np.log2(_FRAME_S * rate_hz)))


def quietest(stream: Stream, *, seconds: float = _QUIET_S) -> tuple[int, int] | None:
    """First and last sample of the quietest stretch that is not digital silence; None where there is none."""
    step = round(seconds * stream.rate_hz / 2)
    powers = []
    for first in range(0, stream.samples - step + 1, step):
        block = stream.read(first, step)
        bright = np.diff(block, axis=0)
        powers.append(float((bright**2).mean()) if np.any(block) else np.inf)
    if len(powers) < 2:
        return None
    pairs = np.maximum(np.array(powers[:-1]), np.array(powers[1:]))
    best = int(np.argmin(pairs))
    return (best * step, (best + 2) * step) if np.isfinite(pairs[best]) else None


def print_of(stream: Stream, start: int, end: int) -> npt.NDArray[np.float64]:
    """(channels, bins): the mean power of each frequency between two samples, a little smoothed."""
    size = frame_of(stream.rate_hz)
    window = np.hanning(size)
    block = stream.read(start, max(end - start, size))
    frames = np.lib.stride_tricks.sliding_window_view(block, size, axis=0)[:: size // 4]
    power = (np.abs(np.fft.rfft(frames * window, axis=-1)) ** 2).mean(axis=0)
    return np.asarray(uniform_filter(power, (0, 5), mode="nearest"))


class HissFree(GridStep):
    """A stream with its noise made less by at most `reduction_db`."""

    def __init__(self, before: Stream, noise: npt.NDArray[np.float64], reduction_db: float) -> None:
        super().__init__(before)
        self._size = frame_of(before.rate_hz)
        self._hop = self._size // 4
        self._noise = noise
        self._least = 10 ** (-reduction_db / 20)
        self.grid = self._hop * 96

    def make(self, first: int, samples: int) -> Block:
        size, hop = self._size, self._hop
        margin = hop * (_AROUND[0] + 4)
        block = self.before.read(first - margin, samples + 2 * margin)
        window = np.sqrt(np.hanning(size + 1)[:-1])
        frames = np.lib.stride_tricks.sliding_window_view(block, size, axis=0)[::hop] * window
        spectra = np.fft.rfft(frames, axis=-1)  # (frames, channels, bins)
        ratio = np.abs(spectra) ** 2 / np.maximum(self._noise[None] * _WINDOW_SHARE, 1e-30)
        weight = self._weights(ratio)
        back = np.fft.irfft(spectra * weight, size, axis=-1) * window
        out = np.zeros((len(block) + size, self.channels))
        for number, frame in enumerate(back):
            out[number * hop : number * hop + size] += frame.T
        return np.asarray(out[margin : margin + samples] / 2.0)

    def _weights(self, ratio: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
        around = uniform_filter(ratio, (_AROUND[0], 0, _AROUND[1]), mode="nearest")
        near = uniform_filter(ratio, (3, 0, 3), mode="nearest")
        music = np.maximum(np.maximum(around, _NEAR * near) - _OVER, 0.0)
        share = music / (1.0 + music)
        v = np.clip(share * np.maximum(ratio, 0.3), 1e-6, 500.0)
        return np.asarray(np.clip(share * np.exp(0.5 * exp1(v)), self._least, 1.0))


_WINDOW_SHARE = 4.0 / 3.0  # a root of a Hann window lets so much more noise through than the window itself
