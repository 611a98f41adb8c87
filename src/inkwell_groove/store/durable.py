"""Files that last: synced before they are renamed into place, and copies that were read back."""

from __future__ import annotations

import contextlib
import os
import shutil
from pathlib import Path

from inkwell_groove.core.errors import InkwellError, ProofFailed
from inkwell_groove.core.fixity import sha256_of


def move_into_place(beside: Path, target: Path) -> None:
    """Rename a finished file or folder to `target`, which appears whole or not at all.

    The files are synced by whoever wrote them; the folders, in which their names are, here.
    """
    target.parent.mkdir(parents=True, exist_ok=True)
    if beside.is_dir():
        for folder in folders_below(beside):
            sync_folder(folder)
    beside.rename(target)
    sync_folder(target.parent)


def sync_file(path: Path) -> None:
    with path.open("rb") as file:
        os.fsync(file.fileno())


def folders_below(folder: Path) -> list[Path]:
    """Return a folder and all that are in it, the innermost first."""
    return [Path(path) for path, _, _ in os.walk(folder, topdown=False)]


def sync_tree(folder: Path) -> None:
    """Make a folder last with everything in it, as it is before a row says that it is there."""
    for path, _, files in os.walk(folder, topdown=False):
        for name in files:
            if not (Path(path) / name).is_symlink():
                sync_file(Path(path) / name)
        sync_folder(Path(path))


def sync_folder(path: Path) -> None:
    """Sync a folder, so that a rename in it lasts."""
    descriptor = os.open(path, os.O_RDONLY)
    try:
        with contextlib.suppress(OSError):  # some file systems refuse; the rename is atomic all the same
            os.fsync(descriptor)
    finally:
        os.close(descriptor)


def copy_and_read_back(source: Path, target: Path, sha256: str) -> None:
    """Copy a file, sync it and read it back. Raises ProofFailed if source or copy is not what it must be."""
    target.parent.mkdir(parents=True, exist_ok=True)
    try:
        shutil.copyfile(source, target)
        sync_file(target)
        if sha256_of(target) != sha256:
            raise altered(source) if sha256_of(source) != sha256 else given_back_altered(str(target))
    except BaseException:
        target.unlink(missing_ok=True)
        raise


def altered(where: Path | str) -> InkwellError:
    return ProofFailed("it is not what it was", where=str(where), remedy="Look at the disk's health, then restore it")


def given_back_altered(where: str) -> InkwellError:
    return ProofFailed(
        "what was written there comes back as something else", where=where, remedy="Look at its disk, and try again"
    )
