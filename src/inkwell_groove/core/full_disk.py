"""A full disk, told as one whatever met it: the system, a library that says less, or an error made of either."""

from __future__ import annotations

import errno
import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import soundfile

from inkwell_groove.core.errors import DiskFull

FULL_DISK_REMEDY = "Make room on the disk, then do it again; nothing was lost"
_FULL = {errno.ENOSPC, errno.EDQUOT}
_NOTHING_BYTES = 1 << 16  # with less than this free, a write that failed failed for want of room


def disk_full(error: BaseException | None) -> DiskFull | None:
    """Return an error as a full disk if it is one, or was raised from or after one, None if it has another cause."""
    seen = error
    while seen is not None:
        if isinstance(seen, DiskFull):
            return seen
        if getattr(seen, "errno", None) in _FULL:
            where = str(getattr(seen, "filename", None) or "the disk")
            return DiskFull("the disk is full", where=where, remedy=FULL_DISK_REMEDY)
        seen = seen.__cause__ or seen.__context__
    return None


@contextmanager
def full_disk_is_told(path: Path) -> Iterator[None]:
    """Raise OSError with the system's number if libsndfile, which says "System error", had no room to write `path`."""
    try:
        yield
    except soundfile.LibsndfileError as cause:
        room = os.statvfs(path.parent)
        if room.f_bavail * room.f_frsize < _NOTHING_BYTES:
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC), str(path)) from cause
        raise
