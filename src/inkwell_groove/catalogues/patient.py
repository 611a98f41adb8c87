"""Asking over HTTP with patience, but not without end: timeouts, tries with growing pauses, a cache, and a way out.

A source that is busy says how long to wait (RFC 9110, Retry-After), and is asked again after that. One that is down is
tried three times, with pauses that double and are never twice the same, so that many who wait do not all come back at
once. What was answered is kept: within `FRESH` it is not asked for again, and an older answer is better than none.
"""

from __future__ import annotations

import hashlib
import json
import random
import threading
from collections.abc import Mapping
from datetime import UTC, datetime, timedelta
from typing import Any, NamedTuple, Protocol

import httpx

from inkwell_groove.catalogues import connection
from inkwell_groove.core.errors import Cancelled, InkwellError

FRESH = timedelta(days=30)
TRIES, MOST_WAITS = 3, 6
_FIRST_PAUSE_S, _MOST_PAUSE_S = 0.2, 8.0
_MOST_BYTES = 4 << 20


class SourceTrouble(InkwellError):
    """A source that gave no answer, or none that can be used."""


class NotThere(SourceTrouble):
    """A source that has nothing at an address."""


class Kept(NamedTuple):
    body: bytes
    fetched_at: datetime


class Cache(Protocol):
    """Where answers are kept between questions."""

    def get(self, source: str, key: str) -> Kept | None: ...

    def put(self, source: str, key: str, body: bytes) -> None: ...


class Patient:
    """One look-up's line to one source. `oldest` tells how old the oldest answer is that was used."""

    def __init__(
        self,
        source: str,
        address: str,
        *,
        cache: Cache,
        timeout_s: float,
        cancelled: threading.Event,
        anew: bool = False,
    ) -> None:
        self._source, self._address = source, address.rstrip("/")
        self._cache, self._timeout_s, self._cancelled, self._anew = cache, timeout_s, cancelled, anew
        self._client = connection.client(timeout_s)
        self.oldest: datetime | None = None
        self.notes: list[str] = []

    def close(self) -> None:
        self._client.close()

    def get(self, path: str, params: Mapping[str, str | int] | None = None) -> bytes:
        """The body of an answer. Raises SourceTrouble."""
        return self._ask("GET", path, dict(params or {}), None)

    def post(self, path: str, body: Any) -> bytes:
        return self._ask("POST", path, {}, body)

    def _ask(self, method: str, path: str, params: dict[str, str | int], body: Any) -> bytes:
        key = hashlib.sha256(json.dumps([method, path, params, body], sort_keys=True).encode()).hexdigest()
        kept = self._cache.get(self._source, key)
        if kept is not None and not self._anew and datetime.now(UTC) - kept.fetched_at < FRESH:
            return self._used(kept)
        try:
            answer = self._fetch(method, path, params, body)
        except SourceTrouble as trouble:
            if kept is None:
                raise
            if trouble.what not in self.notes:
                self.notes.append(trouble.what)
            return self._used(kept)
        self._cache.put(self._source, key, answer)
        return answer

    def _used(self, kept: Kept) -> bytes:
        self.oldest = min(self.oldest, kept.fetched_at) if self.oldest else kept.fetched_at
        return kept.body

    def _fetch(self, method: str, path: str, params: dict[str, str | int], body: Any) -> bytes:
        tries, waits, trouble = 0, 0, ""
        while True:
            if self._cancelled.is_set():
                raise Cancelled("nobody waits for it any more")
            pause_s = min(_MOST_PAUSE_S, _FIRST_PAUSE_S * 2**tries) * random.uniform(0.75, 1.25)
            try:
                return self._once(method, path, params, body)
            except _Busy as busy:
                waits, trouble, pause_s = waits + 1, "it is too busy", min(_MOST_PAUSE_S, busy.wait_s)
                if waits > MOST_WAITS:
                    break
            except httpx.TimeoutException:
                tries, trouble = tries + 1, f"it did not answer within {self._timeout_s:g} s"
            except httpx.HTTPStatusError as cause:
                if cause.response.status_code == 404:
                    raise NotThere("it has nothing there", where=self._source) from cause
                if cause.response.status_code < 500:
                    raise self._trouble(f"it refused the question (status {cause.response.status_code})") from cause
                tries, trouble = tries + 1, f"it is out of order (status {cause.response.status_code})"
            except httpx.HTTPError as cause:
                tries, trouble = tries + 1, f"it cannot be reached ({type(cause).__name__})"
            if tries >= TRIES or self._cancelled.wait(pause_s):
                break
        if self._cancelled.is_set():
            raise Cancelled("nobody waits for it any more")
        raise self._trouble(trouble)

    def _once(self, method: str, path: str, params: dict[str, str | int], body: Any) -> bytes:
        with self._client.stream(method, f"{self._address}{path}", params=params, json=body) as answer:
            if answer.status_code == 429:
                raise _Busy(_seconds(answer.headers.get("Retry-After", "")))
            answer.raise_for_status()
            parts, size = [], 0
            for part in answer.iter_bytes():
                size += len(part)
                if size > _MOST_BYTES:
                    raise self._trouble("its answer is too long to be one")
                parts.append(part)
            return b"".join(parts)

    def _trouble(self, what: str) -> SourceTrouble:
        return SourceTrouble(what, where=self._source, remedy="Ask again later; the other sources go on without it")


class _Busy(Exception):
    def __init__(self, wait_s: float) -> None:
        self.wait_s = wait_s


def _seconds(text: str) -> float:
    """Retry-After in seconds; a date, which is allowed too, or rubbish means a second."""
    try:
        return max(0.05, float(text))
    except ValueError:
        return 1.0


def unreadable(source: str, cause: Exception) -> SourceTrouble:
    """For an answer that is not what the source promises."""
    told = str(cause).splitlines()
    return SourceTrouble(
        f"its answer cannot be read ({told[0] if told else type(cause).__name__})",
        where=source,
        remedy="Ask again later; the other sources go on without it",
    )
