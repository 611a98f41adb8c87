"""Jobs, news and health."""

from __future__ import annotations

import json
from collections.abc import AsyncIterator

from pydantic import BaseModel
from sqlalchemy import text
from sse_starlette import EventSourceResponse, ServerSentEvent

from inkwell_groove import __version__
from inkwell_groove.web.access import ANYBODY
from inkwell_groove.web.dependencies import Room
from inkwell_groove.web.routing import Router
from inkwell_groove.workroom.views import JobView

router = Router("jobs")


class Health(BaseModel):
    status: str
    version: str


@router.get("/jobs", operation_id="jobs")
def jobs(room: Room) -> list[JobView]:
    return room.recent_jobs()


@router.post("/jobs/{job_id}/cancel", operation_id="cancelJob")
def cancel(room: Room, job_id: int) -> JobView:
    return room.jobs.cancel(job_id)


@router.get("/events", operation_id="events", response_class=EventSourceResponse)
async def events(room: Room) -> EventSourceResponse:
    """Server-sent events: {"kind": "job", "job": ...} and {"kind": "docket", "docket_id": ...}."""

    async def stream() -> AsyncIterator[ServerSentEvent]:
        async for event in room.events.subscribe({"kind": "hello"}):
            yield ServerSentEvent(data=json.dumps(event))

    return EventSourceResponse(stream(), ping=15)


@router.get("/health", operation_id="health", openapi_extra=ANYBODY)
def health(room: Room) -> Health:
    with room.database.begin() as session:
        session.execute(text("SELECT 1"))
    return Health(status="well", version=__version__)
