"""Tags and pictures of FLAC files: Vorbis comments (xiph.org) and PICTURE blocks (RFC 9639 section 8.8)."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path

from mutagen.flac import FLAC, FLACNoHeaderError, Picture
from mutagen.flac import error as FlacError  # noqa: N812 - an exception in all but name
from pydantic import BaseModel, ConfigDict

from inkwell_groove.core.artwork import ArtworkFacts
from inkwell_groove.core.errors import NotSound

FRONT_COVER = 3  # RFC 9639 table 13
_PADDING_BYTES = 8_192  # room for a later correction without moving the audio


class Tags(BaseModel):
    """Fields in order, and pictures as (type, mime, data)."""

    model_config = ConfigDict(frozen=True)

    fields: tuple[tuple[str, str], ...] = ()
    pictures: tuple[tuple[int, str, bytes], ...] = ()


def write_tags(
    path: Path,
    fields: Mapping[str, str | Sequence[str]],
    *,
    cover: bytes | None = None,
    facts: ArtworkFacts | None = None,
) -> None:
    """Replaces all tags and pictures of a FLAC file in place: only ever call it on a file not yet filed.

    A field of several values is written once for each, as the standard has it.
    """
    file = _open(path)
    file.delete()
    file.clear_pictures()
    for name, value in fields.items():
        if value:
            file[name] = value if isinstance(value, str) else list(value)
    if cover is not None and facts is not None:
        picture = Picture()
        picture.type, picture.mime, picture.desc = FRONT_COVER, facts.mime, ""
        picture.width, picture.height, picture.depth = facts.width_px, facts.height_px, facts.bits_per_pixel
        picture.data = cover
        file.add_picture(picture)
    file.save(padding=lambda _: _PADDING_BYTES)


def read_tags(path: Path) -> Tags:
    """All tags and pictures of a FLAC file. Raises NotSound where it is none or its metadata is damaged."""
    file = _open(path)
    return Tags(
        fields=tuple((name.upper(), value) for name, value in (file.tags or ())),
        pictures=tuple((picture.type, picture.mime, picture.data) for picture in file.pictures),
    )


def _open(path: Path) -> FLAC:
    try:
        return FLAC(path)
    except (FLACNoHeaderError, FlacError, EOFError) as cause:
        raise NotSound(
            f"its FLAC metadata cannot be read ({cause})", where=path.name, remedy="Make the file again"
        ) from cause
