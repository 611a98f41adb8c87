"""Cue sheets: the value, how it is written, and how strictly it is read.

The syntax has no standard; this is the part on which burning and playing software agrees (common practice): commands
CATALOG, PERFORMER, SONGWRITER, TITLE, REM, FILE, TRACK, FLAGS, ISRC, PREGAP, INDEX, POSTGAP; text in double quotes, for
which there is no escape; times as mm:ss:ff counted from the start of the file above them.
"""

from __future__ import annotations

import re
from collections.abc import Callable

from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.description import clean_text
from inkwell_groove.core.errors import Refused
from inkwell_groove.core.frames import MAX_TRACKS, msf, parse_msf


class CueIndex(BaseModel):
    """A place in one of the sheet's files. Index 0 is where the gap before a track begins, 1 where the track does."""

    model_config = ConfigDict(frozen=True)

    number: int = Field(ge=0, le=99)
    file: str
    frames: int = Field(ge=0)
    kind: str = Field(default="WAVE", description="The file's type, as its FILE line says it.")


class CueTrack(BaseModel):
    model_config = ConfigDict(frozen=True)

    number: int = Field(ge=1, le=MAX_TRACKS)
    kind: str = "AUDIO"
    session: int = Field(default=1, ge=1, le=MAX_TRACKS, description="Told by REM SESSION (common practice).")
    title: str = ""
    performer: str = ""
    isrc: str = ""
    flags: tuple[str, ...] = ()
    pregap_frames: int = 0
    postgap_frames: int = 0
    indexes: tuple[CueIndex, ...] = ()


class CueSheet(BaseModel):
    model_config = ConfigDict(frozen=True)

    title: str = ""
    performer: str = ""
    catalog: str = ""
    remarks: tuple[str, ...] = ()
    tracks: tuple[CueTrack, ...] = ()


class CueFault(BaseModel):
    """One thing wrong with a cue sheet; line 0 speaks of the whole."""

    model_config = ConfigDict(frozen=True)

    line: int
    what: str
    remedy: str = ""
    grave: bool = Field(default=True, description="Whether the sheet's meaning is in doubt, not only its form.")

    def __str__(self) -> str:
        place = f"line {self.line}: " if self.line else ""
        return f"{place}{self.what}." + (f" {self.remedy}." if self.remedy else "")


def cue_text(text: str) -> str:
    """The text as a cue sheet can hold it: on one line, double quotes made single for want of an escape."""
    return clean_text(text.replace('"', "'"))


def render(sheet: CueSheet) -> str:
    """The sheet as text, lines ending in CR LF as players expect (common practice), to be stored as UTF-8."""
    lines = [f"REM {cue_text(remark)}" for remark in sheet.remarks]
    if sheet.catalog:
        lines.append(f"CATALOG {sheet.catalog}")
    lines += _texts(sheet.performer, sheet.title, "")
    current, session = "", 1
    for track in sheet.tracks:
        if not track.indexes:
            raise Refused(
                f"track {track.number} has no index", where="the cue sheet", remedy="Give it at least index 01"
            )
        if track.indexes[0].file != current:
            current = track.indexes[0].file
            lines.append(_file(current))
        if track.session != session:
            session = track.session
            lines.append(f"  REM SESSION {session:02}")
        lines.append(f"  TRACK {track.number:02} AUDIO")
        lines += _texts(track.performer, track.title, "    ")
        if track.isrc:
            lines.append(f"    ISRC {track.isrc}")
        if track.flags:
            lines.append(f"    FLAGS {' '.join(track.flags)}")
        if track.pregap_frames:
            lines.append(f"    PREGAP {msf(track.pregap_frames)}")
        for index in track.indexes:
            if index.file != current:
                current = index.file
                lines.append(_file(current))
            lines.append(f"    INDEX {index.number:02} {msf(index.frames)}")
        if track.postgap_frames:
            lines.append(f"    POSTGAP {msf(track.postgap_frames)}")
    return "".join(f"{line}\r\n" for line in lines)


def _texts(performer: str, title: str, indent: str) -> list[str]:
    return [
        f'{indent}{command} "{cue_text(text)}"'
        for command, text in (("PERFORMER", performer), ("TITLE", title))
        if text
    ]


def _file(name: str) -> str:
    if '"' in name or clean_text(name) != name:
        raise Refused(f"the file name {name!r} cannot be quoted", where="the cue sheet", remedy="Rename the file")
    # Players read FLAC under the type WAVE, which says only that it is not MP3 or AIFF (common practice).
    return f'FILE "{name}" WAVE'


def parse(data: bytes, *, exists: Callable[[str], bool] | None = None) -> tuple[CueSheet, tuple[CueFault, ...]]:
    """The sheet and every fault found; a sheet with faults holds what could be understood.

    A fault of form alone (small letters, another encoding, a name without quotes) is read all the same, and is not
    grave. `exists` says whether a file is there; without it nothing is said of that.
    """
    reading = _Reading(exists)
    text = _text(data, reading)
    for number, line in enumerate(re.split("\r\n|\n|\r", text), start=1):
        reading.line = number
        if line.strip():
            reading.command(line.strip())
    return reading.finish()


def _text(data: bytes, reading: _Reading) -> str:
    """The bytes as text: UTF-8 as it should be, or what sheets of older programs are found in (common practice)."""
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        reading.fault("this is UTF-16 text", "Save it as UTF-8", line=1, grave=False)
        return data.decode("utf-16", "replace")
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError as cause:
        bad_line = data.count(b"\n", 0, cause.start) + 1
        reading.fault("this is not UTF-8 text", "Save it as UTF-8", line=bad_line, grave=False)
        return data.decode("cp1252", "replace")


_WORDS = re.compile(r'"([^"]*)"|(\S+)')
_ISRC = re.compile(r"[A-Z]{2}[A-Z0-9]{3}\d{7}", re.ASCII)
_COMMANDS = {
    "REM",
    "CATALOG",
    "PERFORMER",
    "TITLE",
    "SONGWRITER",
    "CDTEXTFILE",
    "FILE",
    "TRACK",
    "FLAGS",
    "ISRC",
    "PREGAP",
    "POSTGAP",
    "INDEX",
}
_FLAGS = {"DCP", "4CH", "PRE", "SCMS"}
_FILE_TYPES = {"WAVE", "AIFF", "MP3", "BINARY", "MOTOROLA"}
_DATA_KINDS = {"MODE1/2048", "MODE1/2352", "MODE2/2336", "MODE2/2352", "CDG", "CDI/2336", "CDI/2352"}
_SESSION = re.compile(r"SESSION\s+([1-9]|0[1-9]|[1-9]\d)", re.ASCII | re.IGNORECASE)
_LOOSE_TIME = re.compile(r"(\d{1,2}):(\d{1,2}):(\d{1,2})", re.ASCII)


class _Reading:
    """A sheet half read. Each command is a method of its name in lower case."""

    def __init__(self, exists: Callable[[str], bool] | None = None) -> None:
        self.exists = exists
        self.line = 0
        self.faults: list[CueFault] = []
        self.sheet: dict[str, str] = {}
        self.remarks: list[str] = []
        self.tracks: list[CueTrack] = []
        self.file = self.kind = ""
        self.session = 1
        self.files: list[str] = []
        self.last_frames = -1

    def fault(self, what: str, remedy: str = "", *, line: int | None = None, grave: bool = True) -> None:
        self.faults.append(CueFault(line=self.line if line is None else line, what=what, remedy=remedy, grave=grave))

    def command(self, line: str) -> None:
        words = line.split(None, 1)
        name, rest = words[0], words[1].strip() if len(words) > 1 else ""
        if name.upper() in _COMMANDS and name != name.upper():
            self.fault(f"'{name}' is written in small letters", "Commands are written in capitals", grave=False)
            name = name.upper()
        handler = {
            "REM": self.rem,
            "CATALOG": self.catalog,
            "PERFORMER": self.text,
            "TITLE": self.text,
            "SONGWRITER": self.text,
            "FILE": self.open_file,
            "TRACK": self.track,
            "FLAGS": self.flags,
            "ISRC": self.isrc,
            "PREGAP": self.gap,
            "POSTGAP": self.gap,
            "INDEX": self.index,
            "CDTEXTFILE": self.unread,
        }.get(name)
        if handler is None:
            known = ", ".join(sorted(_COMMANDS))
            self.fault(f"'{name[:40]}' is not a cue sheet command", f"The commands are {known}", grave=False)
        else:
            handler(name, rest)

    def words(self, rest: str, count: int, shape: str, *, text: bool = False) -> list[str] | None:
        """So many values. One that is `text` may have lost its quotes: its words then are the first value."""
        if rest.count('"') % 2:
            self.fault("a quotation mark has no partner", f"Write {shape}", grave=count > 1)
            if count == 1 and text:
                return [rest.replace('"', "")]
            return None
        words = [quoted if quoted or not bare else bare for quoted, bare in _WORDS.findall(rest)]
        if text and len(words) > count and '"' not in rest:
            self.fault("a text of several words has no quotes", f"Write {shape}", grave=False)
            cut = len(words) - count + 1
            words = [" ".join(words[:cut]), *words[cut:]]
        if len(words) != count:
            self.fault(f"{len(words)} values where {count} belong", f"Write {shape}", grave=count > 1)
            return None
        return words

    def change_track(self, **values: object) -> None:
        self.tracks[-1] = self.tracks[-1].model_copy(update=values)

    def rem(self, _: str, rest: str) -> None:
        if told := _SESSION.fullmatch(rest):
            self.session = int(told[1])
        else:
            self.remarks.append(rest)

    def unread(self, name: str, rest: str) -> None:
        """Known, and of no use here."""

    def catalog(self, _: str, rest: str) -> None:
        if not re.fullmatch(r"\d{13}", rest, re.ASCII):
            self.fault(f"the catalogue number '{rest}' has not 13 digits", "Write the EAN of the disc", grave=False)
        elif "catalog" in self.sheet:
            self.fault("a second CATALOG", "Keep one", grave=False)
        else:
            self.sheet["catalog"] = rest

    def text(self, name: str, rest: str) -> None:
        words = self.words(rest, 1, f'{name} "text"', text=True)
        if words is None:
            return
        field = name.lower()
        if field == "songwriter":
            return
        if self.tracks:
            if getattr(self.tracks[-1], field):
                self.fault(f"a second {name} for track {self.tracks[-1].number:02}", "Keep one", grave=False)
            else:
                self.change_track(**{field: words[0]})
        elif field in self.sheet:
            self.fault(f"a second {name} for the release", "Keep one", grave=False)
        else:
            self.sheet[field] = words[0]

    def open_file(self, _: str, rest: str) -> None:
        words = self.words(rest, 2, 'FILE "name" WAVE', text=True)
        if words is None:
            return
        name, kind = words
        if kind not in _FILE_TYPES:
            self.fault(f"'{kind}' is not a file type", f"Use one of {', '.join(sorted(_FILE_TYPES))}", grave=False)
            kind = kind.upper() if kind.upper() in _FILE_TYPES else "WAVE"
        if name in self.files:
            self.fault(f"the file '{name}' is opened twice", "Put its indexes under one FILE line")
        if self.exists is not None and not self.exists(name):
            self.fault(f"the file '{name}' is not beside the sheet", "Put it into the same folder, or correct its name")
        self.files.append(name)
        self.file, self.kind, self.last_frames = name, kind, -1

    def track(self, _: str, rest: str) -> None:
        words = self.words(rest, 2, "TRACK 01 AUDIO")
        if words is None:
            return
        number, kind = words
        if not re.fullmatch(r"\d{2}", number, re.ASCII):
            told = re.fullmatch(r"[1-9]", number, re.ASCII)
            self.fault(f"'{number}' is not a track number", "Write two digits, 01 to 99", grave=told is None)
            if told is None:
                return
        if kind != kind.upper():
            self.fault(f"'{kind}' is written in small letters", "Write AUDIO", grave=False)
            kind = kind.upper()
        if kind != "AUDIO":
            self.fault(f"a track of kind '{kind}'", "Only AUDIO tracks are read here", grave=kind not in _DATA_KINDS)
        if not self.file:
            self.fault(f"track {number} comes before any FILE", "Put a FILE line above it")
        self.check_finished()
        # A sheet may begin above 1: the second disc of a set sometimes does (common practice).
        expected = self.tracks[-1].number + 1 if self.tracks else max(1, int(number))
        if int(number) != expected:
            self.fault(f"track {number} follows where {expected:02} belongs", "Number the tracks without a break")
        self.tracks.append(CueTrack.model_construct(number=int(number), kind=kind, session=self.session))

    def in_track(self, name: str) -> bool:
        if not self.tracks:
            self.fault(f"{name} comes before any TRACK", "Put it below the TRACK it speaks of")
        return bool(self.tracks)

    def flags(self, name: str, rest: str) -> None:
        if self.in_track(name):
            unknown = [flag for flag in rest.split() if flag not in _FLAGS]
            if unknown or not rest:
                self.fault(f"unknown flags '{' '.join(unknown)}'", f"Use {', '.join(sorted(_FLAGS))}", grave=False)
            self.change_track(flags=tuple(flag for flag in rest.split() if flag in _FLAGS))

    def isrc(self, name: str, rest: str) -> None:
        if self.in_track(name):
            if _ISRC.fullmatch(rest):
                self.change_track(isrc=rest)
            else:
                self.fault(f"'{rest}' is not an ISRC", "Write 12 characters, as in ISO 3901", grave=False)

    def gap(self, name: str, rest: str) -> None:
        if self.in_track(name):
            if name == "PREGAP" and self.tracks[-1].indexes:
                self.fault("PREGAP comes after an INDEX", "Put it above the track's first INDEX", grave=False)
            frames = self.time(rest)
            if frames is not None:
                self.change_track(**{f"{name.lower()}_frames": frames})

    def time(self, text: str) -> int | None:
        try:
            return parse_msf(text)
        except Refused as refusal:
            loose = _LOOSE_TIME.fullmatch(text)
            try:
                frames = parse_msf(":".join(f"{int(part):02}" for part in loose.groups())) if loose else None
            except Refused:
                frames = None
            self.fault(refusal.what, refusal.remedy or "", grave=frames is None)
            return frames

    def index(self, name: str, rest: str) -> None:
        if not self.in_track(name):
            return
        words = self.words(rest, 2, "INDEX 01 mm:ss:ff")
        if words is None:
            return
        frames = self.time(words[1])
        if not re.fullmatch(r"\d{2}", words[0], re.ASCII):
            told = re.fullmatch(r"\d", words[0], re.ASCII)
            self.fault(f"'{words[0]}' is not an index number", "Write two digits", grave=told is None)
            if told is None:
                return
        if frames is None:
            return
        number, indexes = int(words[0]), self.tracks[-1].indexes
        if indexes and number != indexes[-1].number + 1:
            self.fault(f"index {number:02} follows index {indexes[-1].number:02}", "Number the indexes without a break")
        elif not indexes and number > 1:
            self.fault(f"the first index is {number:02}", "Begin with index 00 or 01")
        if self.last_frames < 0 and frames:
            self.fault(f"the first index of a file is at {words[1]}", "It must be at 00:00:00")
        if frames <= self.last_frames:
            self.fault(f"{words[1]} does not come after the index before it", "Times in a file must grow")
        self.last_frames = max(frames, self.last_frames)
        self.change_track(
            indexes=(*indexes, CueIndex(number=min(number, 99), file=self.file, frames=frames, kind=self.kind))
        )

    def check_finished(self) -> None:
        if self.tracks and not any(index.number == 1 for index in self.tracks[-1].indexes):
            self.fault(f"track {self.tracks[-1].number:02} has no INDEX 01", "Say where it begins")

    def finish(self) -> tuple[CueSheet, tuple[CueFault, ...]]:
        self.line = 0
        self.check_finished()
        if not self.tracks:
            self.fault("there is no track in it", "A cue sheet has at least one FILE and one TRACK")
        sheet = CueSheet.model_construct(**self.sheet, remarks=tuple(self.remarks), tracks=tuple(self.tracks))  # type: ignore[arg-type]
        return sheet, tuple(self.faults)
