"""Recordings on their way in. Resumable: the server says how far it is, the client goes on from there.

The shape follows the IETF's draft on resumable uploads: PATCH with Upload-Offset, and HEAD or GET to learn it.
"""

from __future__ import annotations

from typing import Annotated

from fastapi import Header, Request, Response
from pydantic import BaseModel, ConfigDict
from starlette.concurrency import run_in_threadpool
from starlette.requests import ClientDisconnect

from inkwell_groove.core.errors import InkwellError
from inkwell_groove.web.dependencies import RAW_BODY, Room, Who
from inkwell_groove.web.routing import Router
from inkwell_groove.workroom.views import UploadView

router = Router("intake")


class NewUpload(BaseModel):
    model_config = ConfigDict(extra="forbid")

    name: str
    size_bytes: int
    side_id: int | None = None


@router.post("/dockets/{docket_id}/uploads", operation_id="beginUpload", status_code=201)
def begin(room: Room, who: Who, docket_id: int, new: NewUpload) -> UploadView:
    return room.intake.begin(docket_id, side_id=new.side_id, name=new.name, size_bytes=new.size_bytes, who=who)


@router.get("/uploads/{upload_id}", operation_id="upload")
def upload(room: Room, response: Response, upload_id: int) -> UploadView:
    view = room.intake.view(upload_id)
    response.headers["Upload-Offset"] = str(view.received_bytes)
    return view


@router.patch("/uploads/{upload_id}", operation_id="sendUpload", openapi_extra=RAW_BODY)
async def send(
    room: Room, who: Who, request: Request, upload_id: int, upload_offset: Annotated[int, Header(ge=0)]
) -> UploadView:
    body = request.stream()
    try:
        return await room.intake.receive(upload_id, upload_offset, body, who=who)
    except ClientDisconnect:
        # Nobody is left to answer; what came is kept, and the next connection is told how far it is.
        return await run_in_threadpool(room.intake.view, upload_id)
    except InkwellError:
        # What is still coming must be read, or the client sees a broken connection instead of the answer.
        async for _ in body:
            pass
        raise


@router.post("/uploads/{upload_id}/accept-found", operation_id="acceptFound")
def accept_found(room: Room, who: Who, upload_id: int) -> UploadView:
    return room.intake.accept_found(upload_id, who=who)


@router.post("/uploads/{upload_id}/retry", operation_id="retryUpload")
def try_again(room: Room, who: Who, upload_id: int) -> UploadView:
    return room.intake.try_again(upload_id, who=who)


@router.delete("/uploads/{upload_id}", operation_id="discardUpload", status_code=204)
def discard(room: Room, who: Who, upload_id: int) -> None:
    room.intake.discard(upload_id, who=who)
