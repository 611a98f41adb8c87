"""The collection: searched, shown as a sheet or a wall of covers, heard."""

from __future__ import annotations

from typing import Annotated

from fastapi import Query, Response
from fastapi.responses import StreamingResponse
from pydantic import BaseModel, Field

from inkwell_groove.web.dependencies import On, Room, Who
from inkwell_groove.web.routing import Router
from inkwell_groove.web.sound import sound_response
from inkwell_groove.workroom.collection.searching import MAX_PAGE, CollectionView, WallView, Wanted
from inkwell_groove.workroom.files.views import SavedSearch

router = Router("collection")


class Page(Wanted):
    start: int = Field(default=0, ge=0, le=10_000_000)
    most: int = Field(default=100, ge=1, le=MAX_PAGE)


class NewSearch(BaseModel):
    name: str = Field(max_length=100)
    wanted: Wanted


@router.get("/collection", operation_id="searchCollection", response_model=CollectionView)
def search(room: Room, wanted: Annotated[Page, Query()]) -> Response:
    """Tracks of dockets and files that were brought in. Words may be begun only, or differ in a letter or two."""
    view = room.collection.find(wanted, start=wanted.start, most=wanted.most)
    return Response(view.model_dump_json(warnings=False), media_type="application/json")


@router.get("/collection/wall", operation_id="collectionWall", response_model=WallView)
def wall(room: Room, wanted: Annotated[Page, Query()]) -> Response:
    """The releases of what is found."""
    view = room.collection.wall(wanted, start=wanted.start, most=wanted.most)
    return Response(view.model_dump_json(warnings=False), media_type="application/json")


@router.get("/collection/searches", operation_id="savedSearches")
def searches(room: Room) -> list[SavedSearch]:
    return room.rules.searches()


@router.put("/collection/searches", operation_id="saveSearch")
def save_search(room: Room, who: Who, new: NewSearch, on: On = None) -> SavedSearch:
    """Under a name; one of that name is replaced."""
    return room.rules.save_search(new.name, new.wanted.model_dump(exclude_defaults=True), who=who, on=on)


@router.get("/dockets/{docket_id}/tracks/{key}/sound", operation_id="trackSound", response_class=Response)
def track_sound(room: Room, docket_id: int, key: str) -> Response:
    """A track to be heard: its sealed file, or its stretch of the chosen take as WAV."""
    found = room.listening.track(docket_id, key)
    if isinstance(found, tuple):
        return StreamingResponse(found.wav(), media_type="audio/wav")
    return sound_response(found, room.media)
