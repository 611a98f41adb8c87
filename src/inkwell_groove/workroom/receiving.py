"""The bytes of one upload: written, synced, hashed and drawn while they come, so that little is left at the end."""

from __future__ import annotations

import fcntl
import hashlib
import os
from collections.abc import AsyncIterator, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import anyio

from inkwell_groove.core.errors import Conflict, InkwellError, Missing, Refused
from inkwell_groove.core.peaks import GrowingPeaks
from inkwell_groove.store.disk import DiskSpace
from inkwell_groove.store.media import peaks_of_upload

_WRITE_BYTES = 1 << 20
_SYNC_BYTES = 64 << 20
_HEADER_BYTES = 1 << 20  # by then a WAV's header is surely there; one that is not is drawn at the end


class Receiving:
    """One upload, as far as this server has seen it come. What an earlier server received is read again at the end."""

    def __init__(self, path: Path, space: DiskSpace) -> None:
        self._space = space
        self._path = path
        self._hash = hashlib.sha256()
        self._hashed_bytes = 0
        self._seen_bytes: int | None = None  # how long the file was when this server was done with it
        self._unsynced_bytes = 0
        self._peaks: GrowingPeaks | None = None
        self._tried_peaks = False

    @property
    def peaks_path(self) -> Path:
        return peaks_of_upload(self._path)

    @contextmanager
    def alone(self) -> Iterator[None]:
        """Write to the file as the only one, of all servers. Raises Conflict while another does, Missing without it."""
        try:
            file = self._path.open("r+b")
        except FileNotFoundError as cause:
            raise Missing("this upload is not there any more", remedy="Start it again") from cause
        with file:
            try:
                fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except BlockingIOError as cause:
                raise Conflict(
                    "this recording is being sent already", remedy="Wait for the other connection to end"
                ) from cause
            yield

    async def append(self, chunks: AsyncIterator[bytes], offset: int, final_bytes: int, name: str) -> int:
        """Writes what comes from `offset` on; the new length. Raises Refused for more than `final_bytes`.

        Whatever has come is written, also when the connection breaks in the middle.
        """
        waiting = bytearray()
        if self._seen_bytes is not None and self._seen_bytes != offset:
            self._begin_anew()
        try:
            async for chunk in chunks:
                if offset + len(waiting) + len(chunk) > final_bytes:
                    raise Refused(
                        f"more than the {final_bytes} bytes that were announced",
                        where=name,
                        remedy="Start the upload again",
                    )
                waiting += chunk
                if len(waiting) >= _WRITE_BYTES:
                    offset = await anyio.to_thread.run_sync(self._write, bytes(waiting), offset, final_bytes)
                    waiting.clear()
        finally:
            with anyio.CancelScope(shield=True):
                if waiting:
                    offset = await anyio.to_thread.run_sync(self._write, bytes(waiting), offset, final_bytes)
        return offset

    def result(self, final_bytes: int) -> dict[str, Any]:
        """Return what this server knows if it saw every byte: the SHA-256, and whether it was drawn."""
        if self._hashed_bytes != final_bytes:
            self.close()
            return {}
        found: dict[str, Any] = {"sha256": self._hash.hexdigest()}
        if self._peaks is not None:
            try:
                self._peaks.finish()
            except OSError:
                self.close()
                return found
            self._peaks = None
            found["has_peaks"] = True
        return found

    def close(self) -> None:
        if self._peaks is not None:
            self._peaks.close()
            self._peaks = None
        self.peaks_path.unlink(missing_ok=True)

    def _write(self, data: bytes, offset: int, final_bytes: int) -> int:
        self._space.need(len(data), where=self._path.name)
        with self._path.open("ab") as file:
            file.write(data)
            file.flush()
            self._unsynced_bytes += len(data)
            if self._unsynced_bytes >= _SYNC_BYTES:
                # Little by little: syncing two gigabytes at the end would keep the archivist waiting.
                os.fdatasync(file.fileno())
                self._unsynced_bytes = 0
        if self._hashed_bytes == offset:
            self._hash.update(data)
            self._hashed_bytes += len(data)
        received = offset + len(data)
        self._seen_bytes = received
        self._draw(received, final_bytes)
        return received

    def _begin_anew(self) -> None:
        """Forget what was seen: another server has received what came since, and draws it."""
        if self._peaks is not None:
            self._peaks.close()
            self._peaks = None
        self._hash, self._hashed_bytes, self._tried_peaks = hashlib.sha256(), 0, False

    def _draw(self, received: int, final_bytes: int) -> None:
        if not self._tried_peaks and (received >= _HEADER_BYTES or received == final_bytes):
            self._tried_peaks = True
            try:
                self._peaks = GrowingPeaks(self._path, self.peaks_path, final_bytes=final_bytes)
            except (InkwellError, OSError):
                return  # FLAC, AIFF, no recording at all or no room: the job that takes it in draws or refuses it
        if self._peaks is not None:
            try:
                self._peaks.advance(received)
            except OSError:
                self.close()
