"""A take with its gaps filled: read like the take itself, in its own word, and the same bits outside the gaps.

Gaps are filled stretch by stretch on a fixed grid, when they are first wanted. A stretch is always given the same
context, so what is read does not depend on where one begins or how much one asks for.
"""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Iterable

import numpy as np
import numpy.typing as npt
from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.audio.sound import Samples, SoundReader, to_float
from inkwell_groove.core.restoration.by_hand import worked
from inkwell_groove.core.restoration.mending import Gap, Reach, mend
from inkwell_groove.core.restoration.steps import HandRepair

STRETCH_SAMPLES = 65_536
_KEPT_STRETCHES = 64
Filling = tuple[int, int, Samples]  # channel, first sample, samples in the take's word
_Gaps = tuple[int, tuple[tuple[Gap, ...], ...]]


class Repair(BaseModel):
    """One stretch of one channel, samples [start, end), to be filled from what is around it."""

    model_config = ConfigDict(frozen=True)

    start: int = Field(ge=0)
    end: int
    channel: int = Field(ge=0)
    lost: bool = Field(default=False, description="Nothing of what is there is to be believed.")


class Fillings:
    """The last stretches that were filled. May be shared among readers of one take, in several threads: one repair
    refused leaves all the others as they were filled before.
    """

    def __init__(self, kept: int = _KEPT_STRETCHES) -> None:
        self._kept: OrderedDict[tuple[int, _Gaps], list[Filling]] = OrderedDict()
        self._most = kept
        self._lock = threading.Lock()

    def of(self, stretch: int, gaps: _Gaps, fill: Callable[[], list[Filling]]) -> list[Filling]:
        """What was filled in a stretch of the grid with these gaps in and near it, filled now if it was not."""
        key = (stretch, gaps)
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
                return self._kept[key]
        filled = fill()
        with self._lock:
            self._kept[key] = filled
            if len(self._kept) > self._most:
                self._kept.popitem(last=False)
        return filled


class Mended:
    """A reader of a take with repairs made. Repairs of one channel that touch are made as one."""

    def __init__(
        self,
        reader: SoundReader,
        repairs: Iterable[Repair],
        by_hand: Iterable[HandRepair] = (),
        fillings: Fillings | None = None,
    ) -> None:
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
        # In steps, so that the last few repairs that come and go do not move it.
        self._margin = self._reach.window // 2 + (1 << max(8, longest.bit_length()))
        self._fillings_kept = fillings or Fillings()

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

    def _fillings(self, stretch: int) -> list[Filling]:
        """(channel, first sample, samples of the take's word) of every gap that begins in a stretch of the grid."""
        first, end = stretch * STRETCH_SAMPLES, (stretch + 1) * STRETCH_SAMPLES
        from_, to = max(0, first - self._margin), end + self._margin
        near = tuple(
            tuple(gaps[slice(*np.searchsorted(starts, [from_, to]))])
            for gaps, starts in zip(self._gaps, self._starts, strict=True)
        )
        if not any(first <= gap.start < end for gaps in near for gap in gaps):
            return []
        # The margin belongs to it: a longer gap far away lets more of the music be heard here.
        return self._fillings_kept.of(stretch, (self._margin, near), lambda: self._filled(first, end, from_, to, near))

    def _filled(self, first: int, end: int, from_: int, to: int, near: tuple[tuple[Gap, ...], ...]) -> list[Filling]:
        form, made = self.format, []
        block: npt.NDArray[np.float64] = to_float(self._reader.read(from_, to - from_), form.full_scale)
        for channel, gaps in enumerate(near):
            if not any(first <= gap.start < end for gap in gaps):
                continue
            here = [Gap(gap.start - from_, min(gap.end - from_, len(block)), gap.lost) for gap in gaps]
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
