"""Which kinds of files are read and written, and how each is opened."""

from __future__ import annotations

import struct
from typing import Any

import mutagen
from mutagen import id3
from mutagen._util import delete_bytes
from mutagen.aiff import AIFF
from mutagen.flac import FLAC
from mutagen.mp3 import MP3
from mutagen.mp4 import MP4
from mutagen.oggopus import OggOpus
from mutagen.oggvorbis import OggVorbis
from mutagen.wave import WAVE

from inkwell_groove.core.errors import NotSound
from inkwell_groove.core.files.fields import SEPARATOR
from inkwell_groove.core.files.id3_tags import Id3Tags
from inkwell_groove.core.files.mp4_tags import Mp4Tags
from inkwell_groove.core.files.vorbis_tags import VorbisTags

SUFFIXES = (".flac", ".mp3", ".m4a", ".m4b", ".mp4", ".ogg", ".oga", ".opus", ".wav", ".aif", ".aiff", ".aifc")
_REMEDY = "Look at the file with the program that made it, or get it anew"
_ID3 = (MP3, WAVE, AIFF)
# What the tag library raises for bytes that it did not expect, beside its own errors.
LIBRARY_ERRORS = (
    mutagen.MutagenError,
    struct.error,
    EOFError,
    ValueError,
    IndexError,
    KeyError,
    TypeError,
    AttributeError,
    OverflowError,
    RecursionError,
    MemoryError,
    ZeroDivisionError,
    AssertionError,
)
_FOOTER_FLAG, _FOOTER_BYTES = 0x10, 10


class Opened:
    """A file's tags, opened from a file object that can be read (and written, for `save`)."""

    def __init__(self, stream: Any, name: str) -> None:
        self.name = name
        stream.seek(0)
        mark = stream.read(12)
        stream.seek(0)
        if mark[:4] == b"RF64":
            raise NotSound("the tags of RF64 files are not written here", where=name, remedy="Seal it as FLAC instead")
        self._kind = _kind(mark, name)
        try:
            self.file: Any = self._kind(stream)
        except LIBRARY_ERRORS as cause:
            raise NotSound(f"it cannot be read as {self.format} ({cause})", where=name, remedy=_REMEDY) from cause
        self.is_id3 = self._kind in _ID3
        self.minor = 4
        if self.is_id3:
            self._load_id3(stream)

    @property
    def format(self) -> str:
        if self._kind is MP4:
            codec = getattr(getattr(self, "file", None), "info", None)
            return "ALAC" if getattr(codec, "codec", "") == "alac" else "AAC"
        return {FLAC: "FLAC", MP3: "MP3", OggVorbis: "Vorbis", OggOpus: "Opus", WAVE: "WAV", AIFF: "AIFF"}[self._kind]

    def adapter(self) -> VorbisTags | Id3Tags | Mp4Tags:
        if self.is_id3:
            return Id3Tags(self.file.tags, minor=self.minor)
        return Mp4Tags(self.file) if self._kind is MP4 else VorbisTags(self.file)

    def save(self, stream: Any, *, keep_id3v1: bool, padding: int) -> None:
        """Writes the tags into `stream`. Room that is there is used; where there is none, `padding` bytes are made."""

        def room(info: Any) -> int:
            left = int(info.padding)
            return left if 0 <= left <= max(1 << 16, 4 * padding) else padding

        stream.seek(0)
        if self.is_id3:
            v1 = {"v1": 1 if keep_id3v1 else 0} if self._kind is MP3 else {}
            had_footer = self._kind is MP3 and _has_footer(stream)
            self.file.tags.save(stream, v2_version=self.minor, v23_sep=SEPARATOR, padding=room, **v1)
            if had_footer:
                _remove_footer(stream)
        elif self._kind is FLAC:
            self.file.save(stream, padding=room)
        else:
            self.file.save(stream, padding=room)

    def _load_id3(self, stream: Any) -> None:
        """The tag as its own version has it: translating it would rename frames that nobody asked to have changed."""
        if self.file.tags is None:
            self.file.add_tags()
            return
        version = self.file.tags.version
        if version[:2] == (2, 3):
            stream.seek(0)
            self.file.tags = type(self.file.tags)(stream, translate=False)
            self.minor = 3


def _has_footer(stream: Any) -> bool:
    """Whether the tag at the beginning ends with a footer (ID3v2.4.0 structure, 3.4)."""
    stream.seek(0)
    head = stream.read(10)
    stream.seek(0)
    return len(head) == 10 and head[:3] == b"ID3" and bool(head[5] & _FOOTER_FLAG)


def _remove_footer(stream: Any) -> None:
    """Takes the footer away that the library leaves behind the tag it has written, which has none."""
    stream.seek(6)
    size = 0
    for byte in stream.read(4):
        size = size << 7 | byte & 0x7F
    stream.seek(10 + size)
    if stream.read(3) == b"3DI":
        delete_bytes(stream, _FOOTER_BYTES, 10 + size)


def _kind(mark: bytes, name: str) -> Any:
    if mark[:4] == b"fLaC":
        return FLAC
    if mark[:4] == b"OggS":
        return OggOpus if name.lower().endswith(".opus") else OggVorbis
    if mark[:4] == b"RIFF" and mark[8:] == b"WAVE":
        return WAVE
    if mark[:4] == b"FORM":
        return AIFF
    if mark[4:8] == b"ftyp":
        return MP4
    if mark[:3] == b"ID3":
        return FLAC if name.lower().endswith(".flac") else MP3
    if len(mark) > 1 and mark[0] == 0xFF and mark[1] & 0xE0 == 0xE0:
        return MP3
    raise NotSound(
        "it is none of FLAC, WAV, AIFF, MP3, M4A, Ogg Vorbis and Opus",
        where=name,
        remedy="Look at what it really is; its name may be wrong",
    )


def id3_of(opened: Opened) -> id3.ID3:
    tags = opened.file.tags
    assert isinstance(tags, id3.ID3)
    return tags
