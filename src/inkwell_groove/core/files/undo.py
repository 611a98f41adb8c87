"""The way back from an altered file to the one before, byte for byte, without keeping that whole."""

from __future__ import annotations

import os
import shutil
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from inkwell_groove.core.errors import Refused

_BLOCK = 1 << 20


@dataclass(frozen=True)
class Undo:
    """The bytes that the old file had and the new one has not.

    With `in_place` the ranges are (offset, bytes) to be put back where they were, and the file has then `size` bytes;
    that also mends a file that was written only in part. Without it there is one range: the old file is the first
    `offset` bytes of the new one, those bytes, and as many of the new file's last bytes as make `size`.
    """

    in_place: bool
    size: int
    ranges: tuple[tuple[int, bytes], ...]

    @property
    def held_bytes(self) -> int:
        return sum(len(data) for _, data in self.ranges)


def between(old: Path, new: Path) -> Undo:
    """Return what leads from `new` back to `old`: all but the bytes with which both begin and end."""
    old_size, new_size = old.stat().st_size, new.stat().st_size
    least = min(old_size, new_size)
    with old.open("rb") as before, new.open("rb") as after:
        start = 0
        while start < least:
            left, right = before.read(min(_BLOCK, least - start)), after.read(min(_BLOCK, least - start))
            if left != right:
                start += alike(left, right)
                break
            start += len(left)
        end = 0
        while end < least - start:
            step = min(_BLOCK, least - start - end)
            before.seek(old_size - end - step)
            after.seek(new_size - end - step)
            left, right = before.read(step), after.read(step)
            if left != right:
                end += alike(left[::-1], right[::-1])
                break
            end += step
        before.seek(start)
        middle = before.read(old_size - end - start)
    return Undo(False, old_size, ((start, middle),))


def take_back(path: Path, undo: Undo, *, beside: Path | None = None) -> None:
    """Makes a file what it was. Done in place where it was altered in place, else in `beside` and by a rename."""
    if undo.in_place:
        overwrite(path, undo.ranges, undo.size)
        return
    ((offset, middle),) = undo.ranges
    tail = undo.size - offset - len(middle)
    size = path.stat().st_size
    if tail < 0 or offset + tail > size:
        raise Refused(
            "the file is shorter than it was left", where=path.name, remedy="Somebody else has altered it: keep it"
        )
    beside = beside if beside is not None else path.with_name(f".{path.name}.part")
    with path.open("rb") as new, beside.open("wb") as old:
        _copy(new, old, offset)
        old.write(middle)
        new.seek(size - tail)
        _copy(new, old, tail)
        old.flush()
        os.fsync(old.fileno())
    shutil.copystat(path, beside)
    beside.replace(path)


def overwrite(path: Path, ranges: Sequence[tuple[int, bytes]], size: int) -> None:
    """Write (offset, bytes) into a file, which has `size` bytes then; they are on the disk when this returns.

    Raises OSError, with the file as it was, if there is no room for it to grow.
    """
    with path.open("r+b") as file:
        old_size = os.fstat(file.fileno()).st_size
        if size > old_size:
            try:
                os.posix_fallocate(file.fileno(), old_size, size - old_size)
            except OSError:
                file.truncate(old_size)
                raise
        for offset, data in ranges:
            file.seek(offset)
            file.write(data)
        file.truncate(size)
        file.flush()
        os.fdatasync(file.fileno())


def _copy(source: object, target: object, length: int) -> None:
    while length > 0:
        block = source.read(min(_BLOCK, length))  # type: ignore[attr-defined]
        target.write(block)  # type: ignore[attr-defined]
        length -= len(block)
        if not block:
            return


def alike(left: bytes, right: bytes) -> int:
    """Return with how many equal bytes two blocks begin, found by halving: comparing slices is fast."""
    low, high = 0, min(len(left), len(right))
    while low < high:
        middle = (low + high + 1) // 2
        if left[low:middle] == right[low:middle]:
            low = middle
        else:
            high = middle - 1
    return low
