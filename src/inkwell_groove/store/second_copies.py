"""Where second copies of packages are kept: a folder on another disk, or a bucket of S3-compatible object storage.

Either way a file counts as copied only once it was read back there and has the digest that was sealed; and a package
only once all its files have. Names are `second:` or another named root for a folder, `s3://bucket/prefix` for a bucket.
"""

from __future__ import annotations

import shutil
from collections.abc import Mapping
from pathlib import Path
from typing import Protocol

from inkwell_groove.core.errors import Refused
from inkwell_groove.core.fixity import check_folder
from inkwell_groove.store.bucket import FolderBucket, OnBytes, Unreachable
from inkwell_groove.store.durable import copy_and_read_back, move_into_place
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.object_storage import BUCKET


class SecondCopies(Protocol):
    """One place for second copies."""

    def holds(self, folder: str, expected: Mapping[str, str]) -> bool:
        """Return whether a package was copied there whole, as it is expected. Raises Unreachable."""
        ...

    def has(self, folder: str) -> bool:
        """Return whether a package was copied there at all. Raises Unreachable."""
        ...

    def keep(self, folder: str, source: Path, expected: Mapping[str, str], on_bytes: OnBytes) -> None:
        """Copy the files of a package there, whose digests are expected. `on_bytes` is told of each file's size.

        Raises ProofFailed if a file is not as it was sealed or the place gives back something else, Unreachable.
        """
        ...

    def fetch(self, folder: str, name: str, target: Path, sha256: str) -> bool:
        """Write one file to `target`, synced; return False if it is not there. Raises ProofFailed, Unreachable."""
        ...


def copies_at(name: str, media: MediaStore) -> SecondCopies:
    """Return the place of that name. Raises Refused if this machine is not told how to reach it."""
    if not name.startswith(BUCKET):
        return InFolder(media.path_of(name))
    if media.object_storage is None:
        raise Refused(
            "this machine is not told how to reach the object storage",
            where=name,
            remedy="Set INKWELL_S3_ENDPOINT, INKWELL_S3_KEY_ID and INKWELL_S3_SECRET, then start again",
        )
    return FolderBucket(name, media.object_storage)


class InFolder:
    """Second copies in a folder, usually on another disk."""

    def __init__(self, root: Path) -> None:
        self._root = root

    def has(self, folder: str) -> bool:
        self._check_there()
        return (self._root / folder).is_dir()

    def holds(self, folder: str, expected: Mapping[str, str]) -> bool:
        """Read every file to find out."""
        return self.has(folder) and all(one.state == "sound" for one in check_folder(self._root / folder, expected))

    def keep(self, folder: str, source: Path, expected: Mapping[str, str], on_bytes: OnBytes) -> None:
        self._check_there()
        target = self._root / folder
        beside = target.with_name(f".{target.name}.part")
        shutil.rmtree(beside, ignore_errors=True)
        for name, sha256 in sorted(expected.items()):
            copy_and_read_back(source / name, beside / name, sha256)
            on_bytes((beside / name).stat().st_size)
        shutil.rmtree(target, ignore_errors=True)
        move_into_place(beside, target)

    def fetch(self, folder: str, name: str, target: Path, sha256: str) -> bool:
        self._check_there()
        source = self._root / folder / name
        if not source.is_file():
            return False
        copy_and_read_back(source, target, sha256)
        return True

    def _check_there(self) -> None:
        if not self._root.is_dir():
            raise Unreachable(
                "the place for second copies is not there",
                where=str(self._root),
                remedy="Connect its disk, then try again",
            )
