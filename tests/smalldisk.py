"""A disk of a chosen size, independent of what else is written on the machine."""

from __future__ import annotations

import contextlib
from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True)
class SmallDisk:
    """A `FreeBytes` for a disk that holds nothing but the given folder. Its size lies in a file that tests change."""

    path: Path

    @classmethod
    def of(cls, path: Path, size_bytes: int) -> SmallDisk:
        disk = cls(path)
        disk.resize(size_bytes)
        return disk

    def resize(self, size_bytes: int) -> None:
        self.path.write_text(str(size_bytes))

    def __call__(self, folder: Path) -> int:
        used_bytes = 0
        for path in folder.rglob("*"):
            with contextlib.suppress(FileNotFoundError):
                used_bytes += path.stat().st_size
        return max(0, int(self.path.read_text()) - used_bytes)
