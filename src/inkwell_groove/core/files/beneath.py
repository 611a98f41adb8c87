"""Files below a folder, reached without following a link on the way: what is changed or shown lies where it seems to.

Between looking at a path and using it somebody may put a link in place of one of its folders. So each part is opened
relative to the one before, without following links (`openat` with O_NOFOLLOW, POSIX.1-2008), and what is then done
goes through the folder that is held open.
"""

from __future__ import annotations

import contextlib
import errno
import os
import stat
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path, PurePath

from inkwell_groove.core.errors import Refused

_FOLDER = os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW | os.O_CLOEXEC
_FILE = os.O_RDONLY | os.O_NOFOLLOW | os.O_CLOEXEC | os.O_NONBLOCK


@contextmanager
def held(root: Path, inside: str | PurePath, *, make: bool = False) -> Iterator[Path]:
    """Yield a path to what lies, or shall lie, so below `root`: it leads there whatever becomes of the folders' names.

    `make` makes the folders that are missing. Raises Refused for a link among the folders, and for a way out of the
    root; OSError as `open` does.
    """
    *folders, name = _parts(inside)
    folder = os.open(root, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
    try:
        for part in folders:
            if make:
                with contextlib.suppress(FileExistsError):
                    os.mkdir(part, dir_fd=folder)
            inner = _into(folder, part, inside)
            os.close(folder)
            folder = inner
        yield Path(f"/proc/self/fd/{folder}") / name
    finally:
        os.close(folder)


def opened(root: Path, inside: str | PurePath) -> int:
    """Return a descriptor of an ordinary file below `root`, for reading. Raises as `held` does, and for other files."""
    with held(root, inside) as path:
        try:
            file = os.open(path, _FILE)
        except OSError as cause:
            raise (_link(inside, inside) if cause.errno == errno.ELOOP else cause) from None
    if not stat.S_ISREG(os.fstat(file).st_mode):
        os.close(file)
        raise Refused("this is no ordinary file", where=str(inside), remedy="Look at the folder again")
    return file


def check(root: Path, inside: str | PurePath) -> None:
    """Raise Refused if a part of the way to what lies so below `root`, itself included, is a link."""
    with contextlib.suppress(FileNotFoundError, NotADirectoryError), held(root, inside) as path:
        if path.is_symlink():
            raise _link(inside, inside)


def _parts(inside: str | PurePath) -> tuple[str, ...]:
    parts = PurePath(inside).parts
    if not parts or ".." in parts or PurePath(inside).is_absolute():
        raise Refused("this does not lie below its folder", where=str(inside), remedy="Look at the folder again")
    return parts


def _into(folder: int, part: str, inside: str | PurePath) -> int:
    """Return a descriptor of a folder in a folder. Raises Refused for a link."""
    try:
        return os.open(part, _FOLDER, dir_fd=folder)
    except OSError as cause:
        # Of a link, Linux says that it is no folder or that there are too many of them.
        is_link = cause.errno in (errno.ELOOP, errno.ENOTDIR) and stat.S_ISLNK(
            os.stat(part, dir_fd=folder, follow_symlinks=False).st_mode
        )
        raise (_link(part, inside) if is_link else cause) from None


def _link(part: str | PurePath, inside: str | PurePath) -> Refused:
    return Refused(
        f"'{part}' is a link, and links are not followed",
        where=str(inside),
        remedy="Put what it leads to in its place, then look at the folder again",
    )
