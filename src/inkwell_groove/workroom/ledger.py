"""Writing to the ledger: every change, in the same transaction as the change itself."""

from __future__ import annotations

from typing import Any, Literal, NamedTuple

from sqlalchemy.orm import Session

from inkwell_groove.store.models import LedgerEntry, now

# Each is taken back by the part of the work that did it: see `taking_back`.
WayKind = Literal[
    "file step",
    "merge",
    "held files",
    "description",
    "said",
    "plan",
    "dismissals",
    "house document",
    "pressing",
    "account",
]


class WayBack(NamedTuple):
    """What an entry is taken back by, which JSON can hold."""

    kind: WayKind
    to: Any


def record(
    session: Session,
    *,
    who: str,
    action: str,
    docket_id: int | None,
    before: dict[str, Any] | None = None,
    after: dict[str, Any] | None = None,
    way_back: WayBack | None = None,
) -> None:
    entry = LedgerEntry(at=now(), who=who, docket_id=docket_id, action=action[:300], before=before, after=after)
    entry.way_back = way_back._asdict() if way_back else None
    session.add(entry)
