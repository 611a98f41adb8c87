"""Folders of files in a bucket of S3-compatible object storage: second copies of packages, and packages and takes.

An object for each file, and one that says that all of them were read back and had the digests that they must have. Only
what has that last object counts as kept.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

from obstore.exceptions import BaseError, PermissionDeniedError, UnauthenticatedError
from obstore.store import S3Store

from inkwell_groove.core.errors import Refused
from inkwell_groove.core.fixity import FileFixity, Pace, sha256_of
from inkwell_groove.store.durable import altered, given_back_altered, sync_file
from inkwell_groove.store.object_storage import ObjectStorage

_MARKER = "inkwell copy.json"  # beside the files of a folder: written last, with the digests of them all
_CHUNK = 1 << 20
_TIMEOUT = "30s"  # of a connection or an answer that does not come
_RETRIES = 4
OnBytes = Callable[[int], None]


class Unreachable(Refused):
    """A place outside this machine is not there, or does not answer."""


class FolderBucket:
    """Folders of files below one name, `s3://bucket/prefix`."""

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
        """Return whether a folder is kept there. Raises Unreachable, as all that follows."""
        return self._marker(folder) is not None

    def expected(self, folder: str) -> dict[str, str]:
        """Return the digests of the files that are kept of a folder, by name; none if it is not kept there."""
        marker = self._marker(folder)
        return dict(marker["files"]) if isinstance(marker, dict) and isinstance(marker.get("files"), dict) else {}

    def holds(self, folder: str, expected: Mapping[str, str]) -> bool:
        """Look whether every file is still there; what is in them was found right when they were copied."""
        marker = self._marker(folder)
        if marker != {"files": dict(expected)}:
            return False
        with self._reached():
            there = {one["path"] for page in self._bucket.list(f"{folder}/") for one in page}
        return all(f"{folder}/{name}" in there for name in expected)

    def keep(self, folder: str, source: Path, expected: Mapping[str, str], on_bytes: OnBytes) -> None:
        """Copy files of a folder there and read each back. `on_bytes` is told of each file's size.

        Raises ProofFailed if a file is not as expected, or the storage gives back something else.
        """
        with self._reached(), self._bucket_there():
            self.forget(folder)
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
        """Write one file to `target`, synced; return False if it is not there. Raises ProofFailed."""
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

    def check(self, folder: str, expected: Mapping[str, str], pace: Pace) -> Iterator[FileFixity]:
        """Read every file of a folder there, and yield how each is."""
        for name, sha256 in sorted(expected.items()):
            try:
                with self._reached():
                    found = self._digest(f"{folder}/{name}", pace)
            except FileNotFoundError:
                yield FileFixity(file=name, state="missing", words="it is listed, and is not in the object storage")
                continue
            if found == sha256:
                yield FileFixity(file=name, state="sound")
            else:
                words = f"in the object storage its SHA-256 is {found}, it should be {sha256}"
                yield FileFixity(file=name, state="damaged", words=words)

    def forget(self, folder: str) -> None:
        """Let a folder no longer count as kept. Its files stay until they are written again."""
        with self._reached(), suppress(FileNotFoundError):
            self._bucket.delete(f"{folder}/{_MARKER}")

    def _digest(self, key: str, pace: Pace | None = None) -> str:
        digest = hashlib.sha256()
        for chunk in self._bucket.get(key).stream(min_chunk_size=_CHUNK):
            digest.update(chunk)
            if pace is not None:
                pace.read(len(chunk))
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

    @contextmanager
    def _bucket_there(self) -> Iterator[None]:
        try:
            yield
        except FileNotFoundError as cause:
            raise Unreachable(
                "there is no such bucket", where=self.name, remedy="Make it, or look at the setting that names it"
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
