"""A disk of a size that a test chooses, whatever else is written on the machine's own."""

from __future__ import annotations

import contextlib
from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True)
class SmallDisk:
    """A `FreeBytes` of a disk on which nothing lies but the folder that is asked for."""

    size_bytes: int

    def __call__(self, folder: Path) -> int:
        used_bytes = 0
        for path in folder.rglob("*"):
            with contextlib.suppress(FileNotFoundError):
                used_bytes += path.stat().st_size
        return max(0, self.size_bytes - used_bytes)
