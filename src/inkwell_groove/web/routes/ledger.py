"""The ledger."""

from __future__ import annotations

from typing import Annotated

from fastapi import Query, Request, Response
from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.web.access import EXPORT
from inkwell_groove.web.dependencies import Asking, Room
from inkwell_groove.web.paging import link_below
from inkwell_groove.web.routing import Router
from inkwell_groove.workroom.ledger_book import MAX_PAGE, LedgerFilter
from inkwell_groove.workroom.taking_back import TakenBackView
from inkwell_groove.workroom.views import LedgerLine

router = Router("ledger")


class Page(LedgerFilter):
    before_id: int | None = None
    limit: int = Field(default=100, ge=1, le=MAX_PAGE)


@router.get("/ledger", operation_id="ledger")
def ledger(room: Room, request: Request, response: Response, wanted: Annotated[Page, Query()]) -> list[LedgerLine]:
    """Return entries, the newest first."""
    found = room.ledger_book.entries(wanted, before_id=wanted.before_id, limit=wanted.limit)
    link_below(request, response, found, wanted.limit)
    return found


class Entries(BaseModel):
    model_config = ConfigDict(extra="forbid")

    ids: list[int] = Field(min_length=1, max_length=1_000)


@router.post("/ledger/undo", operation_id="undoEntries", status_code=202)
def take_back(room: Room, person: Asking, wanted: Entries) -> TakenBackView:
    """Entries, whatever they tell of, the newest first."""
    return room.taking_back.take_back(wanted.ids, by=person)


@router.get("/ledger/people", operation_id="ledgerPeople")
def people(room: Room) -> list[str]:
    """Everybody who ever did something."""
    return room.ledger_book.people()


@router.get("/ledger.csv", operation_id="ledgerCsv", response_class=Response, openapi_extra=EXPORT)
def as_csv(room: Room, wanted: Annotated[LedgerFilter, Query()]) -> Response:
    """The entries that are wanted, oldest first, with what was before and after."""
    data = room.ledger_book.as_csv(wanted)
    headers = {"Content-Disposition": 'attachment; filename="ledger.csv"'}
    return Response(data, media_type="text/csv; charset=utf-8", headers=headers)
