"""A side brought to its right speed: resampled by a ratio that need not be simple, any stretch of it alone.

Between the samples a band-limited sound is known exactly: a sum of sinc functions, here shaped by a Kaiser window
(Smith and Gossett, A flexible sampling-rate conversion method, 1984, from a finer table and interpolated in it). Where
a side becomes shorter, what would lie above half the rate is filtered off by the same sum.
"""

from __future__ import annotations

import numba
import numpy as np

from inkwell_groove.core.restoration.stream import Block, Step, Stream

_ZEROS = 48  # of the sinc on either side
_FINE = 512  # table entries for each
_BETA = 12.0
_PASS = 0.94  # of the narrower half rate: the rest is where the filter falls


class AtSpeed(Step):
    """A stream played `ratio` times as fast: what took 2.35 s at 33 1/3 takes 1 s at 78.26 with a ratio of 2.348."""

    def __init__(self, before: Stream, ratio: float) -> None:
        super().__init__(before)
        if not 0.2 <= ratio <= 5.0:
            raise ValueError(f"a speed ratio of {ratio} is none that a carrier is played at")
        self._ratio = ratio
        self.samples = int(np.floor((before.samples - 1) / ratio)) + 1 if before.samples else 0
        self._cut = min(1.0, 1.0 / ratio) * (1.0 if ratio == 1.0 else _PASS)
        self._half = int(np.ceil(_ZEROS / self._cut))
        x = np.arange(_ZEROS * _FINE + 2) / _FINE
        window = np.i0(_BETA * np.sqrt(np.maximum(0.0, 1.0 - (x / _ZEROS) ** 2))) / np.i0(_BETA)
        self._table = np.sinc(x) * np.where(x <= _ZEROS, window, 0.0)

    def read(self, first: int, samples: int) -> Block:
        if self._ratio == 1.0:
            return self.before.read(first, samples)
        from_ = int(np.floor(first * self._ratio)) - self._half
        to = int(np.ceil((first + samples) * self._ratio)) + self._half + 1
        block = self.before.read(from_, to - from_)
        out = np.zeros((samples, self.channels))
        _interpolate(block, out, first, from_, self._ratio, self._cut, self._half, self._table)
        inside = np.arange(first, first + samples)
        out[(inside < 0) | (inside >= self.samples)] = 0.0
        return out


@numba.njit(nogil=True, cache=True, fastmath=True)
def _interpolate(block, out, first, from_, ratio, cut, half, table):  # type: ignore[no-untyped-def] # pragma: no cover: compiled
    channels = block.shape[1]
    for k in range(len(out)):
        at = (first + k) * ratio
        whole = int(np.floor(at))
        for n in range(whole - half + 1, whole + half + 1):
            place = abs(at - n) * cut * _FINE
            i = int(place)
            if i > _ZEROS * _FINE:
                continue
            weight = (table[i] + (place - i) * (table[i + 1] - table[i])) * cut
            for c in range(channels):
                out[k, c] += weight * block[n - from_, c]
