"""Starting points, and many sides restored from one."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.web.access import READER
from inkwell_groove.web.dependencies import Room, Who
from inkwell_groove.web.routing import Router
from inkwell_groove.workroom.repair_views import RestoredSideView, StartingPointView
from inkwell_groove.workroom.views import JobView

router = Router("restoring")


class NewStartingPoint(BaseModel):
    """A name for the steps of a side's plan."""

    model_config = ConfigDict(extra="forbid")

    side_id: int
    name: str = Field(max_length=60)
    suits: str = Field(default="", max_length=120)


class DocketsToRestore(BaseModel):
    model_config = ConfigDict(extra="forbid")

    docket_ids: list[int] = Field(min_length=1)
    starting_point: str


class RestorationsToUndo(BaseModel):
    """The jobs that restored, as the answer to their beginning names them."""

    model_config = ConfigDict(extra="forbid")

    job_ids: list[int] = Field(min_length=1, max_length=2_000)


class Undone(BaseModel):
    sides: int


@router.get("/starting-points", operation_id="startingPoints")
def starting_points(room: Room) -> list[StartingPointView]:
    return room.restoring.points()


@router.post("/starting-points", operation_id="saveStartingPoint", status_code=201)
def save(room: Room, who: Who, new: NewStartingPoint) -> StartingPointView:
    return room.restoring.save(new.side_id, new.name, new.suits, who=who)


@router.delete("/starting-points/{point_id}", operation_id="deleteStartingPoint", status_code=204)
def forget(room: Room, who: Who, point_id: int) -> None:
    room.restoring.forget(point_id, who=who)


@router.post("/restorations/preview", operation_id="previewRestorations", openapi_extra=READER)
def preview(room: Room, wanted: DocketsToRestore) -> list[RestoredSideView]:
    """Every side as it is and as it would become. Changes nothing."""
    return room.restoring.preview(wanted.docket_ids, wanted.starting_point)


@router.post("/restorations", operation_id="restoreDockets", status_code=202)
def restore(room: Room, who: Who, wanted: DocketsToRestore) -> list[JobView]:
    return room.restoring.begin(wanted.docket_ids, wanted.starting_point, who=who)


@router.post("/restorations/undo", operation_id="undoRestorations")
def undo(room: Room, who: Who, wanted: RestorationsToUndo) -> Undone:
    """Undoes what these jobs did, for every side that nothing was done to since."""
    return Undone(sides=room.restoring.undo(wanted.job_ids, who=who))
