"""What a house saves under a name: rules, patterns, profiles, targets, searches. Saved, removed, and both undone."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Collection, Mapping
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from inkwell_groove.core.seen import check_seen, merged
from inkwell_groove.store.database import after_commit
from inkwell_groove.store.models import HouseDocument
from inkwell_groove.workroom import ledger
from inkwell_groove.workroom.ledger import WayBack
from inkwell_groove.workroom.taking_back import Going, Gone, Way

Document = dict[str, Any]
Follow = Callable[[Session, str, Document | None, str], set[int]]
"""What follows from a document that was undone (its name, what it is now, who): the dockets that changed with it."""


def documents_of(session: Session, kind: str) -> list[HouseDocument]:
    """Return the documents of a kind in their order."""
    query = select(HouseDocument).where(HouseDocument.kind == kind)
    return list(session.scalars(query.order_by(HouseDocument.position, HouseDocument.id)))


def document_named(session: Session, kind: str, name: str, *, lock: bool = False) -> HouseDocument | None:
    query = select(HouseDocument).where(HouseDocument.kind == kind, HouseDocument.name == name)
    return session.scalars(query.with_for_update() if lock else query).first()


def version_of(document: Document) -> str:
    """Return what tells this document from any other under its name."""
    return hashlib.sha256(json.dumps(document, sort_keys=True).encode()).hexdigest()[:16]


def save_document(
    session: Session,
    kind: str,
    name: str,
    document: Document,
    *,
    what: str,
    who: str,
    seen: Document | None = None,
    standing: Document | None = None,
    on: str | None = None,
) -> HouseDocument:
    """Save a document under its name; one of that name is replaced. The ledger says that `what` was saved.

    `seen` is the document on which the change was made, `standing` the one that holds while none is saved. What
    somebody else has changed meanwhile stays where this change leaves it alone; raises ChangedMeanwhile where both
    changed the same. For a document that is replaced as a whole, `on` is the version that is known to stand under the
    name, empty if none is known to; raises ChangedMeanwhile if another one does.
    """
    row = document_named(session, kind, name, lock=True)
    before = dict(row.document) if row is not None else None
    if on is not None and before is not None and version_of(before) != on:
        check_seen((key, None, before.get(key), value) for key, value in document.items() if before.get(key) != value)
    now = before if before is not None else standing
    if seen is not None and now is not None:
        document = merged(seen, now, document)
    if row is None:
        last = session.scalar(select(func.max(HouseDocument.position)).where(HouseDocument.kind == kind))
        row = HouseDocument(kind=kind, name=name, position=0 if last is None else last + 1, document=document)
        session.add(row)
    row.document = document
    session.flush()
    _record(session, row, f"{what} saved", before, document, who)
    return row


def remove_document(session: Session, row: HouseDocument, *, what: str, who: str) -> None:
    """Remove a document; the ledger keeps what it said, and can bring it back."""
    _record(session, row, f"{what} removed", dict(row.document), None, who)
    session.delete(row)


def _record(
    session: Session, row: HouseDocument, action: str, before: Document | None, after: Document | None, who: str
) -> None:
    if before == after:
        return
    to = {"kind": row.kind, "name": row.name, "position": row.position, "before": before, "after": after}
    ledger.record(
        session,
        who=who,
        action=action,
        docket_id=None,
        before=before,
        after=after,
        way_back=WayBack("house document", to),
    )


def way_back(follow: Mapping[str, Follow], declared: Callable[[str], None], *, for_everybody: Collection[str]) -> Way:
    """Return how such entries are undone: by keepers, but for the kinds that archivists save.

    `follow` is called by kind; `declared` once that is committed.
    """

    def go(session: Session, to: Any, going: Going) -> Gone:
        row = document_named(session, to["kind"], to["name"], lock=True)
        if to["before"] is None:
            if row is not None:
                session.delete(row)
        elif row is None:
            session.add(HouseDocument(**{key: to[key] for key in ("kind", "name", "position")}, document=to["before"]))
        else:
            row.document = to["before"]
        session.flush()
        changed = follow[to["kind"]](session, to["name"], to["before"], going.who) if to["kind"] in follow else set()
        going.record(session, docket_id=None, before=to["after"], after=to["before"])
        after_commit(session, lambda: declared(going.who))
        return Gone(changed)

    return Way(_as_they_were_left, go, is_for_keepers=lambda to: to["kind"] not in for_everybody)


def _as_they_were_left(session: Session, noted: Mapping[int, Any]) -> set[int]:
    """Return the entries whose document is still what they made of it."""
    found = set()
    for entry, to in noted.items():
        row = document_named(session, to["kind"], to["name"])
        if (dict(row.document) if row is not None else None) == to["after"]:
            found.add(entry)
    return found
