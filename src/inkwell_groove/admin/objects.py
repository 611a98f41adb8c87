"""The files of all backups of a folder, each kept once under its SHA-256, read back after it was written."""

from __future__ import annotations

import hashlib
import os
import shutil
from collections.abc import Iterator
from pathlib import Path

from inkwell_groove.core.errors import ProofFailed
from inkwell_groove.core.fixity import sha256_from_disk, sha256_of
from inkwell_groove.store.durable import copy_and_read_back, sync_folder

_BLOCK_BYTES = 1 << 20
_PART = ".part"


class Objects:
    """A folder `objects/ab/abcdef...`."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    def path(self, sha256: str) -> Path:
        return self._folder / sha256[:2] / sha256

    def has(self, sha256: str, size_bytes: int) -> bool:
        """Return whether there is an object of that digest and size. What is in it is found by `check`."""
        try:
            return self.path(sha256).stat().st_size == size_bytes
        except FileNotFoundError:
            return False

    def add(self, source: Path) -> tuple[str, int, bool]:
        """Copy a file into the folder; return its digest and size, and whether it is new there.

        Raises ProofFailed if the disk gives back something else, FileNotFoundError if the file is gone.
        """
        self._folder.mkdir(parents=True, exist_ok=True)
        beside = self._folder / f"{os.getpid()}{_PART}"
        digest, size_bytes = hashlib.sha256(), 0
        try:
            with source.open("rb") as coming, beside.open("wb") as file:
                while block := coming.read(_BLOCK_BYTES):
                    digest.update(block)
                    file.write(block)
                    size_bytes += len(block)
            sha256 = digest.hexdigest()
            if self.has(sha256, size_bytes):
                return sha256, size_bytes, False
            if sha256_from_disk(beside) != sha256:
                raise ProofFailed(
                    "what was written there comes back as something else",
                    where=str(self._folder),
                    remedy="Look at the disk of the backup, or back up to another one",
                )
            target = self.path(sha256)
            target.parent.mkdir(exist_ok=True)
            beside.chmod(0o444)
            beside.rename(target)
            sync_folder(target.parent)
            return sha256, size_bytes, True
        finally:
            beside.unlink(missing_ok=True)

    def fetch(self, sha256: str, target: Path) -> None:
        """Write an object to `target`, synced. Raises ProofFailed if it is damaged, FileNotFoundError if gone."""
        copy_and_read_back(self.path(sha256), target, sha256)

    def is_sound(self, sha256: str) -> bool:
        """Read an object and return whether it is there and has its digest."""
        try:
            return sha256_of(self.path(sha256)) == sha256
        except OSError:
            return False

    def names(self) -> Iterator[str]:
        """Yield the digests of all objects."""
        for path in self._folder.glob("??/*"):
            yield path.name

    def remove(self, sha256: str) -> int:
        """Remove an object; return how large it was."""
        path = self.path(sha256)
        size_bytes = path.stat().st_size
        path.unlink()
        return size_bytes

    def clear_parts(self) -> None:
        """Remove what killed backups left half written."""
        for left in self._folder.glob(f"*{_PART}"):
            left.unlink()

    def free_bytes(self) -> int:
        return shutil.disk_usage(self._folder.parent).free
