"""Artwork of a docket."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import Query, Request
from fastapi.responses import FileResponse
from pydantic import BaseModel, ConfigDict, Field
from starlette.concurrency import run_in_threadpool

from inkwell_groove.core.artwork import MAX_BYTES
from inkwell_groove.core.errors import Refused
from inkwell_groove.web.dependencies import RAW_BODY, Room, Who
from inkwell_groove.web.routing import Router
from inkwell_groove.workroom.pictures import Covers
from inkwell_groove.workroom.views import ArtworkView

router = Router("artwork")


class Role(BaseModel):
    model_config = ConfigDict(extra="forbid")

    role: Literal["front", "set aside"]
    seen: Covers | None = Field(default=None, description="What the change was made on; a stale one is a 409.")


@router.post("/dockets/{docket_id}/artwork", operation_id="addArtwork", openapi_extra=RAW_BODY, status_code=201)
async def add(
    room: Room, who: Who, request: Request, docket_id: int, name: Annotated[str, Query(max_length=500)]
) -> ArtworkView:
    """The picture's bytes are the request's body."""
    data = bytearray()
    async for chunk in request.stream():
        if len(data) <= MAX_BYTES:  # the rest is read and dropped, so that the refusal arrives
            data += chunk
    if len(data) > MAX_BYTES:
        raise Refused(f"the picture has over {MAX_BYTES // 1_000_000} MB", where=name, remedy="Save it smaller")
    return await run_in_threadpool(room.pictures.add_front, docket_id, bytes(data), name=name, who=who)


@router.put("/dockets/{docket_id}/artwork/{artwork_id}/role", operation_id="setArtworkRole", status_code=204)
def set_role(room: Room, who: Who, docket_id: int, artwork_id: int, role: Role) -> None:
    room.pictures.set_role(docket_id, artwork_id, role.role, who=who, seen=role.seen)


@router.get("/artwork/{artwork_id}/image", operation_id="artworkImage", response_class=FileResponse)
def image(room: Room, artwork_id: int) -> FileResponse:
    path, mime = room.pictures.file(artwork_id)
    return FileResponse(path, media_type=mime, headers={"Cache-Control": "private, max-age=31536000, immutable"})
