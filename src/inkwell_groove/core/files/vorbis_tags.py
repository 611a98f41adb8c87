"""Vorbis comments, in FLAC and Ogg: any number of values under any name.

Opus has gains of its own (RFC 7845 section 5.2.1), to -23 LUFS and in 1/256 dB, and no peaks.
"""

from __future__ import annotations

import base64
import binascii
from collections.abc import Iterable, Sequence
from typing import Any

from mutagen.flac import FLAC, Picture
from mutagen.flac import error as FlacError  # noqa: N812 - an exception in all but name
from mutagen.oggopus import OggOpus

from inkwell_groove.core.files.fields import FIELDS, FileField
from inkwell_groove.core.files.pictures import Embedded

_PICTURES = ("METADATA_BLOCK_PICTURE", "COVERART", "COVERARTMIME")
# Other names under which writers keep the same: read, and replaced where the field is changed.
_ALSO = {
    "track_total": ("TOTALTRACKS",),
    "disc_total": ("TOTALDISCS",),
    "album_artist": ("ALBUM ARTIST",),
    "date": ("YEAR",),
    "lyrics": ("UNSYNCEDLYRICS",),
    "comment": ("DESCRIPTION",),
    "label": ("ORGANIZATION",),
    "movement": ("MOVEMENT NAME",),
}
_OPUS_GAINS = {"track_gain": "R128_TRACK_GAIN", "album_gain": "R128_ALBUM_GAIN"}
_OPUS_IS_LOWER_DB = 5.0  # its -23 LUFS under the -18 of the others
_NUMBERS = {"track_number": "track_total", "disc_number": "disc_total"}


class VorbisTags:
    """The comments of an opened file."""

    def __init__(self, file: Any) -> None:
        self._file = file
        if file.tags is None:
            file.add_tags()
        self._is_opus = isinstance(file, OggOpus)
        self._by_name: dict[str, list[str]] | None = None

    def values(self, field: FileField) -> list[str]:
        found = self._read(field)
        if field.name in _NUMBERS and found:
            return [found[0].partition("/")[0].strip()]
        for number, total in _NUMBERS.items():  # "3/12" in one comment says both
            if field.name == total and not found:
                both = (self._by_name or {}).get("TRACKNUMBER" if number == "track_number" else "DISCNUMBER") or [""]
                return [both[0].partition("/")[2].strip()] if "/" in both[0] else []
        if self._is_opus and field.name in _OPUS_GAINS:
            return [one for text in found[:1] if (one := from_opus(text))]
        if field.name == "compilation":
            return ["yes"] if any(one not in ("", "0") for one in found) else []
        return found

    def _read(self, field: FileField) -> list[str]:
        if self._by_name is None:  # the library looks through all comments for each name
            self._by_name = {}
            for name, value in self._file.tags:
                if value:
                    self._by_name.setdefault(name.upper(), []).append(value)
        for name in self._names(field):
            if found := self._by_name.get(name):
                return found
        return []

    def _names(self, field: FileField) -> tuple[str, ...]:
        """Under which names it may lie, the one it is written under first."""
        if self._is_opus and field.group == "loudness":
            return (_OPUS_GAINS[field.name],) if field.name in _OPUS_GAINS else ()
        return (field.vorbis, *_ALSO.get(field.name, ()))

    def set_values(self, field: FileField, values: Sequence[str]) -> list[str]:
        self._by_name = None
        if field.name in _NUMBERS or field.name in _NUMBERS.values():
            self._part_numbers()
        if not (names := self._names(field)):
            return ["Opus has no place for peaks: they are not written"] if values else []
        if self._is_opus and field.name in _OPUS_GAINS and values:
            if not (gain := to_opus(values[0])):
                return [f"'{values[0]}' is no gain: it is not written"]
            values = [gain]
        for name in names:
            if name in self._file.tags:
                del self._file.tags[name]
        if field.name == "compilation":
            values = ["1"] if values else []
        if values:
            self._file.tags[names[0]] = list(values)
        return []

    def _part_numbers(self) -> None:
        """ "3/12" becomes two comments before either is set."""
        for number, total, other in (
            ("TRACKNUMBER", "TRACKTOTAL", "TOTALTRACKS"),
            ("DISCNUMBER", "DISCTOTAL", "TOTALDISCS"),
        ):
            value = (self._file.tags.get(number) or [""])[0]
            if "/" in value:
                first, _, last = value.partition("/")
                self._file.tags[number] = first.strip()
                if total not in self._file.tags and other not in self._file.tags:
                    self._file.tags[total] = last.strip()

    def others(self) -> Iterable[tuple[str, str]]:
        known = {name for field in FIELDS for name in self._names(field)}
        for name, value in self._file.tags:
            if name.upper() not in known and name.upper() not in _PICTURES:
                yield name.upper(), value

    def pictures(self) -> list[Embedded]:
        if isinstance(self._file, FLAC):
            blocks = list(self._file.pictures)
        else:
            blocks = []
            for text in self._file.tags.get("METADATA_BLOCK_PICTURE") or ():
                try:
                    blocks.append(Picture(base64.b64decode(text)))
                except (binascii.Error, FlacError, ValueError):
                    continue
        return [Embedded(one.type, one.mime, one.data, one.desc) for one in blocks]

    def set_pictures(self, pictures: Sequence[Embedded]) -> list[str]:
        blocks = []
        for one in pictures:
            block = Picture()
            block.type, block.mime, block.desc, block.data = one.kind, one.mime, one.words, one.data
            block.width, block.height, block.depth = one.size()
            blocks.append(block)
        if isinstance(self._file, FLAC):
            self._file.clear_pictures()
            for block in blocks:
                self._file.add_picture(block)
        else:
            for name in _PICTURES:
                if name in self._file.tags:
                    del self._file.tags[name]
            if blocks:
                self._file.tags["METADATA_BLOCK_PICTURE"] = [
                    base64.b64encode(block.write()).decode("ascii") for block in blocks
                ]
        return []

    def carries(self) -> list[str]:
        found = []
        if "CUESHEET" in self._file.tags or getattr(self._file, "cuesheet", None) is not None:
            found.append("cue sheet")
        if any(name in self._file.tags for name in ("LOG", "LOGFILE")):
            found.append("log")
        return found


def from_opus(text: str) -> str:
    """A gain in 1/256 dB to -23 LUFS, as the others write theirs; empty for what is none."""
    try:
        return f"{int(text) / 256 + _OPUS_IS_LOWER_DB:.2f} dB"
    except ValueError:
        return ""


def to_opus(text: str) -> str:
    """The same, the other way round."""
    try:
        gain_db = float(text.casefold().removesuffix("db"))
    except ValueError:
        return ""
    return str(max(-32_768, min(32_767, round((gain_db - _OPUS_IS_LOWER_DB) * 256))))
