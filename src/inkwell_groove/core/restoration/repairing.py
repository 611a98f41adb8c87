"""A take and a plan's steps put together: what is mended, what is learnt, and what is to be said of it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from inkwell_groove.core.restoration import choosing
from inkwell_groove.core.restoration.mended import Repair
from inkwell_groove.core.restoration.scan import Scan
from inkwell_groove.core.restoration.steps import Clicks, Restoration
from inkwell_groove.core.restoration.told import Listed

_WORTH_SHOWING = -3.0  # log odds: one in twenty
_SAME = 0.5  # of the shorter: repairs of both channels that share so much are one


@dataclass(frozen=True)
class Choice:
    """Which candidates of a scan a plan mends, and what kind each is."""

    scan: Scan
    mended: npt.NDArray[np.bool_]
    kind: npt.NDArray[np.str_]
    said: npt.NDArray[np.bool_]  # a person decided, not the amount

    def repairs(self) -> list[Repair]:
        scan = self.scan
        return [
            Repair(start=int(scan.start[k]), end=int(scan.end[k]), channel=int(scan.channel[k]))
            for k in np.flatnonzero(self.mended)
        ]

    def listed(self, *, left_too: bool = False) -> list[Listed]:
        """Repairs in order of place, the two halves of one click as one.

        With `left_too` also what is not mended: what a person refused, and what may well be damage.
        """
        # Of a stretch that was refused altogether, what no amount would ever have mended is not worth a line.
        refused = self.said & (self.scan.odds > choosing.threshold(100.0))
        shown = self.mended | (left_too & (refused | (self.scan.odds > _WORTH_SHOWING)))
        return list(_listed(self, np.flatnonzero(shown)))


def choice(scan: Scan, clicks: Clicks | None) -> Choice:
    """What a plan's amount and verdicts make of a scan."""
    if clicks is None:
        nothing = np.zeros(len(scan), bool)
        return Choice(scan, nothing, choosing.kinds(scan, nothing), nothing)
    by_amount = choosing.chosen(scan, clicks.amount)
    kind = choosing.kinds(scan, by_amount)
    mended, said = by_amount & np.isin(kind, clicks.kinds), np.zeros(len(scan), bool)
    for verdict in clicks.verdicts:
        meant = (scan.start < verdict.end) & (scan.end > verdict.start)
        if verdict.channel is not None:
            meant &= scan.channel == verdict.channel
        if verdict.kind is not None:
            meant &= kind == verdict.kind
        mended, said = np.where(meant, verdict.mend, mended), said | meant
    return Choice(scan, mended, kind, said)


def listed_by_hand(asked: Restoration) -> list[Listed]:
    return [
        Listed(
            start=one.start,
            length=one.end - one.start,
            channel="both" if one.channel is None else one.channel,
            kind="by hand",
            likelihood=None,
            said=True,
            key=one.key,
        )
        for one in asked.by_hand
    ]


def _listed(choice: Choice, which: npt.NDArray[np.int64]) -> list[Listed]:
    scan = choice.scan
    out: list[Listed] = []
    taken: set[int] = set()
    for place, k in enumerate(which):
        if int(k) in taken:
            continue
        start, end, both = int(scan.start[k]), int(scan.end[k]), False
        likelihood, over = float(scan.odds[k]), float(scan.over_db[k])
        for j in which[place + 1 :]:
            if scan.start[j] >= end:
                break
            shared = min(end, int(scan.end[j])) - max(start, int(scan.start[j]))
            shorter = min(end - start, int(scan.end[j] - scan.start[j]))
            same_fate = choice.mended[j] == choice.mended[k]
            if scan.channel[j] != scan.channel[k] and int(j) not in taken and same_fate and shared > _SAME * shorter:
                both, end = True, max(end, int(scan.end[j]))
                likelihood, over = max(likelihood, float(scan.odds[j])), max(over, float(scan.over_db[j]))
                taken.add(int(j))
                break
        family = int(scan.family[k])
        out.append(
            Listed(
                start=start,
                length=end - start,
                channel="both" if both else int(scan.channel[k]),
                kind=str(choice.kind[k]),
                likelihood=round(1.0 / (1.0 + float(np.exp(-likelihood))), 4),
                over_db=round(over, 1),
                family=family if family >= 0 else None,
                mended=bool(choice.mended[k]),
                said=bool(choice.said[k]),
            )
        )
    return out
