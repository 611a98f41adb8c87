"""A take and its plan's restoration made ready: which candidates are mended, and what was learnt of the whole side."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace

import numpy as np
import numpy.typing as npt

from inkwell_groove.core.audio.sound import SoundReader
from inkwell_groove.core.restoration.chain import Restored, learn
from inkwell_groove.core.restoration.harm import Harm, report
from inkwell_groove.core.restoration.learnt import Learnt
from inkwell_groove.core.restoration.mended import Fillings, Repair
from inkwell_groove.core.restoration.repairing import Choice, choice, listed_by_hand
from inkwell_groove.core.restoration.scan import Scan, scan
from inkwell_groove.core.restoration.steps import Restoration
from inkwell_groove.core.restoration.told import Listed

_KEPT_STRETCHES = 4_096  # an hour and a half at 44.1 kHz, of which only the filled samples are kept


@dataclass(frozen=True)
class Prepared:
    """What must be known of a whole side before any part of it can be made. It stays true while the take does."""

    asked: Restoration
    made: Choice | None = None
    learnt: Learnt = field(default_factory=Learnt)
    # A side is read several times before it is sealed and proven; what fills its gaps is worked out once.
    fillings: Fillings = field(default_factory=lambda: Fillings(_KEPT_STRETCHES), compare=False, repr=False)

    @property
    def repairs(self) -> list[Repair]:
        return self.made.repairs() if self.made is not None else []

    @property
    def spans(self) -> npt.NDArray[np.int64]:
        """(repairs, 2): first and end sample of everything that is mended as the scan found it."""
        return np.array([(one.start, one.end) for one in self.repairs], np.int64).reshape(-1, 2)

    def restored(self, take: SoundReader) -> SoundReader:
        """The take as the plan restores it; the take itself where nothing is asked for."""
        return take if self.asked.at_rest else Restored(take, self.asked, self.repairs, self.learnt, self.fillings)

    def harm(self, take: SoundReader, *, progress: Callable[[float], None] | None = None) -> Harm:
        """All that is taken away from the take, or put in its place: not what its curve, speed and level change."""
        asked = self.asked.model_copy(update={"speed_ratio": 1.0, "level": None})
        before = Prepared(asked.without_removal(), None, self.learnt).restored(take)
        after = replace(self, asked=asked).restored(take)
        return report(before, after, self.spans, progress=progress)

    def listed(self, *, left_too: bool = False) -> list[Listed]:
        """Everything that is mended, by whoever asked for it, in order of place; see `Choice.listed`."""
        found = self.made.listed(left_too=left_too) if self.made is not None else []
        heard = [one for one in (*self._holes(), *self._thumps()) if one.mended or left_too]
        return sorted([*found, *listed_by_hand(self.asked), *heard], key=lambda one: one.start)

    def _thumps(self) -> list[Listed]:
        left = [self.asked.leaves(one.start, one.end, 0, "thump") for one in self.learnt.thumps]
        return [
            Listed(
                start=one.start,
                length=one.end - one.start,
                channel="both",
                kind="thump",
                likelihood=None,
                over_db=round(20 * float(np.log10(one.over)), 1),
                mended=not refused,
                said=refused,
            )
            for one, refused in zip(self.learnt.thumps, left, strict=True)
        ]

    def _holes(self) -> list[Listed]:
        left = [self.asked.leaves(one.start, one.end, one.channel, "dropout") for one in self.learnt.holes]
        return [
            Listed(
                start=one.start,
                length=one.end - one.start,
                channel=one.channel,
                kind="dropout",
                likelihood=round(one.alike, 4),
                over_db=round(-one.depth_db, 1),
                mended=not refused,
                said=refused,
            )
            for one, refused in zip(self.learnt.holes, left, strict=True)
        ]

    def place(self, sample: int) -> int:
        """Where a sample of the take lies once the speed is right."""
        return round(sample / self.asked.speed_ratio)


def prepare(
    take: SoundReader, asked: Restoration, *, found: Scan | None = None, learnt: Learnt | None = None
) -> Prepared:
    """Scans and hears a take as far as its steps need it and it was not done before."""
    made = choice(found if found is not None else scan(take), asked.clicks) if asked.clicks is not None else None
    if learnt is None:
        learnt = learn(take, asked, made.repairs() if made is not None else [])
    return Prepared(asked, made, learnt)
