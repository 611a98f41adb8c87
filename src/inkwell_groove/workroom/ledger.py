"""Writing to the ledger: every change, in the same transaction as the change itself."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from inkwell_groove.store.models import LedgerEntry, now


def record(
    session: Session,
    *,
    who: str,
    action: str,
    docket_id: int | None,
    before: dict[str, Any] | None = None,
    after: dict[str, Any] | None = None,
) -> None:
    session.add(LedgerEntry(at=now(), who=who, docket_id=docket_id, action=action[:300], before=before, after=after))
