"""The plan of a side."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

from inkwell_groove.core.planning.edits import PlanEdit
from inkwell_groove.core.planning.plan import Edge
from inkwell_groove.core.tracks.found import FoundTracks
from inkwell_groove.web.access import READER
from inkwell_groove.web.dependencies import Room, Who
from inkwell_groove.web.routing import Router
from inkwell_groove.workroom.views import JobView, Knowledge, PlanView, SnapTo

router = Router("plans")


class EditRequest(BaseModel):
    """An edit, and the version it was made on."""

    model_config = ConfigDict(extra="forbid")

    based_on: int
    edit: PlanEdit


class StepRequest(BaseModel):
    """The version that is to be undone, or after which the next is to be redone."""

    model_config = ConfigDict(extra="forbid")

    based_on: int


class SnapRequest(BaseModel):
    """Which end of which track is to go where, and the version it was asked on."""

    model_config = ConfigDict(extra="forbid")

    based_on: int
    track_key: str
    edge: Edge
    to: SnapTo


@router.post("/sides/{side_id}/plan/edits", operation_id="editPlan")
def edit(room: Room, who: Who, side_id: int, request: EditRequest) -> PlanView:
    return room.plans.edit(side_id, request.edit, based_on=request.based_on, who=who)


@router.post("/sides/{side_id}/plan/undo", operation_id="undoPlan")
def undo(room: Room, who: Who, side_id: int, request: StepRequest) -> PlanView:
    return room.plans.undo(side_id, based_on=request.based_on, who=who)


@router.post("/sides/{side_id}/plan/redo", operation_id="redoPlan")
def redo(room: Room, who: Who, side_id: int, request: StepRequest) -> PlanView:
    return room.plans.redo(side_id, based_on=request.based_on, who=who)


@router.post("/sides/{side_id}/plan/snap", operation_id="snapEdge")
def snap(room: Room, who: Who, side_id: int, request: SnapRequest) -> PlanView:
    return room.plans.snap(side_id, request.track_key, request.edge, request.to, based_on=request.based_on, who=who)


@router.post("/sides/{side_id}/find-tracks", operation_id="findTracks", status_code=202)
def find_tracks(room: Room, who: Who, side_id: int, request: Knowledge) -> JobView:
    return room.plans.find_tracks(side_id, request, who=who)


@router.post("/sides/{side_id}/preview-tracks", operation_id="previewTracks", openapi_extra=READER)
def preview_tracks(room: Room, side_id: int, request: Knowledge) -> FoundTracks:
    """What finding would find. Changes nothing."""
    return room.plans.preview(side_id, request)
