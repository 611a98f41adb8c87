"""What the collection holds more than once, and the holding folder."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.web.dependencies import Room, Who
from inkwell_groove.web.routing import Router
from inkwell_groove.workroom.duplicates.holding import KEPT_DAYS, HeldView
from inkwell_groove.workroom.duplicates.sets import DuplicatesView
from inkwell_groove.workroom.views import JobView

router = Router("duplicates")


class Aside(BaseModel):
    model_config = ConfigDict(extra="forbid")

    file_ids: list[int] = Field(min_length=1, max_length=50_000)
    reason: str = Field(max_length=300)
    days: int = Field(default=KEPT_DAYS, ge=1, le=3_650, description="How long they can be brought back.")


class Held(BaseModel):
    model_config = ConfigDict(extra="forbid")

    held_ids: list[int] = Field(min_length=1, max_length=50_000)


@router.get("/duplicates", operation_id="duplicates")
def duplicates(room: Room) -> DuplicatesView:
    """Copies of one recording, with the one to keep; other edits and recordings of a title; releases held twice."""
    return room.duplicates.view()


@router.post("/duplicates/compare", operation_id="compareSounds", status_code=202)
def compare(room: Room, who: Who) -> JobView:
    """Compares every sound that was heard with every other."""
    return room.comparing.ask(who=who)


@router.get("/held-files", operation_id="heldFiles")
def held(room: Room) -> list[HeldView]:
    return room.holding.all()


@router.post("/held-files", operation_id="setAside", status_code=202)
def set_aside(room: Room, who: Who, wanted: Aside) -> JobView:
    """Moves files into the holding folder, from where they can be brought back until their day."""
    return room.holding.set_aside(wanted.file_ids, wanted.reason, who=who, days=wanted.days)


@router.post("/held-files/restore", operation_id="restoreHeldFiles", status_code=202)
def bring_back(room: Room, who: Who, wanted: Held) -> JobView:
    return room.holding.bring_back(wanted.held_ids, who=who)
