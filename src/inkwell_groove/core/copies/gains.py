"""Loudness tags where each format has them: comments, TXXX frames, free-form atoms.

The names are those of ReplayGain 2 and of RFC 7845; that ID3 and MP4 have them in TXXX and free-form atoms is common
practice.
"""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

import mutagen
from mutagen import id3
from mutagen.mp4 import MP4, MP4FreeForm

from inkwell_groove.core.errors import NotSound
from inkwell_groove.core.files.fields import FREEFORM
from inkwell_groove.core.files.formats import Opened, id3_of

NAMES = (
    "REPLAYGAIN_TRACK_GAIN",
    "REPLAYGAIN_TRACK_PEAK",
    "REPLAYGAIN_ALBUM_GAIN",
    "REPLAYGAIN_ALBUM_PEAK",
    "R128_TRACK_GAIN",
    "R128_ALBUM_GAIN",
)
_PADDING_BYTES = 4_096


def write_gains(path: Path, tags: Mapping[str, str]) -> None:
    """Sets these and removes the others of `NAMES`. Raises NotSound where the file's tags cannot be written."""
    with path.open("r+b") as stream:
        opened = Opened(stream, path.name)
        for name in NAMES:
            _set(opened, name, tags.get(name))
        try:
            opened.save(stream, keep_id3v1=True, padding=_PADDING_BYTES)
        except (mutagen.MutagenError, ValueError, OverflowError) as cause:
            raise NotSound(
                f"its loudness cannot be written ({cause})", where=path.name, remedy="Make it again"
            ) from cause


def read_gains(path: Path) -> dict[str, str]:
    """The loudness tags there are. Raises NotSound."""
    with path.open("rb") as stream:
        opened = Opened(stream, path.name)
        found = {}
        for name in NAMES:
            if (value := _get(opened, name)) is not None:
                found[name] = value
        return found


def _set(opened: Opened, name: str, value: str | None) -> None:
    if opened.is_id3:
        tags = id3_of(opened)
        tags.delall(f"TXXX:{name}")
        if value is not None:
            tags.add(id3.TXXX(encoding=3 if opened.minor == 4 else 1, desc=name, text=[value]))
        return
    file = opened.file
    if file.tags is None:
        file.add_tags()
    key = f"{FREEFORM}{name}" if isinstance(file, MP4) else name
    if key in file.tags:
        del file.tags[key]
    if value is not None:
        file.tags[key] = [MP4FreeForm(value.encode())] if isinstance(file, MP4) else [value]


def _get(opened: Opened, name: str) -> str | None:
    if opened.is_id3:
        frames = id3_of(opened).getall(f"TXXX:{name}")
        return str(frames[0].text[0]) if frames and frames[0].text else None
    tags = opened.file.tags or {}
    values = tags.get(f"{FREEFORM}{name}" if isinstance(opened.file, MP4) else name)
    if not values:
        return None
    return bytes(values[0]).decode() if isinstance(opened.file, MP4) else str(values[0])
