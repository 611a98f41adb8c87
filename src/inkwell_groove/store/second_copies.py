"""Where second copies of packages are kept: a folder on another disk, or a bucket of S3-compatible object storage.

Either way a file counts as copied only once it was read back there and has the digest that was sealed; and a package
only once all its files have. Names are `second:` or another named root for a folder, `s3://bucket/prefix` for a bucket.
"""

from __future__ import annotations

import hashlib
import json
import shutil
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any, Protocol
from urllib.parse import urlsplit

from obstore.exceptions import BaseError, PermissionDeniedError, UnauthenticatedError
from obstore.store import S3Store

from inkwell_groove.core.errors import Refused
from inkwell_groove.core.fixity import check_folder, sha256_of
from inkwell_groove.store.durable import altered, copy_and_read_back, given_back_altered, move_into_place, sync_file
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.object_storage import BUCKET, ObjectStorage

_MARKER = "inkwell copy.json"  # beside a package's files: written last, with the digests of them all
_CHUNK = 1 << 20
_TIMEOUT = "30s"  # of a connection or an answer that does not come
_RETRIES = 4
OnBytes = Callable[[int], None]


class Unreachable(Refused):
    """The place for second copies is not there, or does not answer."""


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
    return InBucket(name, media.object_storage)


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


class InBucket:
    """Second copies in a bucket: an object for each file, and one that says that all of them were read back."""

    def __init__(self, name: str, storage: ObjectStorage) -> None:
        self.name = name
        parts = urlsplit(name)
        # The checksum goes with each object, or each part of it: the storage refuses what came as something else.
        self._bucket = S3Store(
            parts.netloc,
            prefix=parts.path.strip("/") or None,
            endpoint=storage.endpoint,
            region=storage.region,
            access_key_id=storage.key_id,
            secret_access_key=storage.secret,
            virtual_hosted_style_request=False,
            checksum_algorithm="SHA256",
            client_options={
                "allow_http": storage.endpoint.startswith("http://"),
                "connect_timeout": _TIMEOUT,
                "timeout": "1h",  # of a whole file
            },
            retry_config={"max_retries": _RETRIES},
        )

    def has(self, folder: str) -> bool:
        return self._marker(folder) is not None

    def holds(self, folder: str, expected: Mapping[str, str]) -> bool:
        """Look whether every file is still there; what is in them was found right when they were copied."""
        marker = self._marker(folder)
        if marker != {"files": dict(expected)}:
            return False
        with self._reached():
            there = {one["path"] for page in self._bucket.list(f"{folder}/") for one in page}
        return all(f"{folder}/{name}" in there for name in expected)

    def keep(self, folder: str, source: Path, expected: Mapping[str, str], on_bytes: OnBytes) -> None:
        with self._reached(), self._bucket_there():
            self._forget_marker(folder)
            for name, sha256 in sorted(expected.items()):
                path = source / name
                if not path.is_file() or sha256_of(path) != sha256:
                    raise altered(path)
                self._bucket.put(f"{folder}/{name}", path)
                if self._digest(f"{folder}/{name}") != sha256:
                    raise given_back_altered(f"{self.name}/{folder}/{name}")
                on_bytes(path.stat().st_size)
            marker = json.dumps({"files": dict(expected)}, sort_keys=True, ensure_ascii=False)
            self._bucket.put(f"{folder}/{_MARKER}", marker.encode())

    def fetch(self, folder: str, name: str, target: Path, sha256: str) -> bool:
        target.parent.mkdir(parents=True, exist_ok=True)
        digest = hashlib.sha256()
        try:
            with self._reached():
                coming = self._bucket.get(f"{folder}/{name}").stream(min_chunk_size=_CHUNK)
            with self._reached(), target.open("wb") as file:
                for chunk in coming:
                    digest.update(chunk)
                    file.write(chunk)
            if digest.hexdigest() != sha256:
                raise altered(f"{self.name}/{folder}/{name}")
            sync_file(target)
        except FileNotFoundError:
            return False
        except BaseException:
            target.unlink(missing_ok=True)  # in a package it would be a stranger
            raise
        return True

    def _digest(self, key: str) -> str:
        digest = hashlib.sha256()
        for chunk in self._bucket.get(key).stream(min_chunk_size=_CHUNK):
            digest.update(chunk)
        return digest.hexdigest()

    def _marker(self, folder: str) -> Any:
        """Return what the last object of a copy says, None if it is not there or not to be read."""
        try:
            with self._reached():
                data = bytes(self._bucket.get(f"{folder}/{_MARKER}").bytes())
        except FileNotFoundError:
            return None
        try:
            return json.loads(data)
        except ValueError:
            return None

    def _forget_marker(self, folder: str) -> None:
        with suppress(FileNotFoundError):
            self._bucket.delete(f"{folder}/{_MARKER}")

    @contextmanager
    def _bucket_there(self) -> Iterator[None]:
        try:
            yield
        except FileNotFoundError as cause:
            raise Unreachable(
                "there is no such bucket", where=self.name, remedy="Make it, or look at INKWELL_SECOND_BUCKET"
            ) from cause

    @contextmanager
    def _reached(self) -> Iterator[None]:
        try:
            yield
        except (PermissionDeniedError, UnauthenticatedError) as cause:
            raise Unreachable(
                "the object storage refuses this house's key",
                where=self.name,
                remedy="Look at INKWELL_S3_KEY_ID and INKWELL_S3_SECRET, and at what that key may do",
            ) from cause
        except BaseError as cause:
            raise Unreachable(
                f"the object storage does not answer as it should ({_reason(cause)})",
                where=self.name,
                remedy="Look at INKWELL_S3_ENDPOINT, at the bucket and at the network, then try again",
            ) from cause


def _reason(cause: BaseError) -> str:
    """Return the first line of an error of the library, which goes on with what is of use to its makers alone."""
    return str(cause).partition("\n")[0][:160]
