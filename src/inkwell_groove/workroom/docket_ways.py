"""How what is said of a docket is taken back: its description, and what is said of carriers, sides and pictures.

Only where it still says what was said then: what was said later stays.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from inkwell_groove.store.models import Artwork, Carrier, DescribedValue, Docket, Side, now
from inkwell_groove.workroom.ledger import WayBack
from inkwell_groove.workroom.taking_back import Going, Gone, Way

_ROWS: dict[str, type[Docket | Carrier | Side | Artwork]] = {
    "docket": Docket,
    "carrier": Carrier,
    "side": Side,
    "artwork": Artwork,
}
Described = tuple[str, str, str, str, str, str]
"""A track's key or none, the field, what the ledger calls it, its value and origin before, and its value after."""
Said = tuple[str, int, str, str, Any, Any]
"""A table of `_ROWS`, a row's id, the attribute, what the ledger calls it, before, after."""


def described(docket_id: int, changes: Iterable[Described]) -> WayBack:
    return WayBack("description", {"docket": docket_id, "values": [list(one) for one in changes]})


def said(docket_id: int, changes: Iterable[Said]) -> WayBack:
    return WayBack("said", {"docket": docket_id, "values": [list(one) for one in changes]})


def description_way() -> Way:
    return Way(_described_still, _describe_back)


def said_way() -> Way:
    return Way(_said_still, _say_back)


def _described_still(session: Session, noted: Mapping[int, Any]) -> set[int]:
    here = select(DescribedValue).where(DescribedValue.docket_id.in_({one["docket"] for one in noted.values()}))
    now_here = {(one.docket_id, one.track_key, one.field): one.value for one in session.scalars(here)}
    return {
        entry
        for entry, told in noted.items()
        if any(now_here.get((told["docket"], key, name), "") == after for key, name, *_, after in told["values"])
    }


def _describe_back(session: Session, noted: Any, going: Going) -> Gone:
    docket = session.get_one(Docket, noted["docket"], with_for_update=True)
    present = {(one.track_key, one.field): one for one in docket.fields}
    before: dict[str, Any] = {}
    after: dict[str, Any] = {}
    for key, name, label, value, origin, given in noted["values"]:
        row = present.get((key, name))
        if (row.value if row else "") != given:
            continue
        before[label], after[label] = given, value
        if row is not None and not value:
            docket.fields.remove(row)
            session.delete(row)
        elif row is not None:
            row.value, row.origin, row.changed_at = value, origin, now()
        else:
            row = DescribedValue(track_key=key, field=name, value=value, origin=origin, changed_at=now())
            docket.fields.append(row)
    return _kept(session, docket, going, before, after)


def _said_still(session: Session, noted: Mapping[int, Any]) -> set[int]:
    return {
        entry for entry, told in noted.items() if any(_is_still(session, *one) is not None for one in told["values"])
    }


def _is_still(session: Session, table: str, row_id: int, name: str, _label: str, _before: Any, after: Any) -> Any:
    row = session.get(_ROWS[table], row_id)
    return row if row is not None and getattr(row, name) == after else None


def _say_back(session: Session, noted: Any, going: Going) -> Gone:
    docket = session.get_one(Docket, noted["docket"], with_for_update=True)
    before: dict[str, Any] = {}
    after: dict[str, Any] = {}
    for one in noted["values"]:
        if (row := _is_still(session, *one)) is not None:
            _, _, name, label, value, given = one
            before[label], after[label] = given, value
            setattr(row, name, value)
    return _kept(session, docket, going, before, after)


def _kept(session: Session, docket: Docket, going: Going, before: dict[str, Any], after: dict[str, Any]) -> Gone:
    docket.changed_at = now()
    going.record(session, docket_id=docket.id, before=before, after=after)
    return Gone({docket.id})
