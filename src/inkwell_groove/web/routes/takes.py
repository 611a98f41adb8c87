"""Takes: chosen, divided, joined, compared; and what is seen and heard of one, binary, by range."""

from __future__ import annotations

from typing import Annotated

from fastapi import Query
from fastapi.responses import Response
from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.peaks import PeakIndex
from inkwell_groove.core.transfer.compare import Comparison
from inkwell_groove.web.dependencies import Place, Room, Who
from inkwell_groove.web.problems import problem
from inkwell_groove.web.routing import Router
from inkwell_groove.workroom.listening import MAX_SAMPLES
from inkwell_groove.workroom.views import JobView

router = Router("takes")
# A take never changes, so neither does what is derived from it.
FOR_EVER = {"Cache-Control": "private, max-age=31536000, immutable"}
BINARY = {"content": {"application/octet-stream": {}}, "description": "Little-endian float32."}


class ChosenTake(BaseModel):
    model_config = ConfigDict(extra="forbid")

    take_id: int


class TurnOver(BaseModel):
    """Where another side begins in a take."""

    model_config = ConfigDict(extra="forbid")

    other_side_id: int
    at_sample: int


class TakesToJoin(BaseModel):
    model_config = ConfigDict(extra="forbid")

    take_ids: list[int] = Field(min_length=2, max_length=20)


class TakesToCompare(BaseModel):
    model_config = ConfigDict(extra="forbid")

    first_id: int
    second_id: int


@router.put("/sides/{side_id}/chosen-take", operation_id="chooseTake", status_code=204)
def choose_take(room: Room, who: Who, side_id: int, chosen: ChosenTake) -> None:
    room.takes.choose(side_id, chosen.take_id, who=who)


@router.post("/takes/{take_id}/turn-over", operation_id="divideTake", status_code=204)
def divide(room: Room, who: Who, take_id: int, turn: TurnOver) -> None:
    room.takes.divide(take_id, other_side_id=turn.other_side_id, at_sample=turn.at_sample, who=who)


@router.post("/sides/{side_id}/joined-takes", operation_id="joinTakes", status_code=202)
def join(room: Room, who: Who, side_id: int, wanted: TakesToJoin) -> JobView:
    return room.takes.join(side_id, wanted.take_ids, who=who)


@router.post("/comparisons", operation_id="compareTakes", status_code=202)
def compare(room: Room, wanted: TakesToCompare) -> JobView:
    return room.takes.compare(wanted.first_id, wanted.second_id)


@router.get("/comparisons/{job_id}", operation_id="comparison")
def comparison(room: Room, job_id: int) -> Comparison:
    return room.takes.comparison(job_id)


@router.get("/takes/{take_id}/peaks", operation_id="peakIndex")
def peak_index(room: Room, take_id: int) -> PeakIndex:
    return room.listening.peaks(take_id).index


@router.get("/takes/{take_id}/peaks/{level}", operation_id="peaks", response_class=Response, responses={200: BINARY})
def peaks(
    room: Room,
    take_id: int,
    level: int,
    first_block: Place = 0,
    blocks: Annotated[int, Query(ge=1, le=1 << 20)] = 1 << 20,
) -> Response:
    """Blocks of a level as [block][channel][min, max, rms]."""
    file = room.listening.peaks(take_id)
    if level not in range(len(file.index.blocks)):
        return problem(404, f"there is no level {level}", remedy=f"Levels go from 0 to {len(file.index.blocks) - 1}")
    return Response(file.read(level, first_block, blocks), media_type="application/octet-stream", headers=FOR_EVER)


@router.get("/takes/{take_id}/samples", operation_id="samples", response_class=Response, responses={200: BINARY})
def samples(
    room: Room,
    take_id: int,
    first_sample: Place,
    samples: Annotated[int, Query(ge=1, le=MAX_SAMPLES)],
) -> Response:
    """Samples as [sample][channel]."""
    data = room.listening.samples(take_id, first_sample, samples)
    return Response(data, media_type="application/octet-stream", headers=FOR_EVER)
