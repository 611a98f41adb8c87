"""What many look at is read once for all of them, and never seen as it was before a change that was told."""

from __future__ import annotations

import threading
from collections.abc import Mapping, Sequence

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkwell_groove.workroom.kept import Kept


class Shelf:
    """Things with titles, and how often each was read."""

    def __init__(self, most: int = 100) -> None:
        self.now_s = 0.0
        self.titles = dict.fromkeys(range(1, 6), "first")
        self.reads: list[int] = []
        self.kept: Kept[int, str] = Kept(most, clock=lambda: self.now_s)

    def read(self, keys: Sequence[int]) -> Mapping[int, str]:
        self.reads += keys
        return {key: self.titles[key] for key in keys if key in self.titles}

    def look(self, *keys: int) -> dict[int, str]:
        return self.kept.get(keys, self.read)

    def change(self, key: int, title: str) -> None:
        self.titles[key] = title
        self.kept.forget(key)


class SlowReader:
    """Somebody who reads the first thing of a shelf and, having read it, waits until `go_on`."""

    def __init__(self, shelf: Shelf) -> None:
        self._shelf, self._is_read, self._may_go_on = shelf, threading.Event(), threading.Event()
        self._thread = threading.Thread(target=shelf.kept.get, args=([1], self._read))
        self._thread.start()
        assert self._is_read.wait(60)

    def go_on(self) -> None:
        self._may_go_on.set()
        self._thread.join()

    def _read(self, keys: Sequence[int]) -> Mapping[int, str]:
        found = self._shelf.read(keys)
        self._is_read.set()
        assert self._may_go_on.wait(60)
        return found


def test_something_is_read_once_until_it_changes() -> None:
    shelf = Shelf()
    assert shelf.look(3, 1, 2) == {3: "first", 1: "first", 2: "first"}
    assert shelf.look(1, 2) == {1: "first", 2: "first"}
    shelf.change(2, "second")
    assert shelf.look(1, 2, 4) == {1: "first", 2: "second", 4: "first"}
    assert shelf.reads == [3, 1, 2, 2, 4]


def test_what_is_not_there_is_left_out() -> None:
    shelf = Shelf()
    del shelf.titles[2]
    assert shelf.look(1, 2, 3) == {1: "first", 3: "first"}


def test_everything_is_read_anew_after_a_change_of_all() -> None:
    shelf = Shelf()
    shelf.look(1, 2)
    shelf.titles[1] = "second"
    shelf.kept.forget_all()
    assert shelf.look(1, 2) == {1: "second", 2: "first"}
    assert shelf.look(1) == {1: "second"}
    assert shelf.reads == [1, 2, 1, 2]


def test_what_nobody_told_of_is_seen_after_a_while() -> None:
    shelf = Shelf()
    shelf.look(1)
    shelf.titles[1] = "second"
    shelf.now_s = 59.0
    assert shelf.look(1) == {1: "first"}
    shelf.now_s = 121.0
    assert shelf.look(1) == {1: "second"}


def test_many_that_look_at_once_read_it_once() -> None:
    shelf, together, seen = Shelf(), threading.Barrier(8), []

    def look() -> None:
        together.wait()
        seen.append(shelf.look(1, 2, 3))

    threads = [threading.Thread(target=look) for _ in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert seen == [{1: "first", 2: "first", 3: "first"}] * 8
    assert sorted(shelf.reads) == [1, 2, 3]


def test_who_looks_after_a_change_does_not_get_what_was_being_read_before_it() -> None:
    shelf = Shelf()
    reader = SlowReader(shelf)
    shelf.change(1, "second")
    seen: list[Mapping[int, str]] = []
    later = threading.Thread(target=lambda: seen.append(shelf.look(1)))
    later.start()
    reader.go_on()
    later.join()
    assert seen == [{1: "second"}]


def test_no_more_is_kept_than_there_is_room_for() -> None:
    shelf = Shelf(most=2)
    shelf.look(1, 2, 3)
    shelf.reads.clear()
    shelf.look(2, 3)
    assert shelf.reads == []
    shelf.look(1)
    assert shelf.reads == [1]


@pytest.mark.parametrize("of_all", [False, True])
def test_what_changed_while_it_was_read_is_not_kept(of_all: bool) -> None:
    shelf = Shelf()
    reader = SlowReader(shelf)
    shelf.titles[1] = "second"
    if of_all:
        shelf.kept.forget_all()
    else:
        shelf.kept.forget(1)
    reader.go_on()
    shelf.reads.clear()
    assert shelf.look(1) == {1: "second"} and shelf.reads == [1]


@given(st.lists(st.tuples(st.integers(1, 5), st.booleans()), max_size=60))
def test_whoever_looks_after_a_change_sees_it(steps: list[tuple[int, bool]]) -> None:
    shelf = Shelf()
    for count, (key, changes) in enumerate(steps):
        if changes:
            shelf.change(key, f"change {count}")
        assert shelf.look(key) == {key: shelf.titles[key]}
    assert len(shelf.reads) <= 5 + sum(changes for _, changes in steps)
