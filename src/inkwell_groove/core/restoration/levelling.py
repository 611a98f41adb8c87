"""How loud a side becomes: one gain for all of it, found by hearing it through, and never so much that it clips."""

from __future__ import annotations

import numpy as np

from inkwell_groove.core.measure.levels import TruePeak
from inkwell_groove.core.measure.loudness import Loudness
from inkwell_groove.core.restoration.steps import Level
from inkwell_groove.core.restoration.stream import Block, Step, Stream

CEILING_DBTP = -0.3
_BLOCK = 262_144


class Levelled(Step):
    """A stream less its offset, times its gain."""

    def __init__(self, before: Stream, gain_db: float, dc: tuple[float, ...] = ()) -> None:
        super().__init__(before)
        self._gain = 10 ** (gain_db / 20)
        self._dc = np.array(dc) if dc else np.zeros(before.channels)

    def read(self, first: int, samples: int) -> Block:
        return np.asarray((self.before.read(first, samples) - self._dc) * self._gain)


def gain_for(stream: Stream, asked: Level) -> tuple[float, tuple[float, ...]]:
    """The gain in decibels that brings a stream to what is asked, and its offset by channel where that is to go.

    A gain that would take the true peak above -0.3 dBTP is made smaller.
    """
    peak, loudness = (
        TruePeak(stream.channels, rate_hz=stream.rate_hz),
        Loudness(stream.channels, rate_hz=stream.rate_hz),
    )
    total = np.zeros(stream.channels)
    for first in range(0, stream.samples, _BLOCK):
        block = stream.read(first, min(_BLOCK, stream.samples - first))
        peak.feed(block)
        loudness.feed(block)
        total += block.sum(axis=0)
    peak.finish()
    dc = total / max(1, stream.samples) if asked.remove_dc else np.zeros(stream.channels)
    reached = float((peak.peak + np.abs(dc)).max(initial=0.0))
    gain = asked.gain_db
    if reached > 0:
        reached_db = 20 * float(np.log10(reached))
        if asked.to_peak_dbtp is not None:
            gain = asked.to_peak_dbtp - reached_db
        elif asked.to_lufs is not None:
            told = loudness.integrated_lufs()
            gain = asked.to_lufs - told if told is not None else 0.0
        gain = min(gain, max(CEILING_DBTP, asked.to_peak_dbtp or CEILING_DBTP) - reached_db)
    return gain, tuple(float(one) for one in dc) if asked.remove_dc else ()
