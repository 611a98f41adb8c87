"""What a file says of itself: facts, fields, what others put there, pictures."""

from __future__ import annotations

import hashlib
from pathlib import Path
from typing import Any

from mutagen.id3 import ID3NoHeaderError, ParseID3v1
from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.errors import NotSound
from inkwell_groove.core.files.fields import FIELDS, SEPARATOR
from inkwell_groove.core.files.formats import LIBRARY_ERRORS, Opened
from inkwell_groove.core.files.info_tags import read_info
from inkwell_groove.core.files.pictures import Embedded


class PictureFacts(BaseModel):
    """One embedded picture, without its bytes."""

    model_config = ConfigDict(frozen=True)

    role: str
    mime: str
    width_px: int
    height_px: int
    size_bytes: int
    sha256: str

    @classmethod
    def of(cls, picture: Embedded) -> PictureFacts:
        width, height, _ = picture.size()
        return cls(
            role=picture.role,
            mime=picture.mime,
            width_px=width,
            height_px=height,
            size_bytes=len(picture.data),
            sha256=hashlib.sha256(picture.data).hexdigest(),
        )


class FileTags(BaseModel):
    """All that is read of one file. `fields` has no empty ones; several values stand with "; " between them."""

    model_config = ConfigDict(frozen=True)

    format: str
    duration_s: float
    rate_hz: int
    channels: int
    bits: int
    bitrate_kbps: int
    tagged_as: str
    fields: dict[str, str]
    others: tuple[tuple[str, str], ...] = ()
    pictures: tuple[PictureFacts, ...] = ()
    carries: tuple[str, ...] = ()
    stored_md5: str = Field(default="", description="What a FLAC says that its samples have; empty where it does not.")


def read_file(path: Path) -> FileTags:
    """Raises NotSound for what cannot be read, OSError for what cannot be opened."""
    with path.open("rb") as stream:
        opened = Opened(stream, path.name)
        adapter = opened.adapter()
        try:
            fields = {field.name: SEPARATOR.join(values) for field in FIELDS if (values := adapter.values(field))}
            others = tuple(adapter.others())
        except LIBRARY_ERRORS as cause:
            raise NotSound(
                f"its tags cannot be read ({cause})", where=path.name, remedy="Look at it with another program"
            ) from cause
        tagged_as = _tagged_as(opened)
        if opened.format == "WAV":
            info = read_info(stream)
            fields = {field.name: info[field.info] for field in FIELDS if field.info in info} | fields
            tagged_as = " and ".join([one for one in (tagged_as, "INFO" if info else "") if one])
        if opened.format == "MP3" and (old := _id3v1(stream)):
            fields = old | fields
            tagged_as = " and ".join([one for one in (tagged_as, "ID3v1") if one])
        facts = opened.file.info
        return FileTags(
            format=opened.format,
            duration_s=round(float(getattr(facts, "length", 0.0)), 3),
            rate_hz=int(getattr(facts, "sample_rate", 0) or (48_000 if opened.format == "Opus" else 0)),
            channels=int(getattr(facts, "channels", 0)),
            bits=int(getattr(facts, "bits_per_sample", 0) or 0) if opened.format in _WITH_BITS else 0,
            bitrate_kbps=round(getattr(facts, "bitrate", 0) / 1000),
            tagged_as=tagged_as,
            fields=fields,
            others=others,
            pictures=tuple(PictureFacts.of(one) for one in adapter.pictures()),
            carries=tuple(adapter.carries()),
            stored_md5=f"{md5:032x}" if (md5 := getattr(facts, "md5_signature", 0)) and opened.format == "FLAC" else "",
        )


def read_pictures(path: Path) -> list[Embedded]:
    """The embedded pictures themselves."""
    with path.open("rb") as stream:
        return Opened(stream, path.name).adapter().pictures()


_WITH_BITS = ("FLAC", "WAV", "AIFF", "ALAC")


def _tagged_as(opened: Opened) -> str:
    if opened.is_id3:
        return f"ID3v2.{opened.minor}" if len(opened.file.tags) else ""
    return "MP4" if opened.format in ("AAC", "ALAC") else "Vorbis"


def _id3v1(stream: Any) -> dict[str, str]:
    """The fields of the 128 bytes at the end, where there are any."""
    stream.seek(0, 2)
    if stream.tell() < 128:
        return {}
    stream.seek(-128, 2)
    data = stream.read(128)
    if data[:3] != b"TAG":
        return {}
    try:
        frames = ParseID3v1(data) or {}
    except (ID3NoHeaderError, ValueError):
        return {}
    names = {
        "TIT2": "title",
        "TPE1": "artist",
        "TALB": "album",
        "TDRC": "date",
        "TRCK": "track_number",
        "TCON": "genre",
        "COMM": "comment",
    }
    found = {}
    for frame in frames.values():
        if (name := names.get(frame.FrameID)) and str(frame).strip():
            found[name] = frame.genres[0] if name == "genre" and frame.genres else str(frame).strip()
    return found
