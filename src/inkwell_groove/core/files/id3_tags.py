"""ID3v2.3 and 2.4 frames, in MP3, WAV and AIFF."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from typing import Any

from mutagen import id3

from inkwell_groove.core.files.fields import FIELDS, PAIRS, FileField
from inkwell_groove.core.files.pictures import Embedded

_UTF16, _UTF8 = 1, 3
_TOTALS = {total: number for number, total in PAIRS.items()}
_PERSON = re.compile(r"^(.*?)\s*\(([^()]*)\)$")
_DATE_2_3 = re.compile(r"^(\d{4})(?:-(\d{2})-(\d{2}))?$")


class Id3Tags:
    """The frames of an ID3 tag as its version has them: `minor` is 3 or 4."""

    def __init__(self, tags: id3.ID3, *, minor: int) -> None:
        self._tags = tags
        self._minor = minor
        self._encoding = _UTF8 if minor == 4 else _UTF16

    def values(self, field: FileField) -> list[str]:
        if field.name in PAIRS or field.name in _TOTALS:
            first, _, last = (self._texts(field.id3) or [""])[0].partition("/")
            return [one] if (one := (last if field.name in _TOTALS else first).strip()) else []
        if field.name == "performer":
            return [
                f"{person} ({role})" if role else person
                for name in ("TMCL", "TIPL", "IPLS")
                for frame in self._tags.getall(name)
                for role, person in frame.people
                if person
            ]
        if field.name == "comment":
            # Others' comments have descriptions (gains, counters): the plain one is the archivist's.
            return [str(one) for one in self._tags.getall("COMM") if not one.desc and str(one)][:1]
        if field.name == "lyrics":
            return [str(one) for one in self._tags.getall("USLT") if str(one)][:1]
        if field.name == "genre":
            return [one for frame in self._tags.getall("TCON") for one in frame.genres if one]
        if field.name == "compilation":
            return ["yes"] if (self._texts(field.id3) or ["0"])[0] not in ("", "0") else []
        if field.name == "date" and not self._texts("TDRC"):
            year, day = (self._texts("TYER") or [""])[0], (self._texts("TDAT") or [""])[0]
            return [f"{year}-{day[2:]}-{day[:2]}" if year and len(day) == 4 else year] if year else []
        return self._texts(field.id3) or (self._texts(field.id3v23) if field.id3v23 else [])

    def _texts(self, name: str) -> list[str]:
        return [str(text) for frame in self._frames(name) for text in getattr(frame, "text", ()) if str(text)]

    def _frames(self, name: str) -> list[Any]:
        """Programs write the descriptions of TXXX in capitals or not (common practice)."""
        if not name.startswith("TXXX:"):
            return list(self._tags.getall(name))
        return [one for one in self._tags.getall("TXXX") if one.desc.upper() == name[5:]]

    def _remove(self, name: str) -> None:
        for one in self._frames(name):
            self._tags.pop(one.HashKey, None)

    def set_values(self, field: FileField, values: Sequence[str]) -> list[str]:
        """Sets them; what the version cannot hold, in words."""
        if field.name in PAIRS or field.name in _TOTALS:
            self._set_pair(field, values)
            return []
        if field.name == "performer":
            name = "TMCL" if self._minor == 4 else "IPLS"
            for one in ("TMCL", "TIPL", "IPLS"):
                self._tags.delall(one)
            if values:
                people = [self._person(one) for one in values]
                self._tags.add(id3.Frames[name](encoding=self._encoding, people=people))
            return []
        if field.name == "comment":
            for one in [one for one in self._tags.getall("COMM") if not one.desc]:
                self._tags.pop(one.HashKey, None)
            if values:
                self._tags.add(id3.COMM(encoding=self._encoding, lang="XXX", desc="", text=["\n".join(values)]))
            return []
        if field.name == "lyrics":
            self._tags.delall("USLT")
            if values:
                self._tags.add(id3.USLT(encoding=self._encoding, lang="XXX", desc="", text="\n".join(values)))
            return []
        if field.name == "compilation":
            values = ["1"] if values else []
        if field.name in ("date", "original_date") and values:
            return self._set_date(field, values[0])
        for name in {field.id3, field.id3v23, *(("TDAT", "TIME") if field.name == "date" else ())} - {""}:
            self._remove(name)
        if values:
            self._add_text(field.id3v23 if self._minor == 3 and field.id3v23 else field.id3, values)
        return []

    def _set_date(self, field: FileField, value: str) -> list[str]:
        for name in (field.id3, field.id3v23, *(("TDAT", "TIME") if field.name == "date" else ())):
            self._tags.delall(name)
        if self._minor == 4:
            self._add_text(field.id3, [value])
            kept = (self._texts(field.id3) or [""])[0]
            return [] if kept == value else [f"ID3 keeps no such date as '{value}', only '{kept}'"]
        parts = _DATE_2_3.match(value)
        year = value[:4] if value[:4].isdigit() else ""
        if year:
            self._add_text(field.id3v23, [year])
        if parts and parts[2] and field.name == "date":
            self._add_text("TDAT", [parts[3] + parts[2]])
            return []
        return [] if value == year else [f"ID3v2.3 keeps no such date as '{value}', only '{year}'"]

    def _add_text(self, name: str, values: Sequence[str]) -> None:
        if name.startswith("TXXX:"):
            self._tags.add(id3.TXXX(encoding=self._encoding, desc=name[5:], text=list(values)))
        else:
            self._tags.add(id3.Frames[name](encoding=self._encoding, text=list(values)))

    def _set_pair(self, field: FileField, values: Sequence[str]) -> None:
        first, _, last = (self._texts(field.id3) or [""])[0].partition("/")
        value = values[0] if values else ""
        first, last = (first, value) if field.name in _TOTALS else (value, last)
        self._tags.delall(field.id3)
        if first or last:
            text = f"{first}/{last}" if last else first
            self._add_text(field.id3, [text])

    @staticmethod
    def _person(text: str) -> list[str]:
        found = _PERSON.match(text)
        return [found[2], found[1]] if found else ["", text]

    def others(self) -> Iterable[tuple[str, str]]:
        known = {name for field in FIELDS for name in (field.id3, field.id3v23) if name}
        known |= {"TIPL", "TDAT"}
        for key, frame in self._tags.items():
            name = f"TXXX:{frame.desc.upper()}" if frame.FrameID == "TXXX" else frame.FrameID
            if name in known and not (frame.FrameID == "COMM" and frame.desc):
                continue
            if frame.FrameID == "APIC":
                continue
            yield key, _in_short(frame)

    def pictures(self) -> list[Embedded]:
        return [Embedded(int(one.type), one.mime, one.data, one.desc) for one in self._tags.getall("APIC")]

    def set_pictures(self, pictures: Sequence[Embedded]) -> list[str]:
        self._tags.delall("APIC")
        used: set[str] = set()
        for one in pictures:
            words, count = one.words, 2
            while words in used:  # two frames of one description would be one
                words, count = f"{one.words or one.role} {count}".strip(), count + 1
            used.add(words)
            self._tags.add(id3.APIC(encoding=self._encoding, mime=one.mime, type=one.kind, desc=words, data=one.data))
        return []

    def carries(self) -> list[str]:
        return ["cue sheet"] if self._tags.getall("TXXX:CUESHEET") else []


def _in_short(frame: Any) -> str:
    try:
        return str(frame)[:200]
    except Exception:  # noqa: BLE001 - a frame of somebody's own may not be text at all
        return "not text"


def as_version(tags: id3.ID3, minor: int) -> None:
    """Turns a tag into the other version's frames; what 2.3 lacks goes into frames of our own."""
    adapter = Id3Tags(tags, minor=minor)
    moved = [field for field in FIELDS if field.id3v23.startswith("TXXX")]
    held = {field: adapter.values(field) for field in moved}
    if minor == 3:
        tags.update_to_v23()
    else:
        tags.update_to_v24()
    for field, values in held.items():
        if values:
            adapter.set_values(field, values)
