"""What belongs to a backup: the folders of an installation, by name, and which of their files.

Left out is what is work in progress or made again when somebody asks for it. Folders that others own (`files`, `discs`,
`targets`) and second copies are no part of it, nor is what lies in object storage alone.
"""

from __future__ import annotations

import os
import stat
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path

from inkwell_groove.store.exclusive import LOCK_NAME
from inkwell_groove.store.places import WORK
from inkwell_groove.store.settings import Settings
from inkwell_groove.store.upgrading import DUMPS

MEDIA, RECORDINGS = "media", "recordings"
# What is moved or removed as soon as a row says so: it is held fast while the database is dumped.
_PASSING = ("uploads", "recordings", "discs", "steps", "pieces", "surveys")
# What is altered in place, by steps of work on files.
_ALTERED = ("bundles", "holding")
HELD = "held for a backup"
_LEFT_OUT = {WORK, HELD, DUMPS, "images", LOCK_NAME}


@dataclass(frozen=True)
class Found:
    """A file, or a folder with nothing in it, below a root."""

    root: str
    path: str
    at: Path
    known: os.stat_result

    @property
    def is_folder(self) -> bool:
        return stat.S_ISDIR(self.known.st_mode)


def roots_of(given: Settings) -> dict[str, Path]:
    """Return the folders of an installation that are backed up, by the names that they have in a backup."""
    roots = {MEDIA: given.media_root}
    if given.recordings_root is not None:
        roots[RECORDINGS] = given.recordings_root
    return roots | {place.name: place.path for place in given.places}


def tops_of(roots: Mapping[str, Path]) -> dict[str, set[str]]:
    """Return the names in each root that are backed up."""
    return {
        name: {path.name for path in folder.iterdir() if path.name not in _LEFT_OUT} if folder.is_dir() else set()
        for name, folder in roots.items()
    }


def passing(roots: Mapping[str, Path]) -> dict[str, set[str]]:
    """Return of these names those of what is moved or removed as soon as a row says so."""
    return {name: tops if name == RECORDINGS else tops & set(_PASSING) for name, tops in tops_of(roots).items()}


def altered(roots: Mapping[str, Path]) -> dict[str, set[str]]:
    """Return those of what steps of work on files alter."""
    return {name: tops & set(_ALTERED) if name == MEDIA else set() for name, tops in tops_of(roots).items()}


def lasting(roots: Mapping[str, Path]) -> dict[str, set[str]]:
    """Return those of what stays as it is once it is there."""
    going, changing = passing(roots), altered(roots)
    return {name: tops - going[name] - changing[name] for name, tops in tops_of(roots).items()}


def walk(root: str, folder: Path, tops: Iterable[str]) -> Iterator[Found]:
    """Yield the files below some names in a root, and its empty folders. What vanishes meanwhile is passed over.

    Links are: the product makes none and follows none.
    """
    for top in sorted(tops):
        for path, folders, files in os.walk(folder / top):
            here = Path(path)
            if not folders and not files:
                yield from _found(root, folder, here)
            for name in files:
                yield from _found(root, folder, here / name)
        if (folder / top).is_file():
            yield from _found(root, folder, folder / top)


def _found(root: str, folder: Path, path: Path) -> Iterator[Found]:
    try:
        known = path.lstat()
    except FileNotFoundError:
        return
    if stat.S_ISREG(known.st_mode) or stat.S_ISDIR(known.st_mode):
        yield Found(root, path.relative_to(folder).as_posix(), path, known)
