"""News over a table: everybody hears everything once, in the order of its numbers, though rows appear out of order."""

from __future__ import annotations

import asyncio
import time
from collections.abc import AsyncIterator, Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import insert

from inkwell_groove.store.database import Database
from inkwell_groove.store.models import News, now
from inkwell_groove.workroom import shared_news
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.shared_news import InOrder, SharedNews
from tests.patience import PATIENCE_S, until


@pytest.fixture
def database(database_url: str) -> Iterator[Database]:
    database = Database(database_url)
    yield database
    database.close()


def item(number: int) -> dict[str, Any]:
    return {"number": number}


@given(st.data(), st.integers(0, 1_000), st.integers(1, 60))
def test_whatever_order_rows_appear_in_each_is_given_once_and_in_order(
    data: st.DataObject, last: int, count: int
) -> None:
    order = InOrder(last, patience_s=1e9)
    left = data.draw(st.permutations(range(last + 1, last + count + 1)))
    given_numbers = []
    while left:
        size = data.draw(st.integers(0, len(left)))
        read, left = left[:size], left[size:]
        given_numbers += [one["number"] for one in order.take([(number, item(number)) for number in read], 0.0)]
        if not size:
            left, read = [], left
            given_numbers += [one["number"] for one in order.take([(number, item(number)) for number in read], 0.0)]
    assert given_numbers == list(range(last + 1, last + count + 1))
    assert order.missing == []


def test_a_number_that_never_comes_holds_the_others_up_for_a_while_only() -> None:
    order = InOrder(10, patience_s=2.0, remembered_s=60.0)
    assert order.take([(11, item(11)), (13, item(13))], 0.0) == [item(11)]
    assert order.missing == [12]
    assert order.take([(14, item(14))], 1.9) == []
    assert order.take([], 2.0) == [item(13), item(14)]
    assert order.missing == [12], "it may still come"
    assert order.take([(15, item(15))], 61.0) == [item(15)]
    assert order.missing == []
    assert order.take([(12, item(12))], 62.0) == [], "too late"


def test_a_number_that_comes_late_is_given_then() -> None:
    order = InOrder(10, patience_s=2.0)
    order.take([(12, item(12))], 0.0)
    assert order.take([], 3.0) == [item(12)]
    assert order.take([(11, item(11)), (13, item(13))], 4.0) == [item(11), item(13)]
    assert order.take([(11, item(11))], 5.0) == []


def test_what_several_processes_tell_is_heard_by_all_that_listen_in_one_order(database: Database) -> None:
    heard: dict[str, list[int]] = {"one": [], "other": []}
    listeners = {name: Events() for name in heard}
    for name, events in listeners.items():
        events.watch(lambda news, name=name: heard[name].append(news["number"]) if "number" in news else None)  # type: ignore[misc]
        events.share(database, listens=True)
    silent = Events()
    silent.share(database, listens=False)
    tellers = [*listeners.values(), silent]
    with ThreadPoolExecutor(6) as pool:
        list(pool.map(lambda number: tellers[number % 3].publish(item(number)), range(300)))
    until(lambda: all(len(one) >= 300 for one in heard.values()), lambda: f"heard {heard}")
    for events in tellers:
        events.close()
    assert sorted(heard["one"]) == list(range(300)), "each once"
    assert heard["one"] == heard["other"]


def test_what_servers_tell_each_other_reaches_all_of_them_and_no_browser(database: Database) -> None:
    one, other = Events(), Events()
    heard: list[str] = []
    shown: list[Any] = []
    for name, events in (("one", one), ("other", other)):
        events.hear("left", lambda facts, name=name: heard.append(f"{name} {facts['who']}"))  # type: ignore[misc]
        events.hear("left", lambda facts: 1 // 0)  # what goes wrong in one is no matter of the others
        events.watch(shown.append)
        events.share(database, listens=True)
    with database.begin() as session:
        one.tell_servers_with(session, "left", who="ilse")
    other.tell_servers("nobody listens to this")
    other.tell_servers("left", who="jon")
    until(lambda: len(heard) == 4, lambda: f"heard {heard}")
    assert [item for item in shown if "topic" in item] == []
    for events in (one, other):
        events.close()
    assert sorted(heard) == ["one ilse", "one jon", "other ilse", "other jon"]


def test_what_was_told_before_somebody_began_to_listen_is_not_told_again(database: Database) -> None:
    with database.begin() as session:
        session.execute(insert(News), [{"at": now(), "item": item(1)}])
    heard: list[Any] = []
    news = SharedNews(database, heard.append)
    news.start(listens=True)
    news.tell(item(2))
    until(lambda: heard, "nothing was heard")
    news.close()
    assert [one["number"] for one in heard] == [2]


def test_what_is_told_while_the_database_is_away_is_told_when_it_is_back(
    database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    heard: list[Any] = []
    news = SharedNews(database, heard.append)
    news.start(listens=True)
    begin, tries = database.begin, []

    def away() -> Any:
        tries.append(1)
        raise ConnectionError("away")

    monkeypatch.setattr(database, "begin", away)
    news.tell(item(1))
    news.tell(item(2))
    until(lambda: len(tries) > 1, "it was not tried")
    monkeypatch.setattr(database, "begin", begin)
    until(lambda: len(heard) == 2, "it was not told")
    news.close()
    assert [one["number"] for one in heard] == [1, 2]


async def _collected(following: AsyncIterator[dict[str, Any]], until_number: int) -> list[dict[str, Any]]:
    found = []
    async for news in following:
        found.append(news)
        if news.get("number") == until_number:
            break
    return found


def follow(
    events: Events, last: int | None, until_number: int, meanwhile: Callable[[], object]
) -> list[dict[str, Any]]:
    """Return what somebody hears who has heard `last`, until an item; `meanwhile` is done once they listen."""

    async def main() -> list[dict[str, Any]]:
        following = asyncio.ensure_future(_collected(events.follow(last), until_number))
        while not events.is_heard:
            await asyncio.sleep(0.01)
        await asyncio.to_thread(meanwhile)
        return await asyncio.wait_for(following, PATIENCE_S)

    return asyncio.run(main())


@pytest.fixture
def shared(database: Database) -> Iterator[Events]:
    events = Events()
    events.share(database, listens=True)
    yield events
    events.close()


def test_whoever_comes_back_hears_what_was_told_meanwhile_and_each_once(shared: Events) -> None:
    first = follow(shared, None, 1, lambda: shared.publish(item(1)))
    assert [one.get("number") for one in first] == [None, 1] and first[0] == {"kind": "hello"}
    for number in (2, 3):
        shared.publish(item(number))
    time.sleep(0.5)  # they are in the table by then, or come in the stream
    again = follow(shared, first[-1]["news_id"], 4, lambda: shared.publish(item(4)))
    assert [one["number"] for one in again] == [2, 3, 4], "and no greeting, for nothing was missed"


def test_whoever_was_away_for_too_long_is_greeted_and_reads_everything_anew(
    shared: Events, monkeypatch: pytest.MonkeyPatch
) -> None:
    first = follow(shared, None, 1, lambda: shared.publish(item(1)))
    number = first[-1]["news_id"]
    unknown = follow(shared, number + 1_000, 2, lambda: shared.publish(item(2)))
    assert [one.get("number") for one in unknown] == [None, 2]
    monkeypatch.setattr(shared_news, "_CAUGHT_UP", 0)
    too_many = follow(shared, number, 3, lambda: shared.publish(item(3)))
    assert [one.get("number") for one in too_many] == [None, 3]


def test_a_server_by_itself_greets_whoever_comes_back() -> None:
    events = Events()
    heard = follow(events, 17, 1, lambda: events.publish(item(1)))
    assert heard == [{"kind": "hello"}, item(1)]
