"""The ledger."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Response
from pydantic import Field

from inkwell_groove.web.dependencies import Room
from inkwell_groove.workroom.ledger_book import MAX_PAGE, LedgerFilter
from inkwell_groove.workroom.views import LedgerLine

router = APIRouter(tags=["ledger"])


class Page(LedgerFilter):
    before_id: int | None = None
    limit: int = Field(default=100, ge=1, le=MAX_PAGE)


@router.get("/ledger", operation_id="ledger")
def ledger(room: Room, wanted: Annotated[Page, Query()]) -> list[LedgerLine]:
    return room.ledger_book.entries(wanted, before_id=wanted.before_id, limit=wanted.limit)


@router.get("/ledger/people", operation_id="ledgerPeople")
def people(room: Room) -> list[str]:
    """Everybody who ever did something."""
    return room.ledger_book.people()


@router.get("/ledger.csv", operation_id="ledgerCsv", response_class=Response)
def as_csv(room: Room, wanted: Annotated[LedgerFilter, Query()]) -> Response:
    """The entries that are wanted, oldest first, with what was before and after."""
    data = room.ledger_book.as_csv(wanted)
    headers = {"Content-Disposition": 'attachment; filename="ledger.csv"'}
    return Response(data, media_type="text/csv; charset=utf-8", headers=headers)
