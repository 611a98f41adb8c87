"""Who runs jobs, on which machine."""

from __future__ import annotations

from inkwell_groove.web.access import KEEPER
from inkwell_groove.web.dependencies import Room, Who
from inkwell_groove.web.routing import Router
from inkwell_groove.workroom.workers import WorkersView

router = Router("workers")


@router.get("/workers", operation_id="workers")
def workers(room: Room) -> WorkersView:
    return room.workers.view()


@router.post("/workers/{worker_id}/drain", operation_id="drainWorker", openapi_extra=KEEPER)
def drain(room: Room, who: Who, worker_id: int) -> WorkersView:
    """Ask a worker to begin no other job, and to leave when those it runs have ended."""
    return room.workers.drain(worker_id, who=who)
