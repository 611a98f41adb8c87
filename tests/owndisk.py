"""A disk of a test's own: a small tmpfs, mounted where nobody else sees it, in a process that ends with the test."""

from __future__ import annotations

import ctypes
import os
import pickle
import traceback
from collections.abc import Callable
from pathlib import Path
from typing import TypeVar

T = TypeVar("T")
_NEW_MOUNTS, _NEW_USERS, _PRIVATE, _RECURSIVE = 0x20000, 0x10000000, 0x40000, 0x4000  # linux/sched.h, linux/mount.h
_libc = ctypes.CDLL(None, use_errno=True)


def on_disk_of(size_bytes: int, folder: Path, work: Callable[[], T]) -> T:
    """Return what work returns, in a forked process in which `folder` is an empty disk of that size.

    Fails with its traceback where it raises. Raises PermissionError where the kernel lets nobody mount.
    """
    folder.mkdir(parents=True, exist_ok=True)
    reader, writer = os.pipe()
    pid = os.fork()
    if pid == 0:
        os.close(reader)
        try:
            _mount(folder, size_bytes)
            answer: tuple[bool, object] = (True, work())
        except BaseException:  # noqa: BLE001 - whatever it was, this process must not go on as another pytest
            answer = (False, traceback.format_exc())
        with os.fdopen(writer, "wb") as out:
            pickle.dump(answer, out)
        os._exit(0)
    os.close(writer)
    with os.fdopen(reader, "rb") as told:
        data = told.read()
    os.waitpid(pid, 0)
    succeeded, result = pickle.loads(data)
    assert succeeded, result
    return result  # type: ignore[no-any-return]


def leave_free(folder: Path, free_bytes: int) -> None:
    """Fill a disk with one file until so much is free."""
    filler = folder / ".filler"
    filler.unlink(missing_ok=True)
    room = os.statvfs(folder)
    taken = room.f_bavail * room.f_frsize - free_bytes
    assert taken >= 0, "the disk is too small for this"
    with filler.open("wb") as file:
        if taken:
            os.posix_fallocate(file.fileno(), 0, taken)


def make_room(folder: Path) -> None:
    """Remove what `leave_free` filled the disk with."""
    (folder / ".filler").unlink()


def used_bytes(folder: Path) -> int:
    """Return how much of a disk is used."""
    room = os.statvfs(folder)
    return (room.f_blocks - room.f_bfree) * room.f_frsize


def _mount(folder: Path, size_bytes: int) -> None:
    user, group = os.getuid(), os.getgid()
    _call("unshare", _NEW_MOUNTS | (_NEW_USERS if user else 0))
    if user:
        Path("/proc/self/setgroups").write_text("deny")
        Path("/proc/self/uid_map").write_text(f"0 {user} 1")
        Path("/proc/self/gid_map").write_text(f"0 {group} 1")
    _call("mount", b"none", b"/", None, _PRIVATE | _RECURSIVE, None)
    _call("mount", b"tmpfs", os.fsencode(folder), b"tmpfs", 0, f"size={size_bytes}".encode())


def _call(name: str, *arguments: object) -> None:
    if getattr(_libc, name)(*arguments) != 0:
        code = ctypes.get_errno()
        raise OSError(code, os.strerror(code), name)
