"""Folders as they are walked: which files count, and what each is by its name."""

from __future__ import annotations

import os
import stat
from collections.abc import Iterator
from pathlib import Path

from inkwell_groove.core.errors import Refused
from inkwell_groove.core.files.formats import SUFFIXES

MOST_FILES = 100_000
_PICTURES = (".jpg", ".jpeg", ".png", ".webp", ".gif")
_PAPERS = (".cue", ".log", ".m3u", ".m3u8", ".txt", ".pdf", ".nfo", ".md5", ".sha256")


def kind_of(path: Path) -> str:
    """audio, picture, paper or other, by its suffix."""
    suffix = path.suffix.lower()
    if suffix in SUFFIXES:
        return "audio"
    return "picture" if suffix in _PICTURES else "paper" if suffix in _PAPERS else "other"


def files_below(folder: Path, told: list[str]) -> Iterator[Path]:
    """Ordinary files; links, sockets and hidden files are told of, or passed over."""
    count = 0
    for root, folders, names in os.walk(folder):
        folders[:] = sorted(one for one in folders if not one.startswith("."))
        for name in sorted(names):
            path = Path(root) / name
            if name.startswith("."):
                continue
            if not stat.S_ISREG(path.lstat().st_mode):
                told.append(f"{path.relative_to(folder)} is a link or no file at all: left out")
                continue
            count += 1
            if count > MOST_FILES:
                raise Refused(f"there are over {MOST_FILES} files", where=str(folder), remedy="Bring in parts of it")
            yield path
