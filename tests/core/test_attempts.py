"""How soon one may try again after failures."""

from __future__ import annotations

from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkwell_groove.core.attempts import Attempts


class Clock:
    now = 0.0

    def __call__(self) -> float:
        return self.now


def attempts(clock: Clock, *, free: int = 3, most_keys: int = 10) -> Attempts:
    return Attempts(
        free=free, first_wait_s=60.0, longest_wait_s=300.0, forget_s=1_000.0, clock=clock, most_keys=most_keys
    )


def test_each_failure_after_the_free_ones_doubles_the_wait_up_to_a_limit() -> None:
    clock = Clock()
    tried = attempts(clock)
    waits = []
    for _ in range(8):
        tried.failed("ilse")
        waits.append(tried.wait_s("ilse"))
        clock.now += waits[-1]
        assert tried.wait_s("ilse") == 0
    assert waits == [0, 0, 60, 120, 240, 300, 300, 300]
    assert tried.wait_s("jon") == 0


def test_the_wait_runs_down() -> None:
    clock = Clock()
    tried = attempts(clock, free=1)
    tried.failed("ilse")
    clock.now = 45.0
    assert tried.wait_s("ilse") == pytest.approx(15)


def test_success_and_time_forget_failures() -> None:
    clock = Clock()
    tried = attempts(clock, free=1)
    for key in ("ilse", "jon"):
        tried.failed(key)
    tried.succeeded("ilse")
    assert tried.wait_s("ilse") == 0 and tried.wait_s("jon") > 0
    clock.now = 1_000.0
    tried.failed("jon")
    assert tried.wait_s("jon") == 60, "counted from the beginning"


def test_a_failure_that_was_none_is_taken_back() -> None:
    tried = attempts(Clock(), free=2)
    for _ in range(2):
        tried.failed("ilse")
    tried.not_failed("ilse")
    assert tried.wait_s("ilse") == 0
    tried.not_failed("ilse")
    tried.not_failed("ilse")
    tried.failed("ilse")
    assert tried.wait_s("ilse") == 0, "never below none"


@given(st.lists(st.tuples(st.sampled_from("abcdefgh"), st.floats(0, 120)), max_size=80))
def test_guessing_at_one_name_never_gets_faster_than_the_limit(tries: list[tuple[str, float]]) -> None:
    clock = Clock()
    tried = attempts(clock, free=2, most_keys=8)
    done: dict[str, list[float]] = {}
    for key, later in tries:
        clock.now += later
        if tried.wait_s(key) == 0:
            tried.failed(key)
            done.setdefault(key, []).append(clock.now)
    for times in done.values():
        assert all(later - sooner >= 60.0 for sooner, later in pairwise(times[1:]))


def test_made_up_names_do_not_fill_the_memory() -> None:
    tried = attempts(Clock(), free=1)
    for number in range(100):
        tried.failed(f"name {number}")
    assert tried.wait_s("name 0") == 0
    assert tried.wait_s("name 99") > 0
