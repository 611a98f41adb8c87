"""Damage on a side: the scan for it, and the list of what is mended."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query

from inkwell_groove.web.dependencies import Room
from inkwell_groove.workroom.views import JobView, RepairsView

router = APIRouter(tags=["repairs"])


@router.post("/sides/{side_id}/scan", operation_id="scanSide", status_code=202)
def scan(room: Room, side_id: int) -> JobView:
    return room.repairs.scan(side_id)


@router.get("/sides/{side_id}/repairs", operation_id="repairs")
def repairs(
    room: Room,
    side_id: int,
    amount: Annotated[float | None, Query(ge=0, le=100)] = None,
    first: Annotated[int, Query(ge=0)] = 0,
    count: Annotated[int, Query(ge=0, le=5_000)] = 1_000,
) -> RepairsView:
    """What the side's plan mends; with `amount`, what that would mend instead. Changes nothing."""
    return room.repairs.listed(side_id, amount=amount, first=first, count=count)
