"""Tags and pictures written into a file, its sound proven unchanged, and the way back kept.

A change is first worked out in memory. Where it fits into the room that is there, only those bytes are overwritten;
where what follows would have to move, a new file is written beside and renamed. Either way the `Undo` is there before
the file is touched, so whoever calls can put it on disk first.
"""

from __future__ import annotations

import os
import shutil
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Literal

from inkwell_groove.core.errors import NotSound, ProofFailed, Refused
from inkwell_groove.core.files.audio_bytes import Digests, digests
from inkwell_groove.core.files.fields import BY_NAME, accept, values_of
from inkwell_groove.core.files.formats import LIBRARY_ERRORS, Opened, id3_of
from inkwell_groove.core.files.id3_tags import as_version
from inkwell_groove.core.files.info_tags import write_info
from inkwell_groove.core.files.overlay import Overlay, TooMuch
from inkwell_groove.core.files.pictures import Embedded
from inkwell_groove.core.files.undo import Undo, between, overwrite, take_back


@dataclass(frozen=True)
class TagOptions:
    """How tags are written where a format leaves a choice."""

    id3: Literal["as it is", "2.3", "2.4"] = "as it is"
    keep_id3v1: bool = True
    info: bool = True
    padding_bytes: int = 8_192


@dataclass(frozen=True)
class Change:
    """Fields to set ("" removes one), and all pictures there shall be, or None to leave them.

    `samples_md5` is what a FLAC shall say that its samples have (RFC 9639 section 8.2), in hexadecimal.
    """

    fields: Mapping[str, str] = field(default_factory=dict)
    pictures: tuple[Embedded, ...] | None = None
    samples_md5: str = ""


@dataclass(frozen=True)
class Ready:
    """A change worked out, nothing altered yet. `told` is what the format could not hold, in words."""

    path: Path
    before: Digests
    undo: Undo
    told: tuple[str, ...]
    ranges: tuple[tuple[int, bytes], ...]  # written in place
    size: int
    beside: Path | None  # or the whole new file

    @property
    def alters(self) -> bool:
        return self.beside is not None or bool(self.ranges) or self.size != self.undo.size


def prepare(path: Path, change: Change, options: TagOptions = TagOptions()) -> Ready:
    """Work a change out; nothing is altered. Raises NotSound if a file cannot be read, Refused for a value too much."""
    before = digests(path)
    try:
        with Overlay(path) as stream:
            told = _alter(stream, path.name, change, options)
            changes = stream.changes()
            undo = Undo(True, stream.old_size, tuple((at, old) for at, old, _ in changes if old))
            ranges = tuple((at, new) for at, _, new in changes if new)
            return Ready(path, before, undo, tuple(told), ranges, stream.size, None)
    except TooMuch:
        pass
    beside = path.with_name(f".{path.name}.part")
    try:
        shutil.copyfile(path, beside)
        with beside.open("r+b") as stream:
            told = _alter(stream, path.name, change, options)
            stream.flush()
            os.fsync(stream.fileno())
        shutil.copystat(path, beside)
        return Ready(path, before, between(path, beside), tuple(told), (), beside.stat().st_size, beside)
    except BaseException:
        beside.unlink(missing_ok=True)
        raise


def carry_out(ready: Ready) -> Digests:
    """Alter the file as prepared, and return its digests.

    Where its sound changed, or cannot be found any more, the file is put back, and ProofFailed raised.
    """
    if ready.beside is not None:
        ready.beside.replace(ready.path)
    try:
        if ready.beside is None and ready.alters:
            overwrite(ready.path, ready.ranges, ready.size)
        after = digests(ready.path)
        if after.audio == ready.before.audio:
            return after
        what = "writing its tags would have altered its sound; it was put back"
    except Exception as cause:
        take_back(ready.path, ready.undo)
        if not isinstance(cause, NotSound):
            raise
        what = f"written to, it would no longer be read ({cause.what}); it was put back"
        raise ProofFailed(what, where=ready.path.name, remedy="Leave this file alone and report it") from cause
    take_back(ready.path, ready.undo)
    raise ProofFailed(what, where=ready.path.name, remedy="Leave this file alone and report it")


def drop(ready: Ready) -> None:
    """Forgets what was prepared."""
    if ready.beside is not None:
        ready.beside.unlink(missing_ok=True)


def write(path: Path, change: Change, options: TagOptions = TagOptions()) -> tuple[Digests, Ready]:
    """Prepare and carry out a change of a single file."""
    ready = prepare(path, change, options)
    return carry_out(ready), ready


def _alter(stream: Any, name: str, change: Change, options: TagOptions) -> list[str]:
    opened = Opened(stream, name)
    if opened.is_id3 and options.id3 != "as it is" and opened.minor != int(options.id3[-1]):
        if opened.minor == 3:  # read again as the library translates it
            opened.minor = 4
            as_version(id3_of(opened), 4)
        else:
            as_version(id3_of(opened), 3)
            opened.minor = 3
    adapter = opened.adapter()
    told: list[str] = []
    for key, value in change.fields.items():
        if key not in BY_NAME:
            raise Refused(f"there is no field '{key}'", remedy=f"The fields are {', '.join(BY_NAME)}")
        spec = BY_NAME[key]
        told += adapter.set_values(spec, values_of(spec, accept(spec, value)))
    if change.pictures is not None:
        told += adapter.set_pictures(change.pictures)
    if change.samples_md5:
        if opened.format != "FLAC":
            raise Refused("only FLAC has a place for a checksum of its samples", where=name, remedy="Leave it out")
        opened.file.info.md5_signature = int(change.samples_md5, 16)
    try:
        opened.save(stream, keep_id3v1=options.keep_id3v1, padding=options.padding_bytes)
    except LIBRARY_ERRORS as cause:
        raise NotSound(
            f"its tags cannot be written ({cause})", where=name, remedy="Make it smaller, or leave this file out"
        ) from cause
    if opened.format == "WAV" and options.info:
        info = {
            BY_NAME[key].info: accept(BY_NAME[key], value) for key, value in change.fields.items() if BY_NAME[key].info
        }
        if info:
            write_info(stream, info)
    return told
