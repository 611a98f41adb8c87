"""For whoever watches over the server: whether it lives, whether it can work, and figures."""

from __future__ import annotations

from typing import Annotated

from fastapi import Query, Response
from prometheus_client import CONTENT_TYPE_LATEST, REGISTRY, generate_latest
from pydantic import BaseModel

from inkwell_groove import __version__
from inkwell_groove.web.access import ANYBODY, KEEPER, READER
from inkwell_groove.web.dependencies import Room
from inkwell_groove.web.routing import Router
from inkwell_groove.workroom.history import OperationsView
from inkwell_groove.workroom.operations import ReadyView

router = Router("operations")


class Health(BaseModel):
    status: str
    version: str


@router.get("/health", operation_id="health", openapi_extra=ANYBODY)
async def health() -> Health:
    """Whether the server lives: nothing else is asked."""
    return Health(status="well", version=__version__)


@router.get("/ready", operation_id="ready", openapi_extra=ANYBODY, responses={503: {"model": ReadyView}})
def ready(room: Room, response: Response) -> ReadyView:
    """Whether requests should be sent here: 503 if not, with what is not as it must be."""
    view = room.operations.ready()
    response.status_code = 200 if view.ready else 503
    return view


@router.get("/operations", operation_id="operations", openapi_extra=KEEPER)
def operations(room: Room, hours: Annotated[float, Query(gt=0, le=24)] = 6) -> OperationsView:
    """How this server is, and how it was within so many hours."""
    return room.history.view(hours=hours)


@router.get("/metrics", operation_id="metrics", response_class=Response, openapi_extra=READER)
def metrics(room: Room) -> Response:
    """Figures in Prometheus' text format, of this server and of the house."""
    return Response(generate_latest(REGISTRY) + room.operations.figures(), media_type=CONTENT_TYPE_LATEST)
