"""How loud a side becomes: one gain for all of it, found by hearing it through, and never so much that it clips."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

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


class HeardLevel(NamedTuple):
    """How loud a side is as it comes to the last step."""

    peak: float  # true peak, full scale 1, with the offset that is still in it
    lufs: float | None
    samples: int
    dc: tuple[float, ...]


def hear_level(stream: Stream) -> HeardLevel:
    """Hears a stream through once."""
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
    dc = total / max(1, stream.samples)
    return HeardLevel(
        float((peak.peak + np.abs(dc)).max(initial=0.0)),
        loudness.integrated_lufs(),
        stream.samples,
        tuple(float(one) for one in dc),
    )


def gain_for(sides: Sequence[HeardLevel], asked: Level) -> float:
    """The one gain in decibels that brings sides to what is asked: made smaller where one of them would clip.

    Of several sides the loudness is the mean of their powers by length; the gates of BS.1770 are those of each side.
    """
    reached = max((one.peak for one in sides), default=0.0)
    if reached <= 0:
        return asked.gain_db
    reached_db = 20 * float(np.log10(reached))
    gain = asked.gain_db
    if asked.to_peak_dbtp is not None:
        gain = asked.to_peak_dbtp - reached_db
    elif asked.to_lufs is not None:
        loud = [(10 ** (one.lufs / 10), one.samples) for one in sides if one.lufs is not None]
        power = sum(power * samples for power, samples in loud) / sum(samples for _, samples in loud) if loud else 0.0
        gain = asked.to_lufs - 10 * float(np.log10(power)) if power > 0 else 0.0
    return min(gain, max(CEILING_DBTP, asked.to_peak_dbtp or CEILING_DBTP) - reached_db)
