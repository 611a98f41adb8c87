"""Sealing, and what was sealed."""

from __future__ import annotations

from urllib.parse import quote

from fastapi import APIRouter
from fastapi.responses import PlainTextResponse, StreamingResponse

from inkwell_groove.web.dependencies import Room, Who
from inkwell_groove.web.zipping import zip_stream
from inkwell_groove.workroom.views import JobView

router = APIRouter(tags=["sealing"])


@router.post("/dockets/{docket_id}/seal", operation_id="seal", status_code=202)
def seal(room: Room, who: Who, docket_id: int) -> JobView:
    return room.sealing.seal(docket_id, who=who)


@router.get("/packages/{package_id}/papers/{name}", operation_id="packagePaper", response_class=PlainTextResponse)
def package_paper(room: Room, package_id: int, name: str) -> PlainTextResponse:
    """Cue sheet, playlist, log or checksums of a package, as text."""
    return PlainTextResponse(room.sealing.paper(package_id, name))


@router.get("/packages/{package_id}/package.zip", operation_id="packageZip", response_class=StreamingResponse)
def package_zip(room: Room, package_id: int) -> StreamingResponse:
    """All files of a package, stored without compression: FLAC does not shrink."""
    folder, shown = room.sealing.package(package_id)
    name = f"{shown[-1]}.zip"
    disposition = f"attachment; filename=\"package-{package_id}.zip\"; filename*=UTF-8''{quote(name)}"
    return StreamingResponse(
        zip_stream(folder, "/".join(shown)), media_type="application/zip", headers={"Content-Disposition": disposition}
    )
