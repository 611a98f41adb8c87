"""Low pulses after a hard blow to the stylus: found by their vertical swing, and taken off below the music's voices.

They are looked for only where a blow was mended: much music has drums as low, as short and as vertical, and of those
none begins with a click. Of 87 minutes of clean music without this rule there were 24 a minute.

What remains of a deep scratch when its click is mended is the swing of the arm, some tens of milliseconds of a few tens
of hertz (Godsill and Rayner, 1998, chapter 7). Bass is cut laterally, alike in both channels, so a kick drum has hardly
any difference between them and a thump much of it: that is what tells them apart, and why the thumps of a recording
in one channel are not looked for. It is what gives its shape, too: of the difference all is taken off that a model of
what is around it does not expect, and of the sum as much of the same shape as is found there once both are whitened.
Nothing above some 150 Hz is touched.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import numpy.typing as npt
import scipy
from scipy.ndimage import maximum_filter1d, median_filter

from inkwell_groove.core.restoration import ar
from inkwell_groove.core.restoration.mending import lost
from inkwell_groove.core.restoration.stream import Block, Step, Stream, lowered

Vector = npt.NDArray[np.float64]
_LOW_RATE_HZ = 400
_AROUND_S = 3.0  # over which the usual vertical swing is judged
_OVER = 7.0  # times the usual swing at its peak, and 2 at its ends
_ENDS = 2.0
_VERTICAL = 0.25  # of the swing of what both channels share
_LONGEST_S, _LEAST_S = 0.3, 0.01
_LEAST_DBFS = -60.0
_HARD_S, _NEAR_S = 0.0004, 0.025
_CONTEXT_S, _ORDER = 2.0, 64
_SPARE_S = 0.06  # before and after a pulse, over which the correction's filter rings


class Thump(NamedTuple):
    """A pulse in both channels: samples [start, end), how loud its vertical swing is, and how far over the usual."""

    start: int
    end: int
    peak_dbfs: float
    over: float


def find(stream: Stream, blows: npt.NDArray[np.int64]) -> list[Thump]:
    """The thumps of a stream of two channels, in order of place. `blows` (blows, 2) are first and end samples of what
    was mended; those of 0.4 ms and more count as hard.
    """
    hard = np.sort(blows[blows[:, 1] - blows[:, 0] >= _HARD_S * stream.rate_hz, 0])
    if stream.channels != 2 or not len(hard):
        return []
    low, factor = lowered(stream, _LOW_RATE_HZ)
    rate = stream.rate_hz / factor
    if len(low) < rate:
        return []
    vertical, lateral = (low[:, 0] - low[:, 1]) / 2, (low[:, 0] + low[:, 1]) / 2
    swing = maximum_filter1d(np.abs(vertical), max(3, round(0.008 * rate)))
    usual = median_filter(swing, round(_AROUND_S * rate) | 1, mode="nearest") + 10 ** (_LEAST_DBFS / 20) / _OVER
    shared = maximum_filter1d(np.abs(lateral), max(3, round(0.03 * rate)))
    peaks = (swing > _OVER * usual) & (swing > _VERTICAL * shared)
    found: list[Thump] = []
    at = 0
    while at < len(low):
        if not peaks[at]:
            at += 1
            continue
        start = end = at
        while start > 0 and swing[start - 1] > _ENDS * usual[at]:
            start -= 1
        while end < len(low) and swing[end] > _ENDS * usual[at]:
            end += 1
        peak = start + int(np.argmax(np.abs(vertical[start:end])))
        near = np.searchsorted(hard, np.array([start, start]) * factor + _NEAR_S * stream.rate_hz * np.array([-1, 1]))
        if near[0] < near[1] and _LEAST_S * rate <= end - start <= _LONGEST_S * rate:
            loud = 20 * float(np.log10(abs(vertical[peak])))
            found.append(Thump(start * factor, end * factor, loud, float(swing[peak] / usual[peak])))
        at = max(end, at + 1)
    return found


class Settled(Step):
    """A stream with its thumps taken off. Nothing changes farther than 60 ms from any of them."""

    def __init__(self, before: Stream, thumps: list[Thump]) -> None:
        super().__init__(before)
        self._thumps = sorted(thumps)
        self._taken: dict[int, Block] = {}
        self._spare = round(_SPARE_S * self.rate_hz)

    def read(self, first: int, samples: int) -> Block:
        block = self.before.read(first, samples)
        for number, one in enumerate(self._thumps):
            a, b = max(one.start - self._spare, first), min(one.end + self._spare, first + samples)
            if a < b:
                if number not in self._taken:
                    self._taken[number] = self._what_goes(one)
                start = one.start - self._spare
                block[a - first : b - first] -= self._taken[number][a - start : b - start]
        return block

    def _what_goes(self, thump: Thump) -> Block:
        """(samples, channels) from `spare` before the thump to `spare` after it: what it has over what was expected."""
        factor = max(1, self.rate_hz // _LOW_RATE_HZ)
        context = round(_CONTEXT_S * self.rate_hz) // factor * factor
        from_ = thump.start // factor * factor - context
        size = (thump.end - thump.start + 2 * context) // factor * factor
        low, _ = lowered(_Cut(self.before, from_, size), _LOW_RATE_HZ)
        gap = slice(context // factor, context // factor + -(-(thump.end - thump.start) // factor))
        vertical, lateral = (low[:, 0] - low[:, 1]) / 2, (low[:, 0] + low[:, 1]) / 2
        shape = np.zeros(len(low))
        shape[gap] = vertical[gap] - _expected(vertical, gap.start, gap.stop)
        share = _share(lateral, shape, gap.start, gap.stop)
        over = np.column_stack([(share + 1.0) * shape, (share - 1.0) * shape])
        taps = scipy.signal.firwin(16 * factor + 1, 0.8 / factor) * factor if factor > 1 else np.ones(1)
        whole = scipy.signal.upfirdn(taps, over, up=factor, axis=0)[len(taps) // 2 :]
        start = thump.start - self._spare - from_
        out = np.zeros((thump.end - thump.start + 2 * self._spare, self.channels))
        part = whole[start : start + len(out)]
        out[: len(part)] = part
        return out * _ends(len(out), self._spare // 2)[:, None]


class _Cut:
    """Part of a stream, as one of its own."""

    def __init__(self, whole: Stream, start: int, samples: int) -> None:
        self.rate_hz, self.channels, self.samples = whole.rate_hz, whole.channels, samples
        self._whole, self._start = whole, start

    def read(self, first: int, samples: int) -> Block:
        return self._whole.read(self._start + first, samples)


def _share(lateral: Vector, shape: Vector, start: int, end: int) -> float:
    """How much of a shape there is in what both channels share: by least squares once that is whitened by a model of
    what is before, so that a bass note counts by what it has that could not be foreseen.
    """
    filter_ = _model(lateral[:start])
    heard, sought = (np.convolve(one, filter_, "valid")[start - len(filter_) + 1 : end] for one in (lateral, shape))
    power = float(sought @ sought)
    return float(np.clip(heard @ sought / power, -1.0, 1.0)) if power > 0 else 0.0


def _model(*parts: Vector) -> Vector:
    """The prediction filter of some stretches of bass."""
    order = min(_ORDER, *(len(part) // 4 for part in parts))
    r = np.sum([ar.autocorrelation((part * np.hanning(len(part)))[None], order)[0] for part in parts], axis=0)
    r[0] *= 1.0 + 1e-6
    return np.asarray(ar.levinson(r, order))


def _expected(low: Vector, start: int, end: int) -> Vector:
    """What the bass on either side of a gap makes likely in it."""
    return lost(low, start, end, _model(low[:start], low[end:]))


def _ends(samples: int, fade: int) -> Vector:
    rise = 0.5 - 0.5 * np.cos(np.pi * (np.arange(fade) + 0.5) / max(1, fade))
    out = np.ones(samples)
    out[:fade], out[samples - fade :] = rise, rise[::-1]
    return out
