"""Who else is at a docket: every window that shows one says so now and then, and is forgotten once it does not.

Servers of a house tell each other of every window.
"""

from __future__ import annotations

import threading
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from inkwell_groove.clock import WALL, Clock
from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.reading import docket_row
from inkwell_groove.workroom.views import View

FORGOTTEN_AFTER_S = 45.0
_MOST_WINDOWS = 1_000
_SHOWN, _CLOSED = "window shown", "window closed"


class PresenceView(View):
    """Another window at the same docket."""

    who: str
    stage: str


@dataclass(frozen=True)
class _Window:
    who: str
    stage: str
    said_at_s: float


class Presence(Part):
    """Which windows show which docket. Kept in memory: a server that starts anew hears it within seconds."""

    def __init__(self, database: Database, media: MediaStore, events: Events, *, clock: Clock = WALL) -> None:
        super().__init__(database, media, events)
        self._clock = clock
        self._windows: dict[tuple[int, str], _Window] = {}
        self._lock = threading.Lock()
        events.hear(_SHOWN, self._hear)
        events.hear(_CLOSED, self._forget)

    def say(self, docket_id: int, window: str, stage: str, *, who: str) -> list[PresenceView]:
        """Note that a window shows a stage of a docket; return the other windows at it. Raises Missing."""
        key = docket_id, window
        with self._lock:
            is_known = key in self._windows
        if not is_known:
            with self._database.begin() as session:
                docket_row(session, docket_id)
        left, is_news = self._note(docket_id, window, stage, who)
        self._events.tell_servers(_SHOWN, docket_id=docket_id, window=window, stage=stage, who=who)
        self._tell(left | ({docket_id} if is_news else set()))
        with self._lock:
            others = [
                PresenceView(who=one.who, stage=one.stage)
                for (at, name), one in self._windows.items()
                if at == docket_id and name != window
            ]
        return sorted(others, key=lambda one: (one.who, one.stage))

    def leave(self, docket_id: int, window: str) -> None:
        """Forget a window at a docket."""
        with self._lock:
            was_here = self._windows.pop((docket_id, window), None) is not None
        if was_here:
            self._events.tell_servers(_CLOSED, docket_id=docket_id, window=window)
            self._tell({docket_id})

    def _hear(self, facts: Mapping[str, Any]) -> None:
        """Note a window of which some server tells."""
        self._note(facts["docket_id"], facts["window"], facts["stage"], facts["who"])

    def _forget(self, facts: Mapping[str, Any]) -> None:
        with self._lock:
            self._windows.pop((facts["docket_id"], facts["window"]), None)

    def _note(self, docket_id: int, window: str, stage: str, who: str) -> tuple[set[int], bool]:
        """Note a window; return the dockets of windows that were forgotten, and whether this one is news."""
        key = docket_id, window
        with self._lock:
            now_s = self._clock.monotonic()
            before = self._windows.pop(key, None)
            left = self._forget_silent(now_s)
            self._windows[key] = _Window(who, stage, now_s)
            while len(self._windows) > _MOST_WINDOWS:
                self._windows.pop(next(iter(self._windows)))
        return left, before is None or (before.who, before.stage) != (who, stage)

    def _forget_silent(self, now_s: float) -> set[int]:
        silent = [key for key, one in self._windows.items() if now_s - one.said_at_s > FORGOTTEN_AFTER_S]
        for key in silent:
            del self._windows[key]
        return {docket_id for docket_id, _ in silent}

    def _tell(self, dockets: set[int]) -> None:
        for docket_id in dockets:
            self._events.publish({"kind": "presence", "docket_id": docket_id})
