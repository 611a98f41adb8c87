"""A take with its gaps filled: read like the take itself, in its own word, and the same bits outside the gaps.

Gaps are filled stretch by stretch on a fixed grid, when they are first wanted. A stretch is always given the same
context, so what is read does not depend on where one begins or how much one asks for.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Iterable

import numpy as np
import numpy.typing as npt
from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.restoration.by_hand import worked
from inkwell_groove.core.restoration.mending import Gap, Reach, mend
from inkwell_groove.core.restoration.steps import HandRepair
from inkwell_groove.core.sound import Samples, SoundReader, to_float

STRETCH_SAMPLES = 65_536
_KEPT_STRETCHES = 64


class Repair(BaseModel):
    """One stretch of one channel, samples [start, end), to be filled from what is around it."""

    model_config = ConfigDict(frozen=True)

    start: int = Field(ge=0)
    end: int
    channel: int = Field(ge=0)
    lost: bool = Field(default=False, description="Nothing of what is there is to be believed.")


class Mended:
    """A reader of a take with repairs made. Repairs of one channel that touch are made as one."""

    def __init__(self, reader: SoundReader, repairs: Iterable[Repair], by_hand: Iterable[HandRepair] = ()) -> None:
        self._reader = reader
        self._by_hand = [one for one in by_hand if one.how != "interpolate"]
        asked = [part for one in by_hand if one.how == "interpolate" for part in _lost(one, reader.format.channels)]
        repairs = [*repairs, *asked]
        self.format = reader.format
        self._reach = Reach(reader.format.rate_hz)
        self._gaps = [_merged(repairs, channel, reader.format.samples) for channel in range(reader.format.channels)]
        self._starts = [np.array([gap.start for gap in gaps], np.int64) for gaps in self._gaps]
        longest = max((gap.end - gap.start for gaps in self._gaps for gap in gaps), default=0)
        self._longest = longest
        self._margin = self._reach.window // 2 + longest
        self._kept: OrderedDict[int, list[tuple[int, int, Samples]]] = OrderedDict()

    @property
    def gaps(self) -> list[list[Gap]]:
        """Of each channel, in order."""
        return self._gaps

    def read(self, start_sample: int, samples: int) -> Samples:
        block = self._reader.read(start_sample, samples)
        end_sample = start_sample + len(block)
        first = max(0, start_sample - self._longest) // STRETCH_SAMPLES
        out = None
        for stretch in range(first, -(-end_sample // STRETCH_SAMPLES)):
            for channel, at, filling in self._fillings(stretch):
                a, b = max(at, start_sample), min(at + len(filling), end_sample)
                if a < b:
                    if out is None:
                        out = block.copy()
                    out[a - start_sample : b - start_sample, channel] = filling[a - at : b - at]
        for one in self._by_hand:
            if one.start < end_sample and one.end > start_sample:
                out = block.copy() if out is None else out
                for channel, values in worked(self._reader, one):
                    a, b = max(one.start, start_sample), min(one.start + len(values), end_sample)
                    out[a - start_sample : b - start_sample, channel] = self._as_word(
                        values[a - one.start : b - one.start]
                    )
        return block if out is None else out

    def _fillings(self, stretch: int) -> list[tuple[int, int, Samples]]:
        """(channel, first sample, samples of the take's word) of every gap that begins in a stretch of the grid."""
        if stretch not in self._kept:
            self._kept[stretch] = self._filled(stretch * STRETCH_SAMPLES, (stretch + 1) * STRETCH_SAMPLES)
            if len(self._kept) > _KEPT_STRETCHES:
                self._kept.popitem(last=False)
        self._kept.move_to_end(stretch)
        return self._kept[stretch]

    def _filled(self, first: int, end: int) -> list[tuple[int, int, Samples]]:
        form, made = self.format, []
        from_, to = max(0, first - self._margin), end + self._margin
        block: npt.NDArray[np.float64] | None = None
        for channel, gaps in enumerate(self._gaps):
            near = gaps[slice(*np.searchsorted(self._starts[channel], [from_, to]))]
            if not any(first <= gap.start < end for gap in near):
                continue
            if block is None:
                block = to_float(self._reader.read(from_, to - from_), form.full_scale)
            here = [Gap(gap.start - from_, min(gap.end - from_, len(block)), gap.lost) for gap in near]
            sound = mend(np.ascontiguousarray(block[:, channel]), here, self._reach, first - from_, end - from_)
            for gap in here:
                if first <= gap.start + from_ < end:
                    made.append((channel, gap.start + from_, self._as_word(sound[gap.start : gap.end])))
        return made

    def _as_word(self, sound: npt.NDArray[np.float64]) -> Samples:
        """In the take's own steps: those of its word length, not of the integers it is read as."""
        form = self.format
        if form.is_float:
            return sound.astype(form.dtype)
        step = 1 if form.bits <= 16 else 1 << (32 - form.bits)
        grain = step << (16 - form.bits) if form.bits < 16 else step
        top = int(form.full_scale)
        scaled = np.rint(sound * (form.full_scale / grain))
        return np.asarray((np.clip(scaled, -top // grain, top // grain - 1) * grain).astype(form.dtype))


def _lost(one: HandRepair, channels: int) -> list[Repair]:
    which = range(channels) if one.channel is None else (one.channel,)
    return [Repair(start=one.start, end=one.end, channel=channel, lost=True) for channel in which]


def _merged(repairs: Iterable[Repair], channel: int, samples: int) -> list[Gap]:
    gaps: list[Gap] = []
    for one in sorted((one for one in repairs if one.channel == channel), key=lambda one: one.start):
        start, end = one.start, min(one.end, samples)
        if end <= start:
            continue
        if gaps and start <= gaps[-1].end:
            gaps[-1] = Gap(gaps[-1].start, max(gaps[-1].end, end), gaps[-1].lost or one.lost)
        else:
            gaps.append(Gap(start, end, one.lost))
    return gaps
