"""Optical drives, and the readings of discs."""

from __future__ import annotations

from typing import Annotated

from fastapi import Query
from fastapi.responses import PlainTextResponse, Response
from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.disc.layout import GapChoice
from inkwell_groove.web.dependencies import Room, Who
from inkwell_groove.web.routing import Router
from inkwell_groove.workroom.disc.views import DiscView, DrivesView, StripView

router = Router("discs")


class DiscPutIn(BaseModel):
    model_config = ConfigDict(extra="forbid")

    disc: str = Field(max_length=200)


class SaidOffset(BaseModel):
    model_config = ConfigDict(extra="forbid")

    offset_samples: int = Field(ge=-2_939, le=2_939)


class WantedReading(BaseModel):
    """What is to be read, and how."""

    model_config = ConfigDict(extra="forbid")

    drive_id: str
    numbers: list[int] | None = Field(default=None, min_length=1, max_length=100, description="All without it.")
    twice: bool = True
    slowly: bool = Field(default=False, description="At four times playing speed, which a scratched disc may want.")
    eject: bool = Field(default=True, description="Whether the disc is ejected when it is read.")


class WantedGaps(BaseModel):
    model_config = ConfigDict(extra="forbid")

    gaps: GapChoice


@router.get("/drives", operation_id="drives")
def drives(room: Room) -> DrivesView:
    return room.discs.drives()


@router.put("/drives/{drive_id}/disc", operation_id="insertDisc")
def put_in(room: Room, drive_id: str, chosen: DiscPutIn) -> DrivesView:
    return room.discs.put_in(drive_id, chosen.disc)


@router.delete("/drives/{drive_id}/disc", operation_id="removeDisc")
def take_out(room: Room, drive_id: str) -> DrivesView:
    return room.discs.take_out(drive_id)


@router.put("/drives/{drive_id}/offset", operation_id="setDriveOffset")
def say_offset(room: Room, who: Who, drive_id: str, said: SaidOffset) -> DrivesView:
    return room.discs.set_offset(drive_id, said.offset_samples, who=who)


@router.post("/discs/{name}/cleaned", operation_id="markDiscCleaned")
def wipe(room: Room, name: str, node: Annotated[str, Query(max_length=24)] = "") -> DrivesView:
    """What one does by hand, with a simulated disc; `node` is the server beside which it lies."""
    return room.discs.wipe(name, node=node)


@router.get("/sides/{side_id}/disc", operation_id="disc")
def disc(room: Room, side_id: int) -> DiscView:
    return room.discs.view(side_id)


@router.post("/sides/{side_id}/disc-reads", operation_id="readDisc", status_code=202)
def read(room: Room, who: Who, side_id: int, wanted: WantedReading) -> DiscView:
    return room.discs.read(
        side_id,
        drive_id=wanted.drive_id,
        numbers=wanted.numbers,
        twice=wanted.twice,
        slowly=wanted.slowly,
        eject=wanted.eject,
        who=who,
    )


@router.get("/sides/{side_id}/disc/strip", operation_id="discStrip")
def strip(room: Room, side_id: int, marks: Annotated[int, Query(ge=1, le=4_000)] = 600) -> StripView:
    return room.discs.strip(side_id, marks)


@router.put("/sides/{side_id}/disc/gaps", operation_id="chooseDiscGaps")
def choose_gaps(room: Room, who: Who, side_id: int, wanted: WantedGaps) -> DiscView:
    return room.discs.choose_gaps(side_id, wanted.gaps, who=who)


@router.get("/sides/{side_id}/disc/reading.log", operation_id="readingLog", response_class=PlainTextResponse)
def reading_log(room: Room, side_id: int) -> str:
    return room.discs.reading_log(side_id, as_json=False)


@router.get("/sides/{side_id}/disc/reading.json", operation_id="readingJson", response_class=Response)
def reading_json(room: Room, side_id: int) -> Response:
    return Response(room.discs.reading_log(side_id, as_json=True), media_type="application/json")


@router.post("/disc-reads/{read_id}/submit", operation_id="submitToRegister")
def tell(room: Room, who: Who, read_id: int) -> DiscView:
    """Tells the witness register what was read."""
    return room.discs.tell_register(read_id, who=who)
