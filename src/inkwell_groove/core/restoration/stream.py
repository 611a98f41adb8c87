"""Sound on its way through the steps: any stretch of it, whenever it is asked for.

A step reads from the one before it, from some samples earlier to some later than it was asked for, and gives what it
would have given had it done the whole side. Where that takes more than arithmetic on the samples asked for, it works
on stretches of a fixed grid and keeps the last few.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections import OrderedDict
from typing import Protocol

import numpy as np
import numpy.typing as npt
import scipy

from inkwell_groove.core.audio.sound import SoundReader, to_float

_LOWERED_S = 30.0  # read at once
Block = npt.NDArray[np.float64]  # (samples, channels), full scale 1


class Stream(Protocol):
    """`samples` of sound in `channels`; before and after them there is silence."""

    rate_hz: int
    samples: int
    channels: int

    def read(self, first: int, samples: int) -> Block:
        """Samples [first, first + samples), of which some may lie before 0 or after the end: those are 0."""
        ...


class Source:
    """A recording as a stream."""

    def __init__(self, reader: SoundReader) -> None:
        form = reader.format
        self.rate_hz, self.samples, self.channels = form.rate_hz, form.samples, form.channels
        self._reader = reader

    def read(self, first: int, samples: int) -> Block:
        out = np.zeros((samples, self.channels))
        a, b = max(first, 0), min(first + samples, self.samples)
        if a < b:
            out[a - first : b - first] = to_float(self._reader.read(a, b - a), self._reader.format.full_scale)
        return out


def lowered(stream: Stream, about_hz: int) -> tuple[Block, int]:
    """(samples, channels) of a stream at some lower rate, and how many of its samples go to one of these.

    Sample k is that of the stream at k times as many. What lies above 0.4 of the lower rate is gone.
    """
    factor = max(1, stream.rate_hz // about_hz)
    taps = scipy.signal.firwin(16 * factor + 1, 0.8 / factor) if factor > 1 else np.ones(1)
    half = len(taps) // 2  # 8 * factor, so that the grid of kept samples stays in step
    block = round(_LOWERED_S * stream.rate_hz) // factor * factor
    parts = []
    for first in range(0, stream.samples, block):
        count = min(block, stream.samples - first)
        low = scipy.signal.upfirdn(taps, stream.read(first - half, count + 2 * half), down=factor, axis=0)
        skip = 2 * half // factor
        parts.append(low[skip : skip + -(-count // factor)])
    return np.concatenate(parts) if parts else np.zeros((0, stream.channels)), factor


class Step:
    """A step that keeps rate, length and channels unless it says otherwise."""

    def __init__(self, before: Stream) -> None:
        self.before = before
        self.rate_hz, self.samples, self.channels = before.rate_hz, before.samples, before.channels


class GridStep(Step, ABC):
    """A step done on stretches of `grid` samples, the last `kept` of which are remembered."""

    grid = 65_536
    kept = 8

    def __init__(self, before: Stream) -> None:
        super().__init__(before)
        self._done: OrderedDict[int, Block] = OrderedDict()

    @abstractmethod
    def make(self, first: int, samples: int) -> Block:
        """Samples [first, first + samples), a stretch of the grid."""

    def read(self, first: int, samples: int) -> Block:
        out = np.zeros((samples, self.channels))
        a, b = max(first, 0), min(first + samples, self.samples)
        for number in range(a // self.grid, -(-b // self.grid) if b > a else 0):
            at = number * self.grid
            stretch = self._stretch(number)
            c, d = max(a, at), min(b, at + self.grid)
            out[c - first : d - first] = stretch[c - at : d - at]
        return out

    def _stretch(self, number: int) -> Block:
        if number not in self._done:
            self._done[number] = self.make(number * self.grid, self.grid)
            if len(self._done) > self.kept:
                self._done.popitem(last=False)
        self._done.move_to_end(number)
        return self._done[number]
