"""Roles, names, passwords, and how soon one may try again."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkwell_groove.core.accounts import MIN_PASSWORD, ROLES, Attempts, accept_name, accept_password, may
from inkwell_groove.core.errors import Refused


def test_each_role_may_do_what_the_ones_before_it_may() -> None:
    assert [[may(role, needed) for needed in ROLES] for role in ROLES] == [
        [True, False, False],
        [True, True, False],
        [True, True, True],
    ]


@pytest.mark.parametrize("name", ["Ilse Vanterroe", "J. Maskell-Obi", "O'Dell", "李明", "ab"])
def test_names_of_people_are_accepted(name: str) -> None:
    assert accept_name(f"  {name} ") == name


@pytest.mark.parametrize("name", ["", "a", "-x-", "<script>", "x" * 61, "a\x00b;", "name@"])
def test_what_is_no_name_is_refused(name: str) -> None:
    with pytest.raises(Refused):
        accept_name(name)


def test_a_password_is_long_and_not_the_name() -> None:
    assert accept_password("slack water at the ferry", name="Ilse") == "slack water at the ferry"
    for poor in ("short", "x" * 40, "a" * 257, "Ilse Vanterroe1", "x" * (MIN_PASSWORD - 1)):
        with pytest.raises(Refused):
            accept_password(poor, name="Ilse Vanterroe")


class Clock:
    now = 0.0

    def __call__(self) -> float:
        return self.now


def test_after_so_many_failures_one_waits_until_the_oldest_is_past() -> None:
    clock = Clock()
    attempts = Attempts(allowed=3, within_s=60.0, clock=clock)
    for at in (0.0, 10.0, 20.0):
        clock.now = at
        assert attempts.wait_s("ilse") == 0
        attempts.failed("ilse")
    assert attempts.wait_s("ilse") == pytest.approx(40)
    assert attempts.wait_s("jon") == 0
    clock.now = 60.0
    assert attempts.wait_s("ilse") == 0
    attempts.failed("ilse")
    assert attempts.wait_s("ilse") == pytest.approx(10)
    attempts.succeeded("ilse")
    assert attempts.wait_s("ilse") == 0


@given(st.lists(st.tuples(st.sampled_from("abcdefgh"), st.floats(0, 30)), max_size=60))
def test_never_more_failures_than_allowed_within_any_window_nor_more_keys(tries: list[tuple[str, float]]) -> None:
    clock = Clock()
    attempts = Attempts(allowed=2, within_s=20.0, clock=clock, most_keys=8)
    done: dict[str, list[float]] = {}
    for key, later in tries:
        clock.now += later
        if attempts.wait_s(key) == 0:
            attempts.failed(key)
            done.setdefault(key, []).append(clock.now)
    for times in done.values():
        assert all(third - first >= 20.0 - 1e-9 for first, third in zip(times, times[2:], strict=False))


def test_made_up_names_do_not_fill_the_memory() -> None:
    attempts = Attempts(allowed=1, within_s=60.0, clock=Clock(), most_keys=10)
    for number in range(100):
        attempts.failed(f"name {number}")
    assert attempts.wait_s("name 0") == 0
    assert attempts.wait_s("name 99") > 0
