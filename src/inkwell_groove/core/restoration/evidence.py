"""What in a sound is not explained by prediction: its excitation, measured by how much there usually is.

Four views of it are kept for each channel, each of variance 1 where nothing happens: the excitation itself and the
error of predicting from both sides (`ar.matched`), each once alone and once with what the other channel says taken
off. A click in one channel of a nearly mono record stands out of the latter by far; one in both channels out of the
former.
"""

from __future__ import annotations

from dataclasses import dataclass

import numba
import numpy as np
import numpy.typing as npt

from inkwell_groove.core.restoration import ar

Float = npt.NDArray[np.float32]

CELL_S = 0.0015  # in which the usual size of the excitation is measured, by its median
_WHITE = 1e-9  # of the power: a floor under empty bands, so that they do not decide alone
_NEAR_CELLS = 8  # on either side, 12 ms: longer than any click, shorter than a note
_MEDIAN_OF_NORMAL = 0.6745


@dataclass(frozen=True)
class Rates:
    """The lengths that depend on the sample rate."""

    rate_hz: int

    @property
    def order(self) -> int:
        return 32 if self.rate_hz <= 50_000 else 48 if self.rate_hz <= 100_000 else 64

    @property
    def hop(self) -> int:
        return self.cell * 16

    @property
    def cell(self) -> int:
        return max(8, 2 * round(CELL_S * self.rate_hz / 2))


@dataclass(frozen=True)
class Evidence:
    """Of a stretch of sound, all of float32 and in units of their usual size."""

    views: Float  # (channels, 4, samples): alone, alone both ways, against the other channel, that both ways
    largest: Float  # (channels, samples): the largest of the four, without its sign
    scale: Float  # (channels, cells): the usual size of the excitation, as a sample
    gain_db: Float  # (channels, frames): how much of the sound prediction explains
    backwards: Float  # (channels, samples): the excitation as it is when predicted from what comes after
    cells: Float  # (channels, cells): the median excitation of each cell, as a sample
    norm: Float  # (channels, frames): by how much more a one-sample click shows both ways than it is high


def evidence_of(sound: npt.NDArray[np.float64], rates: Rates, *, grain: float) -> Evidence:
    """Of (samples, channels), full scale 1; `grain` is its smallest step. Its ends are not to be trusted."""
    samples, channels = sound.shape
    hop, order = rates.hop, rates.order
    frames = -(-samples // hop)
    window = 2 * hop
    shape = np.hanning(window + 2)[1:-1]
    padded = np.pad(sound, ((hop // 2, window), (0, 0)))
    filters, gains, excitation, behind = [], [], [], []
    for channel in range(channels):
        cut = np.lib.stride_tricks.sliding_window_view(padded[:, channel], window)[::hop][:frames] * shape
        r = ar.autocorrelation(cut, order)
        power = r[:, 0].copy()
        # Rounding to the word's steps is a floor that is truly there.
        r[:, 0] += power * _WHITE + (shape**2).sum() * grain**2 / 12.0
        own = ar.filters_of(r, order)
        left = np.einsum("fi,fi->f", own, r)
        filters.append(own.astype(np.float32))
        gains.append(10 * np.log10(np.maximum(r[:, 0], 1e-30) / np.maximum(left, 1e-30)))
        one = np.ascontiguousarray(sound[:, channel], dtype=np.float32)
        excitation.append(ar.predict_error(one, filters[-1], hop))
        behind.append(ar.predict_back(one, filters[-1], hop))
    cells = np.stack([_cell_medians(one, rates.cell) for one in excitation])
    scale = np.stack([_usual(one, grain) for one in cells])
    views = np.empty((channels, 4, samples), np.float32)
    for channel in range(channels):
        views[channel, 0] = _measured(excitation[channel], scale[channel], rates.cell)
    views[:, 2] = views[:, 0]
    if channels == 2:
        left, right = views[0, 0], views[1, 0]
        shared = _shared(left, right, rates.cell)
        views[0, 2], views[1, 2] = _less(left, right, shared, rates.cell), _less(right, left, shared, rates.cell)
    for channel, own in enumerate(filters):
        views[channel, 1] = ar.matched(views[channel, 0], own, hop)
        views[channel, 3] = ar.matched(views[channel, 2], own, hop) if channels == 2 else views[channel, 1]
    return Evidence(
        views,
        np.stack([_largest(one) for one in views]),
        scale,
        np.stack(gains).astype(np.float32),
        np.stack([_measured(one, size, rates.cell) for one, size in zip(behind, scale, strict=True)]),
        cells,
        np.stack([np.sqrt((own**2).sum(axis=1)) for own in filters]),
    )


@numba.njit(nogil=True, cache=True, fastmath=True)
def _largest(views: Float) -> Float:  # pragma: no cover: compiled
    a, b, c, d = views[0], views[1], views[2], views[3]
    out: Float = np.empty_like(a)
    for n in range(len(out)):
        out[n] = max(abs(a[n]), abs(b[n]), abs(c[n]), abs(d[n]))
    return out


def _cell_medians(excitation: Float, cell: int) -> Float:
    """(samples,) to (cells,): the middle of the sizes in each cell. A last one that is not whole is filled with 0."""
    cells = np.zeros((-(-len(excitation) // cell), cell), np.float32)
    cells.reshape(-1)[: len(excitation)] = np.abs(excitation)
    middle = np.partition(cells, (cell // 2 - 1, cell // 2), axis=1)  # a cell has an even number of samples
    return np.asarray(middle[:, cell // 2 - 1 : cell // 2 + 1].mean(axis=1))


@numba.njit(nogil=True, cache=True)
def _usual(cells: Float, grain: float) -> Float:  # pragma: no cover: compiled
    """(cells,) medians to the usual size around each: the median, over the cells around, of their medians."""
    out = np.empty(len(cells), np.float32)
    for c in range(len(cells)):
        around = cells[max(0, c - _NEAR_CELLS) : c + _NEAR_CELLS + 1]
        out[c] = max(float(np.median(around)) / _MEDIAN_OF_NORMAL, 0.5 * grain)
    return out


@numba.njit(nogil=True, cache=True, fastmath=True)
def _measured(excitation: Float, scale: Float, cell: int) -> Float:  # pragma: no cover: compiled
    out = np.empty_like(excitation)
    for c in range(len(scale)):
        one = np.float32(1.0) / scale[c]
        for n in range(c * cell, min((c + 1) * cell, len(excitation))):
            out[n] = excitation[n] * one
    return out


@numba.njit(nogil=True, cache=True, fastmath=True)
def _shared(left: Float, right: Float, cell: int) -> Float:  # pragma: no cover: compiled
    """(cells,): the correlation of two excitations around each cell, with what stands out of either held back."""
    cells = -(-len(left) // cell)
    both, own, other = np.zeros(cells), np.zeros(cells), np.zeros(cells)
    for c in range(cells):
        for n in range(c * cell, min((c + 1) * cell, len(left))):
            x, y = left[n], right[n]
            if abs(x) < 3.0 and abs(y) < 3.0:
                both[c] += x * y
                own[c] += x * x
                other[c] += y * y
    out = np.empty(cells, np.float32)
    for c in range(cells):
        first, end = max(0, c - _NEAR_CELLS), min(cells, c + _NEAR_CELLS + 1)
        size = np.sqrt(own[first:end].sum() * other[first:end].sum())
        out[c] = both[first:end].sum() / size if size > 0.0 else 0.0
    return out


@numba.njit(nogil=True, cache=True, fastmath=True)
def _less(one: Float, other: Float, shared: Float, cell: int) -> Float:  # pragma: no cover: compiled
    """One excitation without what the other tells of it, of variance 1 again."""
    out = np.empty_like(one)
    for c in range(len(shared)):
        rho = min(np.float32(0.9999), max(np.float32(-0.9999), shared[c]))
        size = np.float32(1.0) / np.sqrt(np.float32(1.0) - rho * rho)
        for n in range(c * cell, min((c + 1) * cell, len(one))):
            out[n] = (one[n] - rho * other[n]) * size
    return out
