"""Damage on a side: scanned for in a job, kept beside the take, and listed as the side's plan would mend it."""

from __future__ import annotations

import shutil
import threading
from collections import Counter, OrderedDict
from collections.abc import Callable
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
from sqlalchemy.orm import Session

from inkwell_groove.core.errors import Conflict
from inkwell_groove.core.restoration.steps import Clicks
from inkwell_groove.core.restoration.told import Listed, Proposal
from inkwell_groove.store.database import Database, after_commit
from inkwell_groove.store.media import SCAN_NAME, MediaStore
from inkwell_groove.store.models import Job
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.hearing import Hearing
from inkwell_groove.workroom.jobs.arguments import ScanTake
from inkwell_groove.workroom.jobs.kind import AnyKind, JobKind, Lane, finish_nothing
from inkwell_groove.workroom.jobs.pieces import Piece
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.reading import side_label, side_row
from inkwell_groove.workroom.repair_views import RepairOrder, RepairState, RepairsView, RepairsWanted
from inkwell_groove.workroom.views import JobView, format_of

if TYPE_CHECKING:
    from inkwell_groove.core.restoration.scan import Scan

SCAN, SCAN_PIECE = "scan for damage", "scan some stretches for damage"
_STRETCHES_IN_PIECE = 12  # a minute: some seconds of work
_AT_ONCE = 4  # pieces: somebody may wait for something else in the same lane
_JOBS = "inkwell_groove.workroom.jobs.sides"
_KEPT = 12  # lists, of a few thousand repairs each


class _SideRepairs(NamedTuple):
    found: Scan
    proposal: Proposal
    amount: float | None
    listed: list[Listed]


_ORDERS: dict[RepairOrder, Callable[[Listed], Any]] = {
    "place": lambda one: one.start,
    "likelihood": lambda one: (-(one.likelihood if one.likelihood is not None else 2.0), one.start),
    "least likely": lambda one: (one.likelihood if one.likelihood is not None else 2.0, one.start),
    "size": lambda one: (-(one.over_db if one.over_db is not None else -999.0), one.start),
    "length": lambda one: (-one.length, one.start),
}


class Repairs(Part):
    """Scanning, and what was found."""

    def __init__(self, database: Database, media: MediaStore, events: Events, hearing: Hearing) -> None:
        super().__init__(database, media, events)
        self._hearing = hearing
        self._sides: OrderedDict[tuple[int, float | None, str], _SideRepairs] = OrderedDict()
        self._lock = threading.Lock()

    def kinds(self) -> list[AnyKind]:
        forget = self._forget_pieces
        return [
            JobKind(SCAN, f"{_JOBS}:scan", ScanTake, forget, forget, lane=Lane.QUICK),
            JobKind(SCAN_PIECE, f"{_JOBS}:scan_some", ScanTake, finish_nothing, lane=Lane.QUICK),
        ]

    def _forget_pieces(self, session: Session, job: Job, arguments: ScanTake, _: object) -> None:
        folder = self._media.pieces(job.id)
        after_commit(session, lambda: shutil.rmtree(folder, ignore_errors=True))

    def scan(self, side_id: int) -> JobView:
        """Ask for the job that scans the side's take, in pieces. Raises Conflict where it has none."""
        from inkwell_groove.core.restoration.scan import stretches_of

        with self._database.begin() as session:
            side = side_row(session, side_id, lock=True)
            take = side.chosen_take
            if take is None:
                raise Conflict(
                    "this side has no take yet", where=side_label(side), remedy="Drop a recording on it first"
                )
            asked = ScanTake(sha256=take.sha256, name=take.name)
            subject = f"{side.carrier.docket.shelfmark}, side {side.letter}"
            starts = range(0, stretches_of(format_of(take)), _STRETCHES_IN_PIECE)

            def arguments(job_id: int) -> ScanTake:
                return asked.model_copy(update={"whole_id": job_id})

            def pieces(job_id: int) -> list[Piece]:
                if len(starts) < 2:
                    return []
                of_whole = {"whole_id": job_id, "stretches": _STRETCHES_IN_PIECE}
                return [
                    Piece(SCAN_PIECE, asked.model_copy(update={**of_whole, "first": first}), subject)
                    for first in starts
                ]

            job = self.jobs.ask(
                session,
                SCAN,
                docket_id=side.carrier.docket_id,
                subject=subject,
                arguments=arguments,
                pieces=pieces,
                at_once=_AT_ONCE,
            )
            return JobView.of(job)

    def listed(self, side_id: int, wanted: RepairsWanted) -> RepairsView:
        """What the plan mends, or what another amount would, and what it leaves. Raises Conflict before the scan."""
        side = self._side(side_id, wanted.amount)
        own = [one for one in side.listed if _state(one) in wanted.states and _is_wanted(one, wanted)]
        own.sort(key=_ORDERS[wanted.order])
        mended = [one for one in side.listed if one.mended]
        per_minute = [0] * (side.found.samples // (60 * side.found.rate_hz) + 1)
        for one in mended:
            per_minute[one.start // (60 * side.found.rate_hz)] += 1
        return RepairsView(
            proposal=side.proposal,
            amount=side.amount,
            total=len(own),
            mended=len(mended),
            by_kind=dict(Counter(one.kind for one in mended).most_common()),
            refused=sum(_state(one) == "refused" for one in side.listed),
            per_minute=per_minute,
            turn_s=side.found.turn_s or None,
            repairs=own[wanted.first : wanted.first + wanted.count],
        )

    def places(self, side_id: int) -> bytes:
        """Little-endian int32 [repair][start, length, whether it is mended], in order, for drawing all of them."""
        rows = [(one.start, one.length, int(one.mended)) for one in self._side(side_id, None).listed if _shows(one)]
        return np.array(rows, "<i4").reshape(-1, 3).tobytes()

    def _side(self, side_id: int, amount: float | None) -> _SideRepairs:
        from inkwell_groove.core.restoration.choosing import propose

        asked = self._hearing.asked(side_id)
        if asked.restoration.clicks is None and amount is None:
            amount_used = None
        else:
            amount_used = amount if amount is not None else asked.restoration.clicks.amount  # type: ignore[union-attr]
        key = (asked.version, amount_used, self._hearing.learnt_key(asked))
        with self._lock:
            if key in self._sides:
                self._sides.move_to_end(key)
                return self._sides[key]
        if amount is not None:
            clicks = (asked.restoration.clicks or Clicks(amount=amount)).model_copy(update={"amount": amount})
            asked = asked.with_restoration(asked.restoration.model_copy(update={"clicks": clicks}))
        found = self._hearing.scan_of(asked)
        prepared = self._hearing.prepared(asked, found)
        own = range(asked.plan.side_start_sample, asked.plan.end_sample)
        side = _SideRepairs(
            found, propose(found), amount_used, [one for one in prepared.listed(left_too=True) if one.start in own]
        )
        with self._lock:
            self._sides[key] = side
            while len(self._sides) > _KEPT:
                self._sides.popitem(last=False)
        return side


def _state(one: Listed) -> RepairState:
    if one.mended:
        return "accepted" if one.said else "mended"
    return "refused" if one.said else "left"


def _shows(one: Listed) -> bool:
    return one.mended or one.said


def _is_wanted(one: Listed, wanted: RepairsWanted) -> bool:
    return (
        (not wanted.kinds or one.kind in wanted.kinds)
        and (wanted.channel is None or one.channel in (wanted.channel, "both"))
        and one.start + one.length > wanted.from_sample
        and (wanted.to_sample is None or one.start < wanted.to_sample)
    )


def scan_path(media: MediaStore, sha256: str) -> str:
    """Return the name of the place where a take's scan is kept, empty if it was not scanned."""
    path = media.derived(sha256, SCAN_NAME)
    return media.name_of(path) if path.exists() else ""
