"""News for whoever looks on."""

from __future__ import annotations

from typing import Any

from inkwell_groove.workroom.fanout import Fanout

_BACKLOG = 500


class Events(Fanout[dict[str, Any]]):
    """Fan-out of small dictionaries."""

    def __init__(self) -> None:
        super().__init__(backlog=_BACKLOG)

    def docket_changed(self, docket_id: int) -> None:
        self.publish({"kind": "docket", "docket_id": docket_id})

    def transfer_changed(self, docket_id: int) -> None:
        self.publish({"kind": "transfer", "docket_id": docket_id})
