"""Takes and packages in object storage: the house's disks hold what is new and what is in use, the bucket holds all.

What is asked for and is on no disk any more is fetched, compared with its digests and put where it was. When something
was last asked for is its time of access, which is set here: file systems often do not keep it.
"""

from __future__ import annotations

import os
import threading
import time
from collections import defaultdict
from contextlib import suppress
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import TYPE_CHECKING

from inkwell_groove.store.bucket import FolderBucket
from inkwell_groove.store.durable import move_into_place
from inkwell_groove.store.object_storage import ObjectStorage

if TYPE_CHECKING:
    from inkwell_groove.store.media import MediaStore

_SEEN_AGAIN_S = 60.0  # how often a time of access is set anew
_fetching: defaultdict[Path, threading.Lock] = defaultdict(threading.Lock)


@dataclass(frozen=True)
class MediaBucket:
    """The takes and the packages of a house in a bucket."""

    takes: FolderBucket
    packages: FolderBucket


@lru_cache(maxsize=4)
def media_bucket(name: str, storage: ObjectStorage) -> MediaBucket:
    """Return the bucket of that name; one connection serves a whole process."""
    return MediaBucket(FolderBucket(f"{name}/takes", storage), FolderBucket(f"{name}/sealed", storage))


def take_folder(sha256: str) -> str:
    """Return in which folder of the bucket a take lies, under its digest."""
    return f"{sha256[:2]}/{sha256}"


def fetch_take(media: MediaStore, bucket: MediaBucket, sha256: str) -> None:
    """Put a take on a disk of the house, if it is on none and in the bucket. Raises ProofFailed, Unreachable."""
    with _fetching[media.take_here(sha256)]:
        if media.take_here(sha256).exists():
            return
        with media.workspace() as work:
            if bucket.takes.fetch(take_folder(sha256), sha256, work / sha256, sha256):
                media.keep_take(work / sha256, sha256)


def fetch_package(media: MediaStore, bucket: MediaBucket, folder: str) -> None:
    """Put a package on a disk of the house, if it is on none and whole in the bucket.

    Raises ProofFailed for a file that is not what was sealed, Unreachable.
    """
    with _fetching[media.package_here(folder)]:
        expected = bucket.packages.expected(folder)
        if media.package_here(folder).is_dir() or not expected:
            return
        target, root = media.new_package(folder, 0)
        with media.workspace(root.parent) as work:
            for name, sha256 in sorted(expected.items()):
                if not bucket.packages.fetch(folder, name, work / name, sha256):
                    return  # what is missing there is found by a check of the package
            work.chmod(0o755)
            try:
                move_into_place(work, target)
            except OSError:
                if not target.is_dir():  # else another process was first
                    raise


def fetched(media: MediaStore, bucket: MediaBucket, path: Path) -> Path:
    """Return where a take, or a file of a package, lies after it was fetched; any other path as it is."""
    for folder in media.places.folders("takes"):
        if path.is_relative_to(folder):
            return media.take(path.name)
    for folder in media.places.folders("packages"):
        if path.is_relative_to(folder):
            inside = path.relative_to(folder)
            ways = [inside, *inside.parents][:-1]
            if path.exists():
                for way in ways:
                    was_asked_for(folder / way)
                return path
            name = next((way.as_posix() for way in ways if bucket.packages.has(way.as_posix())), None)
            return path if name is None else media.package(name) / inside.relative_to(name)
    return path


def was_asked_for(path: Path) -> None:
    """Note that a file or folder is in use."""
    with suppress(OSError):  # it belongs to somebody else, or was taken away
        known = path.stat()
        if time.time() - known.st_atime > _SEEN_AGAIN_S:
            os.utime(path, ns=(time.time_ns(), known.st_mtime_ns))
