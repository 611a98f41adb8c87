"""The whole shelf looked up: one undescribed docket after the other, sorted by what came of it, chosen many at once."""

from __future__ import annotations

import contextlib
import threading
from collections.abc import Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session, defer

from inkwell_groove.core.errors import Conflict, InkwellError
from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import Docket, LookUp, SourceChoice
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.leases import Leases
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.reading import WHOLE
from inkwell_groove.workroom.sources.choosing import Choosing
from inkwell_groove.workroom.sources.look_ups import LookUps, undescribed
from inkwell_groove.workroom.sources.reconciling import Reconciling
from inkwell_groove.workroom.sources.views import ChangeView, ShelfLookUpLine, ShelfLookUpView

_LEASE, _LEASE_S = "look up the shelf", 180.0  # renewed before each docket
_STOP = "stop looking up the shelf"


class ShelfLookUps(Part):
    """Looking up everything that is not described."""

    def __init__(
        self,
        database: Database,
        media: MediaStore,
        events: Events,
        look_ups: LookUps,
        choosing: Choosing,
        reconciling: Reconciling,
    ) -> None:
        super().__init__(database, media, events)
        self._look_ups, self._choosing, self._reconciling = look_ups, choosing, reconciling
        self._waiting: list[int] = []
        self._lock, self._stops = threading.Lock(), threading.Event()
        self._leases = Leases(database)
        events.hear(_STOP, lambda facts: self._stop())

    def close(self) -> None:
        self._stops.set()

    def begin(self, *, anew: bool, who: str) -> ShelfLookUpView:
        """Looks up every docket that is not described. Raises Conflict while that is going on."""
        with self._database.begin() as session:
            known = set(session.scalars(select(LookUp.docket_id).where(LookUp.state == "done")))
            wanted = [one.id for one in _shelf(session) if undescribed(one) and (anew or one.id not in known)]
        with self._lock:
            if self._waiting or not self._leases.hold(_LEASE, _LEASE_S):
                raise Conflict("the shelf is being looked up already", remedy="Wait for it, or stop it")
            self._waiting = list(wanted)
        self._stops.clear()
        if wanted:
            threading.Thread(target=self._go_through, args=(anew, who), name="look up the shelf", daemon=True).start()
        else:
            self._leases.let_go(_LEASE)
        return self.view()

    def stop(self) -> ShelfLookUpView:
        """Stop looking up the shelf, whichever server does."""
        self._events.tell_servers(_STOP)
        return self.view()

    def _stop(self) -> None:
        self._stops.set()
        for docket_id in list(self._waiting):
            self._look_ups.cancel(docket_id)

    def choose(self, docket_ids: Sequence[int], *, who: str) -> ShelfLookUpView:
        """Chooses the likeliest pressing of each, and takes what is proposed. Raises Conflict where one is not sure."""
        for docket_id in docket_ids:
            self._choosing.choose_sure(docket_id, who=who)
            self._reconciling.take_proposed(docket_id, who=who)
        return self.view()

    def view(self) -> ShelfLookUpView:
        """Every docket that is not described, with what its look-up came to and what choosing it would change."""
        with self._lock:
            waiting = list(self._waiting)
        lines = []
        with self._database.begin() as session:
            chosen = set(session.scalars(select(SourceChoice.docket_id)))
            rows = {row.docket_id: row for row in session.scalars(select(LookUp).options(defer(LookUp.releases)))}
            for docket in _shelf(session):
                if not undescribed(docket) and docket.id not in chosen:
                    continue
                row = rows.get(docket.id)
                outcome = row.outcome if row and row.outcome else {}
                is_sure = outcome.get("verdict") == "sure" and docket.id not in chosen
                lines.append(
                    ShelfLookUpLine(
                        docket_id=docket.id,
                        shelfmark=docket.shelfmark,
                        format=docket.carriers[0].format,
                        state="waiting" if docket.id in waiting[1:] else row.state if row else "not asked",
                        verdict=outcome.get("verdict"),
                        best=outcome.get("best", ""),
                        likelihood=outcome.get("likelihood"),
                        reason=outcome.get("reason", ""),
                        chosen=docket.id in chosen,
                        changes=self._changes(session, docket, row) if row is not None and is_sure else [],
                    )
                )
        return ShelfLookUpView(running=bool(waiting) or self._leases.is_held(_LEASE), lines=lines)

    def _changes(self, session: Session, docket: Docket, row: LookUp) -> list[ChangeView]:
        found = self._look_ups.candidates(docket, row)
        return self._reconciling.changes(session, docket, found[0]) if found else []

    def _go_through(self, anew: bool, who: str) -> None:
        try:
            for docket_id in list(self._waiting):
                if self._stops.is_set():
                    break
                self._leases.hold(_LEASE, _LEASE_S)
                # With nothing to ask by it stays "not asked"; running already, it is on its way.
                with contextlib.suppress(InkwellError):
                    self._look_ups.begin(docket_id, anew=anew, who=who).join()
                with self._lock:
                    self._waiting.remove(docket_id)
                self._events.publish({"kind": "look-up", "docket_id": docket_id})
        finally:
            with self._lock:
                self._waiting = []
            with contextlib.suppress(InkwellError):  # without a database it ends by itself
                self._leases.let_go(_LEASE)
            self._events.publish({"kind": "look-up", "docket_id": 0})


def _shelf(session: Session) -> list[Docket]:
    return list(session.scalars(select(Docket).options(*WHOLE).order_by(Docket.shelfmark)))
