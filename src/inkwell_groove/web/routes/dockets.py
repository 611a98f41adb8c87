"""Dockets, and what is said of them."""

from __future__ import annotations

from typing import Annotated, Literal, Self

from fastapi import Query, Request, Response
from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.description import RELEASE_FIELDS, TRACK_FIELDS, FieldSpec
from inkwell_groove.core.sealing.album import FOLDER_FIELDS, TRACK_FIELDS_FOR_FILES
from inkwell_groove.web.access import READER
from inkwell_groove.web.dependencies import Room, Who
from inkwell_groove.web.paging import link_next
from inkwell_groove.web.routing import Router
from inkwell_groove.workroom.dockets import CARRIER_FORMATS, MAX_PAGE
from inkwell_groove.workroom.presence import PresenceView
from inkwell_groove.workroom.views import DocketLine, DocketView

router = Router("dockets")


class NewDocket(BaseModel):
    model_config = ConfigDict(extra="forbid")

    shelfmark: str = ""
    catalogue_number: str = ""
    carrier_format: str = "LP"
    carriers: int = Field(default=1, ge=1, le=12)


SaidField = Literal["speed", "equalisation", "condition", "playing_order", "tape_type", "noise_reduction"]


class CarrierChange(BaseModel):
    """Only what changes. Lengths in seconds by side; none takes one away."""

    model_config = ConfigDict(extra="forbid")

    speed: str | None = Field(default=None, max_length=40)
    equalisation: str | None = Field(default=None, max_length=80)
    condition: str | None = Field(default=None, max_length=2000)
    playing_order: str | None = Field(default=None, max_length=40)
    tape_type: str | None = Field(default=None, max_length=40)
    noise_reduction: str | None = Field(default=None, max_length=40)
    expected_s: dict[int, float | None] = Field(default={})
    seen: dict[SaidField, str] = Field(default={}, description="What the change was made on; a stale one is a 409.")
    seen_s: dict[int, float | None] = Field(default={}, description="The same for the lengths.")


class Fields(BaseModel):
    """Fields of the release, and of tracks by their key."""

    model_config = ConfigDict(extra="forbid")

    release: dict[str, str] = Field(default_factory=dict)
    tracks: dict[str, dict[str, str]] = Field(default_factory=dict)


class DescriptionChange(Fields):
    """Only the fields that change; an empty text deletes a value."""

    seen: Fields = Field(
        default_factory=Fields,
        description="The values on which the change was made. One that is another by now is a 409 with both values. "
        "Fields left out are set whatever stands there.",
    )

    def seen_by_place(self) -> dict[tuple[str, str], str]:
        """Return the seen values by track key ("" for the release) and field."""
        places = {"": self.seen.release, **self.seen.tracks}
        return {(key, name): value for key, fields in places.items() for name, value in fields.items()}


class Patterns(BaseModel):
    model_config = ConfigDict(extra="forbid")

    folder: str = Field(min_length=1, max_length=300)
    file: str = Field(min_length=1, max_length=300)
    seen: tuple[str, str] | None = Field(default=None, description="Folder and file pattern it was made on.")


class FieldInfo(BaseModel):
    name: str
    label: str
    needed: bool
    hint: str
    many: bool = Field(description="Whether it holds several values, semicolons between them.")

    @classmethod
    def of(cls, spec: FieldSpec) -> Self:
        return cls(name=spec.name, label=spec.label, needed=spec.needed, hint=spec.hint, many=spec.many)


class Vocabulary(BaseModel):
    """What a client offers to choose from."""

    carrier_formats: list[str]
    release_fields: list[FieldInfo]
    track_fields: list[FieldInfo]
    folder_pattern_fields: list[str]
    file_pattern_fields: list[str]


@router.get("/vocabulary", operation_id="vocabulary")
def vocabulary() -> Vocabulary:
    return Vocabulary(
        carrier_formats=list(CARRIER_FORMATS),
        release_fields=[FieldInfo.of(spec) for spec in RELEASE_FIELDS],
        track_fields=[FieldInfo.of(spec) for spec in TRACK_FIELDS],
        folder_pattern_fields=list(FOLDER_FIELDS),
        file_pattern_fields=list(TRACK_FIELDS_FOR_FILES),
    )


@router.get("/dockets", operation_id="shelf", response_model=list[DocketLine])
def shelf(
    room: Room,
    request: Request,
    search: str = "",
    after: str = "",
    limit: Annotated[int, Query(ge=1, le=MAX_PAGE)] = MAX_PAGE,
) -> Response:
    """By shelfmark."""
    lines, more_after = room.dockets.shelf(search=search, after=after, limit=limit)
    response = Response(lines, media_type="application/json")
    if more_after is not None:
        link_next(request, response, after=more_after)
    return response


@router.post("/dockets", operation_id="openDocket", status_code=201)
def open_docket(room: Room, who: Who, new: NewDocket) -> DocketView:
    return room.dockets.open(
        shelfmark=new.shelfmark,
        carrier_format=new.carrier_format,
        carriers=new.carriers,
        catalogue_number=new.catalogue_number,
        who=who,
    )


@router.get("/dockets/{docket_id}", operation_id="docket", response_model=DocketView)
def docket(room: Room, docket_id: int) -> Response:
    return Response(room.dockets.shown(docket_id), media_type="application/json")


@router.patch("/dockets/{docket_id}/description", operation_id="describe")
def describe(room: Room, who: Who, docket_id: int, change: DescriptionChange) -> DocketView:
    return room.dockets.describe(
        docket_id, release=change.release, tracks=change.tracks, who=who, seen=change.seen_by_place()
    )


@router.put("/dockets/{docket_id}/patterns", operation_id="setPatterns")
def set_patterns(room: Room, who: Who, docket_id: int, patterns: Patterns) -> DocketView:
    return room.dockets.set_patterns(docket_id, folder=patterns.folder, file=patterns.file, who=who, seen=patterns.seen)


@router.patch("/carriers/{carrier_id}", operation_id="describeCarrier")
def say_of_carrier(room: Room, who: Who, carrier_id: int, change: CarrierChange) -> DocketView:
    said = change.model_dump(exclude={"expected_s", "seen", "seen_s"}, exclude_none=True)
    return room.dockets.say_of_carrier(
        carrier_id, said=said, expected_s=change.expected_s, who=who, seen=change.seen, seen_s=change.seen_s
    )


class WindowAt(BaseModel):
    """A window that shows a docket, by a name it has given itself."""

    model_config = ConfigDict(extra="forbid")

    window: str = Field(min_length=8, max_length=64)
    stage: str = Field(max_length=40, description="What it shows of the docket.")


@router.put("/dockets/{docket_id}/presence", operation_id="setPresence", openapi_extra=READER)
def say_presence(room: Room, who: Who, docket_id: int, at: WindowAt) -> list[PresenceView]:
    """Say that a window shows this docket, at least every half minute; the answer is which others do."""
    return room.presence.say(docket_id, at.window, at.stage, who=who)


@router.delete("/dockets/{docket_id}/presence", operation_id="leavePresence", openapi_extra=READER, status_code=204)
def leave_presence(room: Room, docket_id: int, window: Annotated[str, Query(max_length=64)]) -> None:
    room.presence.leave(docket_id, window)
