"""News for whoever looks on."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from inkwell_groove.store.database import Database
from inkwell_groove.workroom.fanout import Fanout
from inkwell_groove.workroom.shared_news import SharedNews

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

    def docket_changed(self, docket_id: int) -> None:
        self.publish({"kind": "docket", "docket_id": docket_id})

    def transfer_changed(self, docket_id: int) -> None:
        self.publish({"kind": "transfer", "docket_id": docket_id})

    def close(self) -> None:
        if self._shared is not None:
            self._shared.close()
        super().close()

    def _give(self, item: dict[str, Any]) -> None:
        for watcher in self._watchers:
            watcher(item)
        super().publish(item)
