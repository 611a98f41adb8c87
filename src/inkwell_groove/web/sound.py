"""A recording of the disk as an answer: by the type that its name says, and never as anything but sound."""

from __future__ import annotations

import os
from pathlib import Path

from fastapi.responses import FileResponse
from starlette.types import Receive, Scope, Send

from inkwell_groove.core.errors import Missing
from inkwell_groove.store.media import MediaStore

# RFC 9639 (FLAC), RFC 5334 and 7845 (Ogg), RFC 3003 (MPEG), RFC 4337 (MP4); WAV and AIFF are common practice.
_TYPES = {
    ".flac": "audio/flac",
    ".wav": "audio/wav",
    ".aif": "audio/aiff",
    ".aiff": "audio/aiff",
    ".aifc": "audio/aiff",
    ".mp3": "audio/mpeg",
    ".m4a": "audio/mp4",
    ".m4b": "audio/mp4",
    ".mp4": "audio/mp4",
    ".ogg": "audio/ogg",
    ".oga": "audio/ogg",
    ".opus": "audio/ogg",
}


def sound_response(path: Path, media: MediaStore) -> FileResponse:
    """Return the answer with a recording. Raises Refused if a link was put on the way to it, Missing if it is gone."""
    try:
        file = media.open_file(path)
    except OSError as cause:
        raise Missing("the file is gone", where=path.name, remedy="Look at its folder again, on Files") from cause
    return _OpenFile(file, _TYPES.get(path.suffix.lower(), "application/octet-stream"))


class _OpenFile(FileResponse):
    """The very file that was opened, whatever is put in its place meanwhile; closed however the answer ends."""

    def __init__(self, file: int, media_type: str) -> None:
        super().__init__(f"/proc/self/fd/{file}", media_type=media_type)
        self._file = file

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        try:
            await super().__call__(scope, receive, send)
        finally:
            os.close(self._file)
