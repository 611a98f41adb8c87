"""ZIP archives that others made: opened, limited and read, every way in which one can be broken being a refusal."""

from __future__ import annotations

import errno
import lzma
import shutil
import struct
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import BinaryIO

from inkwell_groove.core.errors import Refused

# What `zipfile` and the decoders under it raise for bytes that are no archive, or not one that is read here. A wrong
# name raises UnicodeDecodeError, which is a ValueError; a locked part RuntimeError.
_BROKEN = (
    zipfile.BadZipFile,
    NotImplementedError,
    EOFError,
    ValueError,
    RuntimeError,
    KeyError,
    IndexError,
    struct.error,
    zlib.error,
    lzma.LZMAError,
)
_COPIED_BYTES = 1 << 20
_DAMAGED, _PACK_ANEW = "it is damaged in the archive", "Pack it anew"
_MOST_RATIO, _FREE_BYTES = 250, 64_000_000
"""Sound shrinks to a half, silence and text to a hundredth; what grows more than this is made to fill a disk."""


@contextmanager
def opened(source: Path | BinaryIO, *, where: str, remedy: str) -> Iterator[zipfile.ZipFile]:
    """Yield an archive, its directory read. Raises Refused for what is no archive, or a broken one."""
    with _broken_is_refused("this is no ZIP archive that can be read", where, remedy):
        archive = zipfile.ZipFile(source)
    with archive:
        yield archive


def parts_of(
    archive: zipfile.ZipFile, *, where: str, most_parts: int, most_bytes: int, packed_bytes: int
) -> list[zipfile.ZipInfo]:
    """Return the files of an archive, counted before any is unpacked.

    What is taken out of a part ends at the size that the directory states, so these sums can be believed. Raises
    Refused for too many files, too many bytes, an archive that would grow beyond all measure, a file without a name.
    """
    if any(not one.filename for one in archive.infolist()):
        raise Refused("a file in it has no name", where=where, remedy=_PACK_ANEW)
    parts = [one for one in archive.infolist() if not one.is_dir()]
    total = sum(one.file_size for one in parts)
    if len(parts) > most_parts:
        raise Refused(f"it has {len(parts)} files, over {most_parts}", where=where, remedy="Send it in parts")
    if total > most_bytes:
        raise Refused(
            f"unpacked it has {total / 1e9:.1f} GB, over {most_bytes / 1e9:.0f} GB",
            where=where,
            remedy="Send it in parts",
        )
    if total > max(_FREE_BYTES, _MOST_RATIO * packed_bytes):
        raise Refused(
            f"unpacked it is {total / max(1, packed_bytes):,.0f} times as large, over {_MOST_RATIO} times",
            where=where,
            remedy="Send the files that matter without packing them",
        )
    return parts


def read(archive: zipfile.ZipFile, part: zipfile.ZipInfo) -> bytes:
    """Return what a part of an archive holds. Raises Refused if it is damaged."""
    with _broken_is_refused(_DAMAGED, part.filename, _PACK_ANEW):
        return archive.read(part)


def unpack(archive: zipfile.ZipFile, part: zipfile.ZipInfo | str, target: Path) -> None:
    """Write a part of an archive into a new file. Raises Refused for a damaged part, of which nothing is left."""
    name = part if isinstance(part, str) else part.filename
    try:
        with _broken_is_refused(_DAMAGED, name, _PACK_ANEW), archive.open(part) as packed, target.open("xb") as out:
            shutil.copyfileobj(packed, out, _COPIED_BYTES)
    except Refused:
        target.unlink(missing_ok=True)
        raise


@contextmanager
def _broken_is_refused(what: str, where: str, remedy: str) -> Iterator[None]:
    """Raise Refused for what broken bytes raise in the block, with what the library says, short enough for a line."""
    try:
        yield
    except (*_BROKEN, OSError) as cause:
        # An error of the disk has a number. Decoders raise OSError without one, and a place before the beginning of
        # the file is an invalid argument.
        if isinstance(cause, OSError) and cause.errno not in (None, errno.EINVAL):
            raise
        raise Refused(f"{what} ({(str(cause) or type(cause).__name__)[:120]})", where=where, remedy=remedy) from cause
