"""Folders as they are walked: which files count, and what each is by its name."""

from __future__ import annotations

import os
import stat
from collections.abc import Iterator
from pathlib import Path

from inkwell_groove.core.errors import Refused
from inkwell_groove.core.files.formats import SUFFIXES

MOST_FILES = 100_000
MOST_CHARACTERS = 1_000  # of a path, as a row has it
_NAMED, _MOST_SHOWN = 3, 120
_PICTURES = (".jpg", ".jpeg", ".png", ".webp", ".gif")
_PAPERS = (".cue", ".log", ".m3u", ".m3u8", ".txt", ".pdf", ".nfo", ".md5", ".sha256")


def kind_of(path: Path) -> str:
    """audio, picture, paper or other, by its suffix."""
    suffix = path.suffix.lower()
    if suffix in SUFFIXES:
        return "audio"
    return "picture" if suffix in _PICTURES else "paper" if suffix in _PAPERS else "other"


class LeftOut:
    """What is left out of a folder, by why; told in a line for each reason, however many there are."""

    def __init__(self) -> None:
        self._names: dict[str, list[str]] = {}
        self._counts: dict[str, int] = {}

    def add(self, why: str, path: Path) -> None:
        self._counts[why] = self._counts.get(why, 0) + 1
        names = self._names.setdefault(why, [])
        if len(names) < _NAMED:
            names.append(shown(str(path)))

    def lines(self) -> list[str]:
        out = []
        for why, count in self._counts.items():
            more = ", ..." if count > _NAMED else ""
            out.append(f"{count} {why}: left out ({', '.join(self._names[why])}{more})")
        return out


def shown(name: str) -> str:
    """A file's name as it can be written: bytes that are no UTF-8 as \\xf6, the middle of a long one left out."""
    text = os.fsencode(name).decode("utf-8", "backslashreplace")
    return text if len(text) <= _MOST_SHOWN else f"{text[: _MOST_SHOWN // 2]}...{text[-_MOST_SHOWN // 2 :]}"


def files_below(folder: Path, told: list[str]) -> Iterator[Path]:
    """The files of a folder that can be worked with; the others are told of once all were given.

    Left out are links, devices and the like, hidden files and folders, names that are not UTF-8, and paths longer than
    a row holds. Raises Refused for over MOST_FILES.
    """
    count, left = 0, LeftOut()
    for root, folders, names in os.walk(folder):
        kept = []
        for name in sorted(folders):
            path = (Path(root) / name).relative_to(folder)
            if (folder / path).is_symlink():
                left.add("links to folders", path)
            elif why := _why_not(path):
                left.add(f"folders with {why}", path)
            else:
                kept.append(name)
        folders[:] = kept
        for name in sorted(names):
            path = Path(root) / name
            inside = path.relative_to(folder)
            if why := _why_not(inside):
                left.add(f"files with {why}", inside)
                continue
            if not stat.S_ISREG(path.lstat().st_mode):
                left.add("links, devices and the like", inside)
                continue
            count += 1
            if count > MOST_FILES:
                raise Refused(f"there are over {MOST_FILES} files", where=str(folder), remedy="Bring in parts of it")
            yield path
    told += left.lines()


def _why_not(path: Path) -> str:
    if path.name.startswith("."):
        return "a name that begins with a dot (hidden)"
    try:
        str(path).encode()
    except UnicodeEncodeError:
        return "a name that is not UTF-8"
    return f"a path of over {MOST_CHARACTERS} characters" if len(str(path)) > MOST_CHARACTERS else ""
