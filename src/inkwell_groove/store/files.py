"""Files that another process may take away at any moment, and folders that only their owner enters."""

from __future__ import annotations

import os
import stat
from pathlib import Path


def bytes_if_there(path: Path) -> bytes | None:
    """Return what a file holds, None where there is none. Another process may take it away at any moment."""
    try:
        return path.read_bytes()
    except FileNotFoundError:
        return None


def size_if_there(path: Path) -> int:
    """Return how long a file is, 0 where there is none. Another process may take it away at any moment."""
    try:
        return path.stat().st_size
    except FileNotFoundError:
        return 0


def keep_private(root: Path) -> None:
    """Make a folder that nobody but its owner can enter, or take the way in from all but its owner and its group.

    What lies in it needs no mode of its own then. What is written elsewhere, into folders that players read, gets the
    mode that the house's own umask gives it.
    """
    if not root.exists():
        root.mkdir(mode=0o700, parents=True)
        return
    mode = stat.S_IMODE(root.stat().st_mode)
    if mode & 0o007 and root.stat().st_uid == os.geteuid():
        root.chmod(mode & ~0o007)
