"""Taking back what the ledger tells of: single entries, or all of a day, the newest first.

Each part of the work says how its own entries are taken back. Some of that is a job; what is to follow it is kept in
the job's arguments and asked for as the job ends, in the same transaction, so that a restart in between forgets none.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, NamedTuple

from sqlalchemy import select
from sqlalchemy.orm import Session

from inkwell_groove.core.accounts import Person, Role, may
from inkwell_groove.core.errors import Conflict, InkwellError, Missing, NotAllowed
from inkwell_groove.store.database import Database, after_commit, savepoint
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import Job, LedgerEntry
from inkwell_groove.workroom import ledger
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.jobs.arguments import MoveFiles, UndoStep
from inkwell_groove.workroom.ledger import WayKind
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.views import View


@dataclass(frozen=True)
class Going:
    """Who takes back what (in the entry's words), which entries follow, and after which job that has just ended."""

    who: str
    then: tuple[int, ...] = ()
    ended_job: int | None = None
    what: str = ""

    @classmethod
    def after(cls, job: Job, arguments: UndoStep | MoveFiles) -> Going:
        return cls(arguments.who, tuple(arguments.then), job.id)

    def record(
        self, session: Session, *, docket_id: int | None, before: dict[str, Any] | None, after: dict[str, Any] | None
    ) -> None:
        """Write into the ledger that the entry was taken back."""
        action = f"taken back: {self.what}"
        ledger.record(session, who=self.who, action=action, docket_id=docket_id, before=before, after=after)

    def arguments(self) -> dict[str, Any]:
        """What a job keeps of it."""
        return {"who": self.who, "then": list(self.then)}


class Gone(NamedTuple):
    """What came of it: dockets that changed, and whether a job is at it, which then goes on with what is to follow."""

    dockets: Collection[int] = ()
    by_job: bool = False


@dataclass(frozen=True)
class Way:
    """How entries of one kind are taken back.

    `is_open`: of several, by the entry's id, which can be now. `go` takes one back in the caller's transaction, and
    raises Conflict where that cannot be.
    """

    is_open: Callable[[Session, Mapping[int, Any]], set[int]]
    go: Callable[[Session, Any, Going], Gone]
    is_for_keepers: Callable[[Any], bool] = lambda to: False


class TakenBackView(View):
    """How many entries were taken back at once, how many follow in jobs, and how many could not be and stay."""

    done: int
    following: int
    left: int


class TakingBack(Part):
    """Entries of the ledger, whatever they tell of."""

    def __init__(self, database: Database, media: MediaStore, events: Events, ways: Mapping[WayKind, Way]) -> None:
        super().__init__(database, media, events)
        self._ways = ways

    def open_among(self, session: Session, entries: Sequence[LedgerEntry]) -> set[int]:
        """The ids of those that can be taken back now."""
        found: set[int] = set()
        for kind, way in self._ways.items():
            of_kind = {one.id: one.way_back["to"] for one in entries if one.way_back and one.way_back["kind"] == kind}
            if of_kind:
                found |= way.is_open(session, of_kind)
        return found

    def take_back(self, entry_ids: Collection[int], *, by: Person) -> TakenBackView:
        """Takes entries back, the newest first: each as it is when its turn comes, for what a newer one changed is
        open again once that is undone. What was changed otherwise stays as it is, and is counted as left.

        Raises Missing for an unknown entry, NotAllowed for one that only a keeper takes back, Conflict where none of
        them can be taken back or files are being written.
        """
        with self._database.begin() as session:
            found = {one.id: one for one in session.scalars(select(LedgerEntry).where(LedgerEntry.id.in_(entry_ids)))}
            if unknown := set(entry_ids) - found.keys():
                raise Missing(f"there is no entry {min(unknown)}", where="the ledger", remedy="Look at it again")
            for entry in found.values():
                if entry.way_back and not may(by.role, self._needed_for(entry.way_back)):
                    raise NotAllowed(
                        f"only a keeper takes this back: {entry.action}", where=by.name, remedy="Ask a keeper"
                    )
            view, dockets = self._go(session, sorted(found, reverse=True), Going(by.signature))
            if not view.done:
                raise Conflict(
                    "it was changed since, or taken back already",
                    where="the ledger",
                    remedy="Take back what was done later first, or change it by hand",
                )
        self._tell(dockets)
        return view

    def _needed_for(self, way_back: Mapping[str, Any]) -> Role:
        return "keeper" if self._ways[way_back["kind"]].is_for_keepers(way_back["to"]) else "archivist"

    def go_on(self, session: Session, going: Going, whole: bool) -> None:
        """What follows a job that took one back: nothing, where not the whole of it went back.

        In the transaction in which that job ends.
        """
        if not going.then:
            return
        left, why, dockets = len(going.then), "what was done after them did not go back whole", set[int]()
        if whole:
            try:
                with savepoint(session):
                    view, dockets = self._go(session, going.then, replace(going, then=()))
                left, why = view.left, "changed since, or taken back already"
            except InkwellError as cause:
                why = cause.what
        if left:
            ledger.record(session, who=going.who, action=f"{left} more were not taken back: {why}", docket_id=None)
        after_commit(session, lambda: self._tell(dockets))

    def _go(self, session: Session, ids: Sequence[int], going: Going) -> tuple[TakenBackView, set[int]]:
        done, left = 0, 0
        dockets: set[int] = set()
        for place, entry_id in enumerate(ids):
            entry = session.get_one(LedgerEntry, entry_id)
            if not self.open_among(session, [entry]):
                left += 1
                continue
            assert entry.way_back is not None
            way = self._ways[entry.way_back["kind"]]
            following = ids[place + 1 :]
            gone = way.go(session, entry.way_back["to"], replace(going, then=tuple(following), what=entry.action))
            session.flush()
            done += 1
            dockets |= set(gone.dockets)
            if gone.by_job:
                return TakenBackView(done=done, following=len(following), left=left), dockets
        return TakenBackView(done=done, following=0, left=left), dockets

    def _tell(self, dockets: Collection[int]) -> None:
        for one in dockets:
            self._events.docket_changed(one)
        self._events.publish({"kind": "survey"})
