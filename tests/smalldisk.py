"""A disk of a chosen size, independent of what else is written on the machine."""

from __future__ import annotations

import contextlib
from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True)
class SmallDisk:
    """A `FreeBytes` for a disk that holds nothing but the given folder."""

    size_bytes: int

    def __call__(self, folder: Path) -> int:
        used_bytes = 0
        for path in folder.rglob("*"):
            with contextlib.suppress(FileNotFoundError):
                used_bytes += path.stat().st_size
        return max(0, self.size_bytes - used_bytes)
