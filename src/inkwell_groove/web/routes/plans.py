"""The plan of a side."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.plan_edits import PlanEdit
from inkwell_groove.web.dependencies import Room, Who
from inkwell_groove.workroom.views import JobView, PlanView

router = APIRouter(tags=["plans"])


class EditRequest(BaseModel):
    """An edit, and the version it was made on."""

    model_config = ConfigDict(extra="forbid")

    based_on: int
    edit: PlanEdit


class FindRequest(BaseModel):
    """What is known of the side; nothing is fine."""

    model_config = ConfigDict(extra="forbid")

    count: int | None = Field(default=None, ge=1, le=99)
    durations_s: list[float | None] | None = None


@router.post("/sides/{side_id}/plan/edits", operation_id="editPlan")
def edit(room: Room, who: Who, side_id: int, request: EditRequest) -> PlanView:
    return room.plans.edit(side_id, request.edit, based_on=request.based_on, who=who)


@router.post("/sides/{side_id}/plan/undo", operation_id="undoPlan")
def undo(room: Room, who: Who, side_id: int) -> PlanView:
    return room.plans.undo(side_id, who=who)


@router.post("/sides/{side_id}/plan/redo", operation_id="redoPlan")
def redo(room: Room, who: Who, side_id: int) -> PlanView:
    return room.plans.redo(side_id, who=who)


@router.post("/sides/{side_id}/find-tracks", operation_id="findTracks", status_code=202)
def find_tracks(room: Room, who: Who, side_id: int, request: FindRequest) -> JobView:
    return room.plans.find_tracks(side_id, count=request.count, durations_s=request.durations_s, who=who)
