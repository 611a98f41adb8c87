"""How soon one may try again after failures."""

from __future__ import annotations

from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkwell_groove.core.attempts import AttemptLimit

LIMIT = AttemptLimit(free=3, first_wait_s=60.0, longest_wait_s=300.0, forget_s=1_000.0)


def test_each_failure_after_the_free_ones_doubles_the_wait_up_to_a_limit() -> None:
    assert [LIMIT.wait_s(failures, 0.0) for failures in range(9)] == [0, 0, 0, 60, 120, 240, 300, 300, 300]
    assert LIMIT.wait_s(10_000, 0.0) == 300


def test_the_wait_runs_down() -> None:
    assert LIMIT.wait_s(3, 45.0) == pytest.approx(15)
    assert LIMIT.wait_s(3, 60.0) == LIMIT.wait_s(3, 61.0) == 0


def test_time_forgets_failures() -> None:
    assert LIMIT.counted(7, 999.0) == 7
    assert LIMIT.counted(7, 1_000.0) == 0 == LIMIT.wait_s(7, 1_000.0)


def test_without_a_free_failure_the_first_try_is_still_free() -> None:
    assert AttemptLimit(free=0, first_wait_s=60, longest_wait_s=60, forget_s=100).wait_s(0, 0.0) == 0


@given(st.lists(st.floats(0, 120), max_size=80))
def test_guessing_never_gets_faster_than_the_limit(pauses_s: list[float]) -> None:
    failures, last_s, now_s = 0, 0.0, 0.0
    tries: list[float] = []
    for pause_s in pauses_s:
        now_s += pause_s
        if LIMIT.wait_s(failures, now_s - last_s) == 0:
            failures, last_s = LIMIT.counted(failures, now_s - last_s) + 1, now_s
            tries.append(now_s)
    assert all(later - sooner >= 60.0 for sooner, later in pairwise(tries[2:]))
