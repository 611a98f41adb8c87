"""From one place to whoever looks on: published from any thread, received by asyncio subscribers."""

from __future__ import annotations

import asyncio
import contextlib
import threading
from collections.abc import AsyncGenerator
from typing import Generic, TypeVar

T = TypeVar("T")


class Fanout(Generic[T]):
    """A subscriber that does not keep up loses the oldest, never the newest."""

    def __init__(self, *, backlog: int) -> None:
        self._backlog = backlog
        self._lock = threading.Lock()
        self._subscribers: set[tuple[asyncio.AbstractEventLoop, asyncio.Queue[T | None]]] = set()

    @property
    def is_heard(self) -> bool:
        """Whether anybody is there to receive: what is costly to make need not be made for nobody."""
        return bool(self._subscribers)

    def publish(self, item: T) -> None:
        self._send(item)

    def close(self) -> None:
        """Ends every subscription, so that the server can stop while browsers look on."""
        self._send(None)

    def _send(self, item: T | None) -> None:
        with self._lock:
            subscribers = list(self._subscribers)
        for loop, queue in subscribers:
            # A loop that was closed meanwhile has nobody left to tell.
            with contextlib.suppress(RuntimeError):
                loop.call_soon_threadsafe(_put, queue, item)

    async def subscribe(self, greeting: T | None = None) -> AsyncGenerator[T]:
        """Items from now on, until `close`. Whoever has the greeting will hear of everything that comes after it."""
        queue: asyncio.Queue[T | None] = asyncio.Queue(self._backlog)
        if greeting is not None:
            queue.put_nowait(greeting)
        subscriber = (asyncio.get_running_loop(), queue)
        with self._lock:
            self._subscribers.add(subscriber)
        try:
            while (item := await queue.get()) is not None:
                yield item
        finally:
            with self._lock:
                self._subscribers.discard(subscriber)


def _put(queue: asyncio.Queue[T | None], item: T | None) -> None:
    if queue.full():
        queue.get_nowait()
    queue.put_nowait(item)
