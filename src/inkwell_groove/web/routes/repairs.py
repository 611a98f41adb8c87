"""Damage on a side: the scan for it, the list of what is mended, and what the repaired side sounds and looks like."""

from __future__ import annotations

from typing import Annotated

from fastapi import Query
from fastapi.responses import Response

from inkwell_groove.core.restoration.curves import CURVES, Curve
from inkwell_groove.core.restoration.ear import ListenFor
from inkwell_groove.web.dependencies import MOST, Place, Room
from inkwell_groove.web.routes.takes import BINARY, FOR_EVER
from inkwell_groove.web.routing import Router
from inkwell_groove.workroom.listening import MAX_SAMPLES
from inkwell_groove.workroom.repair_views import (
    ChannelsView,
    HarmView,
    HearingView,
    PlanVersionView,
    RepairsView,
    RepairsWanted,
    SpectraView,
)
from inkwell_groove.workroom.views import JobView

router = Router("repairs")
_NOT_KEPT = {"Cache-Control": "no-store"}
_BYTES = {"content": {"application/octet-stream": {}}, "description": "Bytes, half a decibel each."}


@router.post("/sides/{side_id}/scan", operation_id="scanSide", status_code=202)
def scan(room: Room, side_id: int) -> JobView:
    return room.repairs.scan(side_id)


@router.get("/sides/{side_id}/repairs", operation_id="repairs")
def repairs(room: Room, side_id: int, wanted: Annotated[RepairsWanted, Query()]) -> RepairsView:
    """What the side's plan mends, leaves and was told to leave. Changes nothing, with another `amount` either."""
    return room.repairs.listed(side_id, wanted)


@router.get("/sides/{side_id}/repair-places", operation_id="repairPlaces", response_class=Response)
def places(room: Room, side_id: int) -> Response:
    """Little-endian int32 [repair][start, length, whether it is mended], in order of place."""
    return Response(room.repairs.places(side_id), media_type="application/octet-stream", headers=_NOT_KEPT)


@router.get("/curves", operation_id="curves")
def curves() -> list[Curve]:
    """The replay curves that are known by name."""
    return list(CURVES.values())


@router.get("/sides/{side_id}/channels", operation_id="measureChannels")
def channels(room: Room, side_id: int) -> ChannelsView:
    return room.hearing.channels(side_id)


@router.get("/sides/{side_id}/plan/versions", operation_id="planVersions")
def versions(room: Room, side_id: int) -> list[PlanVersionView]:
    return room.hearing.versions(side_id)


@router.get("/sides/{side_id}/hearing", operation_id="hearing")
def hearing(room: Room, side_id: int, version: int | None = None) -> HearingView:
    return room.hearing.state(side_id, version)


@router.post("/sides/{side_id}/learn", operation_id="learnSide", status_code=202)
def learn(room: Room, side_id: int) -> JobView:
    """Has the whole side heard for the steps that need it: hum, hiss, dropouts, level."""
    return room.hearing.learn(side_id)


@router.get("/sides/{side_id}/heard", operation_id="heard", response_class=Response, responses={200: BINARY})
def heard(
    room: Room,
    side_id: int,
    version: int,
    listen: ListenFor,
    first_sample: Place,
    samples: Annotated[int, Query(ge=1, le=MAX_SAMPLES)],
) -> Response:
    """Samples as [sample][channel] of what is listened for, under one version of the plan."""
    data, for_ever = room.hearing.samples(side_id, version, listen, first_sample, samples)
    headers = FOR_EVER if for_ever else _NOT_KEPT
    return Response(data, media_type="application/octet-stream", headers=headers)


@router.get("/sides/{side_id}/spectra", operation_id="spectra")
def spectra(
    room: Room,
    side_id: int,
    from_sample: Place,
    to_sample: Annotated[int, Query(ge=1, le=MOST)],
    version: int | None = None,
) -> SpectraView:
    """Before, after and difference of a stretch; of at most its first two minutes."""
    return room.hearing.spectra(side_id, version, from_sample, to_sample)


@router.get(
    "/sides/{side_id}/spectrogram", operation_id="spectrogram", response_class=Response, responses={200: _BYTES}
)
def spectrogram(
    room: Room,
    side_id: int,
    listen: ListenFor,
    from_sample: Place,
    to_sample: Annotated[int, Query(ge=1, le=MOST)],
    columns: Annotated[int, Query(ge=1, le=20_000)],
    size: int = 1024,
    version: int | None = None,
) -> Response:
    """A byte for each piece as [column][frequency]: 255 is a full-scale sine, each step below half a decibel."""
    data = room.hearing.spectrogram(side_id, version, listen, from_sample, to_sample, columns=columns, size=size)
    return Response(data, media_type="application/octet-stream", headers=_NOT_KEPT)


@router.post("/sides/{side_id}/harm", operation_id="reportHarm", status_code=202)
def report(room: Room, side_id: int) -> JobView:
    """Has all that the plan alters worked out."""
    return room.hearing.report(side_id)


@router.get("/sides/{side_id}/harm", operation_id="harm")
def harm(room: Room, side_id: int, version: int | None = None) -> HarmView:
    return room.hearing.harm(side_id, version)
