"""How much a side changes from before a moment to after it: what tells another piece of music from a pause in one.

The change is by how much two Gaussians describe what precedes and what follows better than one does (the likelihood
ratio of Chen and Gopalakrishnan's Bayesian criterion, 1998), over timbre, pitch classes and loudness, per value. It is
0 where nothing changes and about 0.1 where one piece of music follows another.
"""

from __future__ import annotations

from functools import cached_property

import numpy as np
import numpy.typing as npt

from inkwell_groove.core.tracks.hearing import HOP_S, TONE_HOPS, Heard

CELL_S = HOP_S * TONE_HOPS
_WINDOWS_S = (4.0, 8.0, 16.0)
_SKIP_S = 0.4  # next to a gap, where reverberation belongs to neither
_LEAST_VARIANCE = 0.05

Floats64 = npt.NDArray[np.float64]


class Change:
    """Answers how different the music before one moment and after another is."""

    def __init__(self, heard: Heard) -> None:
        cells = max(1, len(heard.chroma))
        firsts = np.minimum(np.arange(cells) * TONE_HOPS, max(0, heard.hops - 1))
        log = np.log(np.add.reduceat(heard.bands, firsts, axis=0) / TONE_HOPS + 1e-12)
        loud = log.mean(axis=1, keepdims=True)
        chroma = heard.chroma if len(heard.chroma) else np.zeros((1, 12), np.float32)
        features = np.concatenate([log - loud, 2.0 * chroma, 0.5 * loud], axis=1).astype(np.float64)
        self.cells = len(features)
        start = np.zeros((1, features.shape[1]))
        self._sums = np.concatenate([start, np.cumsum(features, axis=0)])
        self._squares = np.concatenate([start, np.cumsum(features**2, axis=0)])

    def across(self, end_s: float, start_s: float) -> float:
        """Between the music that ends at `end_s` and that which starts at `start_s`."""
        skip = _SKIP_S / CELL_S
        last = int(np.clip(end_s / CELL_S - skip, 1, self.cells))
        first = int(np.clip(np.ceil(start_s / CELL_S + skip), 0, self.cells - 1))
        return float(self._between(np.array([last]), np.array([first])).sum())

    @cached_property
    def curve(self) -> Floats64:
        """(cells,): the change at the beginning of each CELL_S."""
        blocks = np.array_split(np.arange(self.cells), self.cells // 1_000 + 1)
        return np.concatenate([self._between(at, at) for at in blocks])

    def _between(self, last: npt.NDArray[np.int64], first: npt.NDArray[np.int64]) -> Floats64:
        """(places,): the mean over the windows; 0 where there is nothing on one side."""
        total = np.zeros(len(last))
        for window_s in _WINDOWS_S:
            wide = round(window_s / CELL_S)
            low, high = np.maximum(0, last - wide), np.minimum(self.cells, first + wide)
            left, right = (last - low)[:, None], (high - first)[:, None]
            sums = self._sums[last] - self._sums[low], self._sums[high] - self._sums[first]
            squares = self._squares[last] - self._squares[low], self._squares[high] - self._squares[first]
            apart = left * _log_variance(sums[0], squares[0], left) + right * _log_variance(sums[1], squares[1], right)
            whole = (left + right) * _log_variance(sums[0] + sums[1], squares[0] + squares[1], left + right)
            gain = (whole - apart).mean(axis=1) / (2 * wide)
            total += np.where((left[:, 0] > 2) & (right[:, 0] > 2), gain, 0.0)
        return total / len(_WINDOWS_S)


def _log_variance(sums: Floats64, squares: Floats64, count: npt.NDArray[np.int64]) -> Floats64:
    count = np.maximum(1, count)
    return np.asarray(np.log(np.maximum(0.0, squares / count - (sums / count) ** 2) + _LEAST_VARIANCE))
