"""News for whoever looks on: published from any thread, received by asyncio subscribers."""

from __future__ import annotations

import asyncio
import contextlib
import threading
from collections.abc import AsyncIterator
from typing import Any

_BACKLOG = 500


class Events:
    """Fan-out of small dictionaries. A subscriber that does not keep up loses the oldest, never the newest."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._subscribers: set[tuple[asyncio.AbstractEventLoop, asyncio.Queue[dict[str, Any] | None]]] = set()

    def publish(self, event: dict[str, Any]) -> None:
        self._send(event)

    def docket_changed(self, docket_id: int) -> None:
        self.publish({"kind": "docket", "docket_id": docket_id})

    def close(self) -> None:
        """Ends every subscription, so that the server can stop while browsers look on."""
        self._send(None)

    def _send(self, event: dict[str, Any] | None) -> None:
        with self._lock:
            subscribers = list(self._subscribers)
        for loop, queue in subscribers:
            # A loop that was closed meanwhile has nobody left to tell.
            with contextlib.suppress(RuntimeError):
                loop.call_soon_threadsafe(_put, queue, event)

    async def subscribe(self) -> AsyncIterator[dict[str, Any]]:
        """Events from now on, until `close`."""
        queue: asyncio.Queue[dict[str, Any] | None] = asyncio.Queue(_BACKLOG)
        subscriber = (asyncio.get_running_loop(), queue)
        with self._lock:
            self._subscribers.add(subscriber)
        try:
            while (event := await queue.get()) is not None:
                yield event
        finally:
            with self._lock:
                self._subscribers.discard(subscriber)


def _put(queue: asyncio.Queue[dict[str, Any] | None], event: dict[str, Any] | None) -> None:
    if queue.full():
        queue.get_nowait()
    queue.put_nowait(event)
