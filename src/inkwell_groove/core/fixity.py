"""Fixity: whether the files of a folder are what a list of their checksums says, and what became of those that are not.

A file that is listed and has another checksum is *damaged*; one that is not there is *missing*, or *moved* where a file
that nobody listed has its checksum; one that nobody listed and that is no moved one is *unknown*.
"""

from __future__ import annotations

import hashlib
import os
import time
from collections.abc import Callable, Iterable, Iterator, Mapping
from pathlib import Path
from typing import Literal

from pydantic import BaseModel, ConfigDict

from inkwell_groove.core.audio import flacframes

State = Literal["sound", "damaged", "missing", "moved", "unknown"]
_BLOCK_BYTES = 1 << 20


class FileFixity(BaseModel):
    """One file. `words` say what is wrong with it, where that can be told; `now_at` is where a moved one lies."""

    model_config = ConfigDict(frozen=True)

    file: str
    state: State
    words: str = ""
    now_at: str = ""


class Pace:
    """Reads no faster than so many bytes a second, so that others can work meanwhile; without a limit, freely.

    `on_bytes` is told of every piece, and may raise Cancelled.
    """

    def __init__(self, bytes_per_s: float | None = None, on_bytes: Callable[[int], None] | None = None) -> None:
        self._limit, self._tell = bytes_per_s, on_bytes
        self._began, self._read = time.monotonic(), 0

    def read(self, size: int) -> None:
        self._read += size
        if self._tell is not None:
            self._tell(size)
        if self._limit:
            ahead = self._read / self._limit - (time.monotonic() - self._began)
            if ahead > 0:
                time.sleep(ahead)


def sha256_of(path: Path, pace: Pace | None = None) -> str:
    """Of a file, in blocks."""
    if pace is None:
        with path.open("rb") as file:
            return hashlib.file_digest(file, "sha256").hexdigest()
    digest = hashlib.sha256()
    with path.open("rb") as file:
        while block := file.read(_BLOCK_BYTES):
            digest.update(block)
            pace.read(len(block))
    return digest.hexdigest()


def sha256_from_disk(path: Path) -> str:
    """Of a file that was just written: synced, and read back from the disk as far as the system follows."""
    with path.open("rb") as file:
        os.fsync(file.fileno())
        # What was just written lies in memory; without this the disk would not be asked.
        os.posix_fadvise(file.fileno(), 0, 0, os.POSIX_FADV_DONTNEED)
        return hashlib.file_digest(file, "sha256").hexdigest()


def check_folder(
    folder: Path, expected: Mapping[str, str], *, aside: Iterable[str] = (), pace: Pace | None = None
) -> Iterator[FileFixity]:
    """Every file of a folder and of its list. `expected` are SHA-256 by path below it; `aside` are passed over.

    A file that the disk does not give back is damaged.
    """
    aside = set(aside)
    there = {str(path.relative_to(folder)) for path in folder.rglob("*") if path.is_file()} - aside
    strangers = {name: _readable_sha256(folder / name, pace)[0] for name in sorted(there - set(expected))}
    by_digest = {digest: name for name, digest in strangers.items()}
    moved: set[str] = set()
    for name, digest in sorted(expected.items()):
        if name not in there:
            now_at = by_digest.get(digest)
            if now_at is None or now_at in moved:
                yield FileFixity(file=name, state="missing", words="it is listed, and missing")
            else:
                moved.add(now_at)
                yield FileFixity(file=name, state="moved", words=f"it lies at {now_at} now", now_at=now_at)
            continue
        found, why = _readable_sha256(folder / name, pace)
        if found == digest:
            yield FileFixity(file=name, state="sound")
        elif why:
            yield FileFixity(file=name, state="damaged", words=f"it cannot be read ({why})")
        else:
            where = where_damaged(folder / name)
            words = f"{where}{'; ' if where else ''}its SHA-256 is {found}, it should be {digest}"
            yield FileFixity(file=name, state="damaged", words=words)
    for name in sorted(set(strangers) - moved):
        yield FileFixity(file=name, state="unknown", words="no list has it")


def _readable_sha256(path: Path, pace: Pace | None) -> tuple[str, str]:
    """A file's digest, or why it cannot be read."""
    try:
        return sha256_of(path, pace), ""
    except OSError as cause:
        return "", cause.strerror or str(cause)


def where_damaged(path: Path) -> str:
    """Where in a file the damage lies, as far as the file itself can tell: 'damaged in frame 212 (...)'."""
    if path.suffix.lower() != ".flac":
        return ""
    report = flacframes.walk(path)
    if report.metadata_words:
        return f"its headers are damaged: {report.metadata_words}"
    if report.damaged:
        return f"damaged in {', '.join(one.words() for one in report.damaged)}"
    return "every frame of its sound is whole: the damage is in its headers, tags or pictures"
