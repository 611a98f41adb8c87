"""News for whoever looks on."""

from __future__ import annotations

import asyncio
from collections import defaultdict
from collections.abc import AsyncGenerator, Callable, Mapping
from contextlib import aclosing
from typing import Any

import structlog
from sqlalchemy.orm import Session

from inkwell_groove.core.errors import InkwellError
from inkwell_groove.store.database import Database, after_commit
from inkwell_groove.workroom.fanout import Fanout
from inkwell_groove.workroom.shared_news import SharedNews

HELLO = {"kind": "hello"}
_FOR_SERVERS = "for servers"  # the kind of news that no browser sees
_BACKLOG = 500
log = structlog.get_logger()


class Events(Fanout[dict[str, Any]]):
    """Fan-out of small dictionaries.

    Where several processes work together, `share` makes everybody's news reach those who look on at any of them.
    """

    def __init__(self) -> None:
        super().__init__(backlog=_BACKLOG)
        self._watchers: list[Callable[[Mapping[str, Any]], None]] = []
        self._early: list[Callable[[Mapping[str, Any]], None]] = []
        self._handlers: dict[str, list[Callable[[Mapping[str, Any]], None]]] = defaultdict(list)
        self._shared: SharedNews | None = None

    def share(self, database: Database, *, listens: bool) -> None:
        """Tell other processes too, from now on. One that `listens` hears what they tell, and its own in that order."""
        self._shared = SharedNews(database, self._give)
        self._shared.start(listens=listens)

    def watch(self, watcher: Callable[[Mapping[str, Any]], None], *, early: bool = False) -> None:
        """Tell somebody in this process of everything too, in the thread it comes from: it must be quick.

        One that is told `early` hears what this process tells at once, before the others do, and then once more.
        """
        self._watchers.append(watcher)
        if early:
            self._early.append(watcher)

    def hear(self, topic: str, handler: Callable[[Mapping[str, Any]], None]) -> None:
        """Have a handler called with what any server of the house tells the others on a topic. It must be quick."""
        self._handlers[topic].append(handler)

    def tell_servers(self, topic: str, **facts: Any) -> None:
        """Tell all servers of the house, this one too, what browsers have no use for."""
        self.publish({"kind": _FOR_SERVERS, "topic": topic, "facts": facts})

    def tell_servers_with(self, session: Session, topic: str, **facts: Any) -> None:
        """Tell all servers as `tell_servers` does, as surely as the transaction is committed."""
        self.publish_with(session, {"kind": _FOR_SERVERS, "topic": topic, "facts": facts})

    def publish(self, item: dict[str, Any]) -> None:
        if self._shared is not None:
            self._tell_early(item)
            self._shared.tell(item)
        else:
            self._give(item)

    def publish_with(self, session: Session, item: dict[str, Any]) -> None:
        """Tell of what a transaction does, if it is committed; between processes, as surely as it is committed."""
        if self._shared is not None:
            after_commit(session, lambda: self._tell_early(item))
            self._shared.tell_with(session, item)
        else:
            after_commit(session, lambda: self.publish(item))

    def docket_changed(self, docket_id: int) -> None:
        self.publish({"kind": "docket", "docket_id": docket_id})

    def transfer_changed(self, docket_id: int) -> None:
        self.publish({"kind": "transfer", "docket_id": docket_id})

    async def follow(self, last: int | None) -> AsyncGenerator[dict[str, Any]]:
        """Yield a greeting and the news from now on.

        Whoever has heard the news with the number `last` gets what was told since then instead of the greeting, each
        item once, if it is still known.
        """
        async with aclosing(self.subscribe(HELLO)) as live:
            await anext(live)  # from here on nothing is missed
            missed = await asyncio.to_thread(self._missed, last)
            if missed is None:
                yield HELLO
            known = {item["news_id"] for item in missed or ()}
            for item in missed or ():
                yield item
            async for item in live:
                if item.get("news_id") not in known:
                    yield item

    def _missed(self, last: int | None) -> list[dict[str, Any]] | None:
        """Return what was told after the news with that number; None if it is not known."""
        if self._shared is None or last is None:
            return None
        try:
            missed = self._shared.since(last)
        except InkwellError:
            return None
        return None if missed is None else [item for item in missed if item.get("kind") != _FOR_SERVERS]

    def close(self) -> None:
        if self._shared is not None:
            self._shared.close()
        super().close()

    def _tell_early(self, item: dict[str, Any]) -> None:
        for watcher in self._early:
            watcher(item)

    def _give(self, item: dict[str, Any]) -> None:
        if item.get("kind") == _FOR_SERVERS:
            for handler in self._handlers.get(item["topic"], ()):  # another version may tell of more
                try:
                    handler(item["facts"])
                except Exception:
                    log.exception("what a server told could not be followed", topic=item["topic"])
            return
        for watcher in self._watchers:
            watcher(item)
        super().publish(item)
