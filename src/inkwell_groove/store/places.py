"""Places: folders on other disks where takes and packages lie besides the media root, each with a name and a budget.

A house that outgrows one disk adds a place. What is new goes to the first place of its kind that has room, what is
there already stays where it is and is found by its digest or its folder. Every machine is told where it sees them.
"""

from __future__ import annotations

import os
import time
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.errors import Refused
from inkwell_groove.store.disk import FreeBytes

Kind = Literal["takes", "packages"]
FOLDERS: dict[Kind, str] = {"takes": "takes", "packages": "sealed"}
WORK = "work"
_COUNTED_AGAIN_S = 600.0  # what others write there is not known before


class Place(BaseModel):
    """One such folder."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: str = Field(pattern="^[a-z]{1,20}$", description="It stands in rows, before the way from there.")
    path: Path
    kinds: tuple[Kind, ...] = Field(default=("takes", "packages"), min_length=1)
    budget_bytes: int | None = Field(default=None, gt=0, description="No more than this, however much room there is.")


def check_there(places: Sequence[Place]) -> None:
    """Raise Refused if one of the places is not there: its disk is not connected."""
    for place in places:
        if not place.path.is_dir():
            raise Refused(
                f"the place '{place.name}' is not there",
                where=str(place.path),
                remedy="Connect its disk, or make the folder if it is new; INKWELL_PLACES says where it is",
            )


class Places:
    """The media root and the other places. Can be sent to another process."""

    def __init__(self, home: Path, others: Sequence[Place], *, kept_bytes: int = 0, free_bytes: FreeBytes) -> None:
        """Raises Refused if one of the others is not there."""
        self.home, self.others = home, tuple(others)
        self._kept_bytes, self._free_bytes = kept_bytes, free_bytes
        self._used: dict[str, tuple[float, int]] = {}
        check_there(self.others)
        for place in self.others:
            for name in (*(FOLDERS[kind] for kind in place.kinds), WORK):
                (place.path / name).mkdir(exist_ok=True)

    def folders(self, kind: Kind) -> list[Path]:
        """Return every folder in which things of this kind lie, that of the media root first."""
        return [self.home / FOLDERS[kind], *(one.path / FOLDERS[kind] for one in self._of(kind))]

    def folder_for(self, kind: Kind, size_bytes: int) -> Path:
        """Return the folder for something new: of the first place with room for it, else of the media root."""
        for place in self._of(kind):
            if size_bytes <= self.left_bytes(place):
                return place.path / FOLDERS[kind]
        return self.home / FOLDERS[kind]

    def free_bytes(self, place: Place) -> int:
        """Return how much room there is on a place's disk."""
        return self._free_bytes(place.path)

    def left_bytes(self, place: Place) -> int:
        """Return how much may still be written to a place."""
        room = self._free_bytes(place.path) - self._kept_bytes
        return max(0, room if place.budget_bytes is None else min(room, place.budget_bytes - self.used_bytes(place)))

    def used_bytes(self, place: Place) -> int:
        """Return how much lies in a place. It is counted now and then, and what this process writes is added."""
        counted_s, used = self._used.get(place.name, (-_COUNTED_AGAIN_S, 0))
        if time.monotonic() - counted_s >= _COUNTED_AGAIN_S:
            used = sum(_bytes_below(place.path / FOLDERS[kind]) for kind in place.kinds)
            self._used[place.name] = time.monotonic(), used
        return used

    def was_added(self, folder: Path, size_bytes: int) -> None:
        """Note that so much was written into a folder of a place."""
        for place in self.others:
            if place.path == folder.parent and place.name in self._used:
                counted_s, used = self._used[place.name]
                self._used[place.name] = counted_s, used + size_bytes

    def workrooms(self) -> list[Path]:
        """Return the folders in which jobs write before they rename, one on each disk."""
        return [self.home / WORK, *(place.path / WORK for place in self.others)]

    def _of(self, kind: Kind) -> Iterator[Place]:
        return (place for place in self.others if kind in place.kinds)


def _bytes_below(folder: Path) -> int:
    total = 0
    for path, _, files in os.walk(folder):
        for name in files:
            try:
                total += Path(path, name).lstat().st_size
            except FileNotFoundError:
                continue  # taken away meanwhile
    return total
