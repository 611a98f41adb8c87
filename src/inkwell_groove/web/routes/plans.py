"""The plan of a side."""

from __future__ import annotations

from fastapi import Response
from pydantic import BaseModel, ConfigDict

from inkwell_groove.core.planning.edits import PlanEdit
from inkwell_groove.core.planning.plan import Edge
from inkwell_groove.core.tracks.found import FoundTracks
from inkwell_groove.web.access import READER
from inkwell_groove.web.conditional import BasedOn, version_tag
from inkwell_groove.web.dependencies import Room, Who
from inkwell_groove.web.routing import Router
from inkwell_groove.workroom.views import JobView, Knowledge, PlanView, SnapTo

router = Router("plans")


class SnapRequest(BaseModel):
    """Which end of which track is to go where."""

    model_config = ConfigDict(extra="forbid")

    track_key: str
    edge: Edge
    to: SnapTo


@router.get("/sides/{side_id}/plan", operation_id="plan")
def plan(room: Room, response: Response, side_id: int) -> PlanView:
    """The current version of the plan, which the ETag names."""
    return _tagged(room.plans.current(side_id), response)


@router.post("/sides/{side_id}/plan/edits", operation_id="editPlan")
def edit(room: Room, who: Who, response: Response, side_id: int, edit: PlanEdit, based_on: BasedOn) -> PlanView:
    return _tagged(room.plans.edit(side_id, edit, based_on=based_on, who=who), response)


@router.post("/sides/{side_id}/plan/undo", operation_id="undoPlan")
def undo(room: Room, who: Who, response: Response, side_id: int, based_on: BasedOn) -> PlanView:
    return _tagged(room.plans.undo(side_id, based_on=based_on, who=who), response)


@router.post("/sides/{side_id}/plan/redo", operation_id="redoPlan")
def redo(room: Room, who: Who, response: Response, side_id: int, based_on: BasedOn) -> PlanView:
    return _tagged(room.plans.redo(side_id, based_on=based_on, who=who), response)


@router.post("/sides/{side_id}/plan/snap", operation_id="snapEdge")
def snap(room: Room, who: Who, response: Response, side_id: int, request: SnapRequest, based_on: BasedOn) -> PlanView:
    made = room.plans.snap(side_id, request.track_key, request.edge, request.to, based_on=based_on, who=who)
    return _tagged(made, response)


@router.post("/sides/{side_id}/find-tracks", operation_id="findTracks", status_code=202)
def find_tracks(room: Room, who: Who, side_id: int, request: Knowledge) -> JobView:
    return room.plans.find_tracks(side_id, request, who=who)


@router.post("/sides/{side_id}/preview-tracks", operation_id="previewTracks", openapi_extra=READER)
def preview_tracks(room: Room, side_id: int, request: Knowledge) -> FoundTracks:
    """What finding would find. Changes nothing."""
    return room.plans.preview(side_id, request)


def _tagged(view: PlanView, response: Response) -> PlanView:
    """Return a plan, whose version becomes the ETag of the answer."""
    response.headers["ETag"] = version_tag(view.version)
    return view
