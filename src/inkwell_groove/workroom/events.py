"""News for whoever looks on."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncGenerator, Callable, Mapping
from contextlib import aclosing
from typing import Any

from sqlalchemy.orm import Session

from inkwell_groove.core.errors import InkwellError
from inkwell_groove.store.database import Database, after_commit
from inkwell_groove.workroom.fanout import Fanout
from inkwell_groove.workroom.shared_news import SharedNews

HELLO = {"kind": "hello"}
_BACKLOG = 500


class Events(Fanout[dict[str, Any]]):
    """Fan-out of small dictionaries.

    Where several processes work together, `share` makes everybody's news reach those who look on at any of them.
    """

    def __init__(self) -> None:
        super().__init__(backlog=_BACKLOG)
        self._watchers: list[Callable[[Mapping[str, Any]], None]] = []
        self._shared: SharedNews | None = None

    def share(self, database: Database, *, listens: bool) -> None:
        """Tell other processes too, from now on. One that `listens` hears what they tell, and its own in that order."""
        self._shared = SharedNews(database, self._give)
        self._shared.start(listens=listens)

    def watch(self, watcher: Callable[[Mapping[str, Any]], None]) -> None:
        """Has somebody in this process told of everything too, in the thread it comes from: it must be quick."""
        self._watchers.append(watcher)

    def publish(self, item: dict[str, Any]) -> None:
        if self._shared is not None:
            self._shared.tell(item)
        else:
            self._give(item)

    def publish_with(self, session: Session, item: dict[str, Any]) -> None:
        """Tell of what a transaction does, if it is committed; between processes, as surely as it is committed."""
        if self._shared is not None:
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
            return self._shared.since(last)
        except InkwellError:
            return None

    def close(self) -> None:
        if self._shared is not None:
            self._shared.close()
        super().close()

    def _give(self, item: dict[str, Any]) -> None:
        for watcher in self._watchers:
            watcher(item)
        super().publish(item)
