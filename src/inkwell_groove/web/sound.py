"""A recording of the disk as an answer: by the type that its name says, and never as anything but sound."""

from __future__ import annotations

from pathlib import Path

from fastapi.responses import FileResponse

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


def sound_response(path: Path) -> FileResponse:
    return FileResponse(path, media_type=_TYPES.get(path.suffix.lower(), "application/octet-stream"))
