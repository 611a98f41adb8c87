"""Room on the disk: how much there is, and how much is kept for recordings.

A recording cannot be repeated at will, everything else can. So everything else leaves room for recordings: it is
refused while as much as `kept_bytes` is still free, and goes on once there is room.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path

from inkwell_groove.core.errors import DiskFull
from inkwell_groove.core.full_disk import FULL_DISK_REMEDY

FreeBytes = Callable[[Path], int]
"""What tells how many bytes may still be written on the disk of a folder."""


def free_bytes_of_disk(folder: Path) -> int:
    """Return how many bytes an ordinary user may still write on the disk of the folder."""
    room = os.statvfs(folder)
    return room.f_bavail * room.f_frsize


class DiskSpace:
    """The room on a folder's disk for all that is no recording. Can be sent to another process."""

    def __init__(self, folder: Path, *, kept_bytes: int = 0, free_bytes: FreeBytes = free_bytes_of_disk) -> None:
        self._folder, self.kept_bytes, self.free_bytes_of = folder, kept_bytes, free_bytes

    def free_bytes(self) -> int:
        """Return how much may still be written, by recordings too."""
        return self.free_bytes_of(self._folder)

    def left_bytes(self) -> int:
        """Return how much may be written until only the room for recordings is left."""
        return max(0, self.free_bytes() - self.kept_bytes)

    def need(self, size_bytes: int, *, where: str = "") -> None:
        """Raise DiskFull if so much cannot be written, with what is needed and what is free."""
        left_bytes = self.left_bytes()
        if left_bytes > 0 and size_bytes <= left_bytes:
            return
        needed = f"{in_words(size_bytes)} are needed, " if size_bytes else ""
        kept = f" beside the {in_words(self.kept_bytes)} that are kept for recordings" if self.kept_bytes else ""
        raise DiskFull(
            f"there is no room on the disk: {needed}{in_words(left_bytes)} are free{kept}",
            where=where or str(self._folder),
            remedy=FULL_DISK_REMEDY,
        )


def in_words(size_bytes: int) -> str:
    """Return a size as people read it: "12.3 MB"."""
    size = float(size_bytes)
    for unit in ("B", "kB", "MB"):
        if size < 999.5:
            return f"{size:.0f} {unit}" if unit == "B" else f"{size:.1f} {unit}"
        size /= 1_000
    return f"{size:.1f} GB"
