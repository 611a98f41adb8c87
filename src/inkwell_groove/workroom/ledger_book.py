"""Reading the ledger: filtered, page by page, and out as a spreadsheet."""

from __future__ import annotations

import json
import re
from datetime import datetime
from typing import Any

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import Select, func, or_, select

from inkwell_groove.core.description import clean_text
from inkwell_groove.core.errors import Refused
from inkwell_groove.core.files.spreadsheet import to_csv
from inkwell_groove.store.models import Docket, LedgerEntry
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.taking_back import TakingBack
from inkwell_groove.workroom.views import LedgerLine

MAX_PAGE = 200
_MOST_EXPORTED = 100_000
_COLUMNS = ("when", "who", "shelfmark", "what", "before", "after")


class LedgerFilter(BaseModel):
    """Which entries: of one docket, with words in them, by somebody, from a moment on, up to another."""

    model_config = ConfigDict(frozen=True)

    docket_id: int | None = None
    search: str = Field(default="", max_length=500)
    who: str = Field(default="", max_length=100)
    since: datetime | None = None
    until: datetime | None = None


class LedgerBook(Part):
    """The ledger, for reading; it is written by `ledger.record`."""

    taking_back: TakingBack

    def entries(self, wanted: LedgerFilter, *, before_id: int | None, limit: int) -> list[LedgerLine]:
        """Newest first; `before_id` goes on below an entry."""
        query = _query(wanted).limit(min(limit, MAX_PAGE))
        if before_id is not None:
            query = query.where(LedgerEntry.id < before_id)
        with self._database.begin() as session:
            rows = session.execute(query).all()
            can = self.taking_back.open_among(session, [entry for entry, _ in rows])
            return [LedgerLine.of(entry, shelfmark, is_open=entry.id in can) for entry, shelfmark in rows]

    def people(self) -> list[str]:
        """Everybody who ever did something."""
        with self._database.begin() as session:
            # From one name to the next in the index: DISTINCT reads the entries of all years.
            found: list[str] = []
            following = select(func.min(LedgerEntry.who))
            who = session.scalar(following)
            while who is not None:
                found.append(who)
                who = session.scalar(following.where(LedgerEntry.who > who))
            return sorted(found)

    def as_csv(self, wanted: LedgerFilter) -> bytes:
        """All entries that are wanted, oldest first. Raises Refused where there are over 100,000."""
        with self._database.begin() as session:
            found = session.execute(_query(wanted).limit(_MOST_EXPORTED + 1)).all()
            if len(found) > _MOST_EXPORTED:
                raise Refused(
                    f"over {_MOST_EXPORTED} entries", where="the ledger", remedy="Choose a shorter time, or one docket"
                )
            rows = [
                (
                    str(entry.id),
                    {
                        "when": entry.at.isoformat(timespec="seconds"),
                        "who": entry.who,
                        "shelfmark": shelfmark or "",
                        "what": entry.action,
                        "before": _json(entry.before),
                        "after": _json(entry.after),
                    },
                )
                for entry, shelfmark in reversed(found)
            ]
        return to_csv(_COLUMNS, rows, key="entry")


def _query(wanted: LedgerFilter) -> Select[LedgerEntry, str]:
    query = (
        select(LedgerEntry, Docket.shelfmark)
        .outerjoin(Docket, LedgerEntry.docket_id == Docket.id)
        .order_by(LedgerEntry.id.desc())
    )
    if wanted.docket_id is not None:
        query = query.where(LedgerEntry.docket_id == wanted.docket_id)
    if wanted.who:
        query = query.where(LedgerEntry.who == wanted.who)
    if wanted.since is not None:
        query = query.where(LedgerEntry.at >= wanted.since)
    if wanted.until is not None:
        query = query.where(LedgerEntry.at < wanted.until)
    if words := clean_text(wanted.search):
        like = "%" + re.sub(r"([%_\\])", r"\\\1", words) + "%"
        mark = Docket.shelfmark.collate("utf8mb4_uca1400_ai_ci")
        query = query.where(or_(LedgerEntry.action.like(like), mark.like(like)))
    return query


def _json(values: dict[str, Any] | None) -> str:
    return json.dumps(values, ensure_ascii=False) if values else ""
