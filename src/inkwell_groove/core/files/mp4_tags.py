"""The atoms of an MP4's `ilst` box: AAC and ALAC."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from mutagen.mp4 import MP4Cover, MP4FreeForm

from inkwell_groove.core.files.fields import FIELDS, FREEFORM, PAIRS, FileField
from inkwell_groove.core.files.pictures import Embedded, mime_of

_TOTALS = {total: number for number, total in PAIRS.items()}
_MOST = 0xFFFF


class Mp4Tags:
    """The atoms of an opened file."""

    def __init__(self, file: Any) -> None:
        if file.tags is None:
            file.add_tags()
        self._tags = file.tags

    def values(self, field: FileField) -> list[str]:
        found = next((self._tags[key] for key in self._keys(field)), None)
        if field.name in PAIRS or field.name in _TOTALS:
            number = found[0][1 if field.name in _TOTALS else 0] if found else 0
            return [str(number)] if number else []
        if field.name == "compilation":
            return ["yes"] if found else []
        return [text for one in found or () if (text := _text(one))]

    def _keys(self, field: FileField) -> list[str]:
        """Where it lies: free-form atoms are named in capitals by some programs, not by others (common practice)."""
        if field.mp4.startswith(FREEFORM):
            return [key for key in self._tags if key.casefold() == field.mp4.casefold()]
        return [field.mp4] if field.mp4 in self._tags else []

    def set_values(self, field: FileField, values: Sequence[str]) -> list[str]:
        if field.name in PAIRS or field.name in _TOTALS:
            return self._set_pair(field, values)
        for key in self._keys(field):
            self._tags.pop(key, None)
        if not values:
            return []
        if field.name == "compilation":
            self._tags[field.mp4] = True
        elif field.mp4.startswith(FREEFORM):
            self._tags[field.mp4] = [MP4FreeForm(one.encode()) for one in values]
        else:
            self._tags[field.mp4] = list(values)
        return []

    def _set_pair(self, field: FileField, values: Sequence[str]) -> list[str]:
        first, last = (self._tags.get(field.mp4) or [(0, 0)])[0]
        text = values[0] if values else "0"
        if not text.isascii() or not text.isdigit() or int(text) > _MOST:
            return [f"MP4 keeps {field.label.lower()} as a number up to {_MOST}: '{text}' is not written"]
        first, last = (first, int(text)) if field.name in _TOTALS else (int(text), last)
        if first or last:
            self._tags[field.mp4] = [(first, last)]
        else:
            self._tags.pop(field.mp4, None)
        return []

    def others(self) -> Iterable[tuple[str, str]]:
        known = {key for field in FIELDS for key in (field.mp4, *self._keys(field))} | {"covr"}
        for key, value in self._tags.items():
            if key not in known:
                one = value[0] if isinstance(value, list) and value else value
                yield key.removeprefix(FREEFORM), (_text(one) if isinstance(one, (str, bytes)) else str(one))[:200]

    def pictures(self) -> list[Embedded]:
        return [
            Embedded(3 if number == 0 else 0, mime_of(bytes(one)), bytes(one))
            for number, one in enumerate(self._tags.get("covr") or ())
        ]

    def set_pictures(self, pictures: Sequence[Embedded]) -> list[str]:
        told = []
        kept = [one for one in pictures if one.mime in ("image/jpeg", "image/png")]
        if len(kept) < len(pictures):
            told.append("MP4 holds JPEG and PNG only: other pictures are not written")
        if any(one.kind != 3 for one in kept):
            told.append("MP4 knows no roles of pictures: the first is the front")
        kept.sort(key=lambda one: one.kind != 3)
        if kept:
            self._tags["covr"] = [
                MP4Cover(one.data, MP4Cover.FORMAT_PNG if one.mime == "image/png" else MP4Cover.FORMAT_JPEG)
                for one in kept
            ]
        else:
            self._tags.pop("covr", None)
        return told

    def carries(self) -> list[str]:
        return ["cue sheet"] if f"{FREEFORM}CUESHEET" in self._tags else []


def _text(value: Any) -> str:
    if isinstance(value, bytes):
        return bytes(value).decode("utf-8", "replace")
    return str(value)
