"""Jobs and news."""

from __future__ import annotations

import json
from collections.abc import AsyncIterator
from typing import Annotated

from fastapi import Header, Request, Response
from sse_starlette import EventSourceResponse, ServerSentEvent

from inkwell_groove.web.dependencies import Room
from inkwell_groove.web.paging import BeforeId, Limit, link_below
from inkwell_groove.web.routing import Router
from inkwell_groove.workroom.views import JobView

router = Router("jobs")
LastEventId = Annotated[str | None, Header(max_length=18, description="Sent by browsers that connect again.")]


@router.get("/jobs", operation_id="jobs")
def jobs(
    room: Room,
    request: Request,
    response: Response,
    docket_id: int | None = None,
    before_id: BeforeId = None,
    limit: Limit = 50,
) -> list[JobView]:
    """Return jobs, or those of one docket, the newest first. A piece of a job is listed only if it failed."""
    found = room.recent_jobs(docket_id=docket_id, before_id=before_id, limit=limit)
    link_below(request, response, found, limit)
    return found


@router.get("/jobs/{job_id}", operation_id="job")
def job(room: Room, job_id: int) -> JobView:
    """One job, and how far it is."""
    return room.job(job_id)


@router.post("/jobs/{job_id}/cancel", operation_id="cancelJob")
def cancel(room: Room, job_id: int) -> JobView:
    return room.jobs.cancel(job_id)


@router.get("/events", operation_id="events", response_class=EventSourceResponse)
async def events(room: Room, last_event_id: LastEventId = None) -> EventSourceResponse:
    """Server-sent events: {"kind": "job", "job": ...} and {"kind": "docket", "docket_id": ...}.

    Where several servers work together events have numbers, and a connection that was lost goes on after the last one.
    """
    last = int(last_event_id) if last_event_id and last_event_id.isdecimal() else None

    async def stream() -> AsyncIterator[ServerSentEvent]:
        highest = last or 0
        async for event in room.events.follow(last):
            number = event.get("news_id", 0)
            # One that comes late has no number: the next connection is not to begin before it again.
            highest, told = max(highest, number), str(number) if number > highest else None
            yield ServerSentEvent(data=json.dumps(event), id=told)

    return EventSourceResponse(stream(), ping=15)
