"""A docket as one ZIP for another house, and one taken in from there."""

from __future__ import annotations

from typing import Annotated
from urllib.parse import quote

from fastapi import Query, Request
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import StreamingResponse

from inkwell_groove.core.filing import safe_name
from inkwell_groove.web.access import EXPORT
from inkwell_groove.web.dependencies import RAW_BODY, Room, Who
from inkwell_groove.web.receiving import received
from inkwell_groove.web.routing import Router
from inkwell_groove.web.zipping import zip_of
from inkwell_groove.workroom.views import JobView

router = Router("parcels")


@router.get(
    "/dockets/{docket_id}/parcel.zip", operation_id="parcel", response_class=StreamingResponse, openapi_extra=EXPORT
)
def parcel(room: Room, docket_id: int) -> StreamingResponse:
    """Takes, plans, description, pictures and ledger of a docket."""
    shelfmark, files = room.parcels.contents(docket_id)
    name = quote(safe_name(f"{shelfmark} docket", suffix=".zip"))
    disposition = f"attachment; filename=\"docket-{docket_id}.zip\"; filename*=UTF-8''{name}"
    return StreamingResponse(zip_of(files), media_type="application/zip", headers={"Content-Disposition": disposition})


@router.post("/parcels", operation_id="importParcel", openapi_extra=RAW_BODY, status_code=202)
async def take_in(
    room: Room, who: Who, request: Request, shelfmark: Annotated[str, Query(max_length=100)] = ""
) -> JobView:
    """The ZIP's bytes are the request's body; it may come in under another shelfmark than its own."""
    async with received(request, room, "the ZIP") as path:
        return await run_in_threadpool(room.parcels.take_in, path, shelfmark=shelfmark, who=who)
