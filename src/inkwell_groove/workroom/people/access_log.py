"""The access log: who came in, who was refused, what became of accounts and tokens, and which data went out.

It is apart from the ledger, which tells of the work. Keepers read it; nobody changes it; lines go after some years.
"""

from __future__ import annotations

import time
from collections import OrderedDict
from datetime import datetime, timedelta
from typing import Literal, get_args

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import Select, delete, or_, select
from sqlalchemy.orm import Session

from inkwell_groove.core.accounts import Person
from inkwell_groove.core.files.spreadsheet import to_csv
from inkwell_groove.store.models import AccessEntry, now
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.views import View

AccessKind = Literal["signed in", "signed out", "refused", "account", "token", "export"]
KINDS: tuple[AccessKind, ...] = get_args(AccessKind)
MAX_PAGE = 200
_MOST_EXPORTED = 100_000
_KEPT = timedelta(days=3 * 366)
_SAME_WITHIN_S, _MOST_TOLD = 600.0, 1_000
_COLUMNS = ("when", "kind", "who", "address", "what")


class AccessLine(View):
    id: int
    at: datetime
    kind: AccessKind
    who: str
    address: str
    what: str


class AccessFilter(BaseModel):
    """Which lines: of one kind, with a text in the name, the address or what happened."""

    model_config = ConfigDict(frozen=True)

    kind: AccessKind | None = None
    search: str = Field(default="", max_length=200)


def note(session: Session, *, kind: AccessKind, who: str, address: str, what: str) -> None:
    """Write a line, in the transaction of what it tells of."""
    session.add(AccessEntry(kind=kind, who=who[:100], address=address[:64], what=what[:300]))


def forget_the_oldest(session: Session) -> None:
    """Delete what is older than three years."""
    session.execute(delete(AccessEntry).where(AccessEntry.at < now() - _KEPT))


class AccessLog(Part):
    """The log, for whoever lets people in and for keepers to read."""

    def __init__(self, *doors: object) -> None:
        super().__init__(*doors)  # type: ignore[arg-type]
        self._told: OrderedDict[tuple[str, str, str], float] = OrderedDict()

    def refused(self, person: Person, what: str) -> None:
        """Note that somebody asked for more than their role allows: the same once in ten minutes."""
        self._note_once("refused", person, what)

    def exported(self, person: Person, what: str) -> None:
        """Note that data of the house went to somebody: the same once in ten minutes."""
        self._note_once("export", person, what)

    def _note_once(self, kind: AccessKind, person: Person, what: str) -> None:
        key, at = (kind, person.signature, what), time.monotonic()
        if at - self._told.get(key, -_SAME_WITHIN_S) < _SAME_WITHIN_S:
            return
        self._told[key] = at
        self._told.move_to_end(key)
        while len(self._told) > _MOST_TOLD:
            self._told.popitem(last=False)
        with self._database.begin() as session:
            note(session, kind=kind, who=person.signature, address=person.address, what=what)

    def lines(self, wanted: AccessFilter, *, before_id: int | None, limit: int) -> list[AccessLine]:
        """Return lines, newest first; `before_id` goes on below a line."""
        query = _query(wanted).limit(min(limit, MAX_PAGE))
        if before_id is not None:
            query = query.where(AccessEntry.id < before_id)
        with self._database.begin() as session:
            return [_line(entry) for entry in session.scalars(query)]

    def as_csv(self, wanted: AccessFilter) -> bytes:
        """Return the newest 100,000 lines that are wanted, oldest first, as a spreadsheet."""
        with self._database.begin() as session:
            found = list(session.scalars(_query(wanted).limit(_MOST_EXPORTED)))
        rows = [
            (
                str(one.id),
                {
                    "when": one.at.isoformat(timespec="seconds"),
                    "kind": one.kind,
                    "who": one.who,
                    "address": one.address,
                    "what": one.what,
                },
            )
            for one in reversed(found)
        ]
        return to_csv(_COLUMNS, rows, key="entry")


def _query(wanted: AccessFilter) -> Select[AccessEntry]:
    query = select(AccessEntry).order_by(AccessEntry.id.desc())
    if wanted.kind is not None:
        query = query.where(AccessEntry.kind == wanted.kind)
    if wanted.search:
        fields = (AccessEntry.who, AccessEntry.address, AccessEntry.what)
        query = query.where(or_(*(field.contains(wanted.search, autoescape=True) for field in fields)))
    return query


def _line(entry: AccessEntry) -> AccessLine:
    return AccessLine(
        id=entry.id,
        at=entry.at,
        kind=entry.kind,
        who=entry.who,
        address=entry.address,
        what=entry.what,
    )
