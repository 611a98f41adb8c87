"""Who else is at a docket: told at once, and forgotten when a window closes or says nothing any more."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from inkwell_groove.core.errors import Missing
from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import Docket
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.presence import FORGOTTEN_AFTER_S, Presence
from tests.heldclock import HeldClock


class Desk:
    def __init__(self, database: Database, folder: Path) -> None:
        self.clock, self.news = HeldClock(folder / "clock"), list[Any]()
        events = Events()
        events.watch(lambda one: self.news.append(one["docket_id"]))
        self.presence = Presence(database, MediaStore(folder / "media"), events, clock=self.clock)

    def say(self, docket_id: int, window: str, who: str, stage: str = "tracks") -> list[tuple[str, str]]:
        return [(one.who, one.stage) for one in self.presence.say(docket_id, window, stage, who=who)]

    def later(self, seconds: float) -> None:
        self.clock.advance(seconds, waits=False)


@pytest.fixture
def desk(database_url: str, tmp_path: Path) -> Iterator[Desk]:
    database = Database(database_url)
    with database.begin() as session:
        if session.get(Docket, 1) is None:
            for number in (1, 2):
                session.add(Docket(id=number, shelfmark=f"P-{number}", folder_pattern="", file_pattern=""))
    yield Desk(database, tmp_path)
    database.close()


def test_two_windows_at_one_docket_know_of_each_other(desk: Desk) -> None:
    assert desk.say(1, "window-one", "Rosa Lind") == []
    assert desk.say(1, "window-two", "Jon Maskell-Obi", "describe") == [("Rosa Lind", "tracks")]
    assert desk.say(1, "window-one", "Rosa Lind") == [("Jon Maskell-Obi", "describe")]
    assert desk.say(2, "window-six", "Ilse Vanterroe") == [], "another docket"
    assert desk.news == [1, 1, 2], "what was said before is no news"
    desk.say(1, "window-two", "Jon Maskell-Obi", "seal")
    assert desk.news[3:] == [1]
    desk.presence.leave(1, "window-two")
    desk.presence.leave(1, "window-two")
    assert desk.news[4:] == [1]
    assert desk.say(1, "window-one", "Rosa Lind") == []


def test_a_window_that_says_nothing_any_more_is_forgotten(desk: Desk) -> None:
    desk.say(1, "window-one", "Rosa Lind")
    desk.later(FORGOTTEN_AFTER_S - 1)
    assert desk.say(1, "window-two", "Jon Maskell-Obi") == [("Rosa Lind", "tracks")]
    desk.later(2)
    assert desk.say(1, "window-two", "Jon Maskell-Obi") == []
    assert desk.news == [1, 1, 1]


def test_nobody_is_at_a_docket_that_is_not_there(desk: Desk) -> None:
    with pytest.raises(Missing):
        desk.say(99, "window-one", "Rosa Lind")
    assert desk.news == []
