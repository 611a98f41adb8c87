"""Jobs that bring takes and packages to object storage."""

from __future__ import annotations

from inkwell_groove.core.errors import Missing, Refused
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.media_bucket import MediaBucket, take_folder
from inkwell_groove.workroom.jobs.arguments import OfPackage, OfTake
from inkwell_groove.workroom.jobs.kind import Result, Task


def store_take(arguments: OfTake, task: Task) -> Result:
    """Copy a take to the bucket and read it back; return its size. One that is there already is left."""
    sha256 = arguments.sha256
    bucket, path = _bucket(task.media), task.media.take_here(sha256)
    if not path.is_file():
        raise Missing("the take's file is gone", where=str(path), remedy="Put it back from a copy of the store")
    size_bytes = path.stat().st_size
    folder, expected = take_folder(sha256), {sha256: sha256}
    if not bucket.takes.holds(folder, expected):
        task.progress(0.0, "copying, then reading back")
        bucket.takes.keep(folder, path.parent, expected, lambda _: None)
    return {"size_bytes": size_bytes}


def store_package(arguments: OfPackage, task: Task) -> Result:
    """Copy a package to the bucket and read every file back; return its size. One that is there already is left."""
    bucket, folder = _bucket(task.media), task.media.package_here(arguments.folder)
    if not folder.is_dir():
        raise Missing("the package's folder is gone", where=str(folder), remedy="Restore it, on the page Fixity")
    whole, done = max(1, arguments.size_bytes), 0

    def tell(size_bytes: int) -> None:
        nonlocal done
        done += size_bytes
        task.progress(min(0.99, done / whole), "copying, then reading back")

    if not bucket.packages.holds(arguments.folder, arguments.expected):
        bucket.packages.keep(arguments.folder, folder, arguments.expected, tell)
    return {"size_bytes": arguments.size_bytes}


def _bucket(media: MediaStore) -> MediaBucket:
    if media.bucket is None:
        raise Refused(
            "this machine is not told where takes and packages are in object storage",
            remedy="Set INKWELL_MEDIA_BUCKET and INKWELL_S3_… as the other machines have them, then start again",
        )
    return media.bucket
