"""News for whoever looks on."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from inkwell_groove.workroom.fanout import Fanout

_BACKLOG = 500


class Events(Fanout[dict[str, Any]]):
    """Fan-out of small dictionaries."""

    def __init__(self) -> None:
        super().__init__(backlog=_BACKLOG)
        self._watchers: list[Callable[[Mapping[str, Any]], None]] = []

    def watch(self, watcher: Callable[[Mapping[str, Any]], None]) -> None:
        """Has somebody in this process told of everything too, in the thread it comes from: it must be quick."""
        self._watchers.append(watcher)

    def publish(self, item: dict[str, Any]) -> None:
        for watcher in self._watchers:
            watcher(item)
        super().publish(item)

    def docket_changed(self, docket_id: int) -> None:
        self.publish({"kind": "docket", "docket_id": docket_id})

    def transfer_changed(self, docket_id: int) -> None:
        self.publish({"kind": "transfer", "docket_id": docket_id})
