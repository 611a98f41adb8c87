"""Work on what others sent: ended at its limits, and nobody else's."""

from __future__ import annotations

import contextlib
import os
import threading
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
import pytest

from inkwell_groove.core.errors import InkwellError, Refused, TooOften
from inkwell_groove.workroom.confined import Confined

LIMITS = {"where": "what was sent", "memory_bytes": 300_000_000, "seconds": 2.0}


@pytest.fixture(scope="module")
def confined() -> Confined:
    return Confined()


def doubled(number: int) -> int:
    return 2 * number


def refuse() -> None:
    raise Refused("it will not do", where="line 3", remedy="Write it again")


def fill_memory() -> int:
    return len(np.ones(1 << 30, np.uint8))


def never_end() -> None:
    while True:
        pass


def wait_for_ever() -> None:
    threading.Event().wait()


def write_a_file(path: str) -> None:
    Path(path).write_bytes(b"something")


def die() -> None:
    os._exit(1)


def fail() -> None:
    raise ZeroDivisionError


def test_what_a_function_returns_and_what_it_refuses_come_back(confined: Confined) -> None:
    assert confined.run(doubled, 21, **LIMITS) == 42  # type: ignore[arg-type]
    with pytest.raises(Refused) as refused:
        confined.run(refuse, **LIMITS)  # type: ignore[arg-type]
    assert (refused.value.what, refused.value.where) == ("it will not do", "line 3")


@pytest.mark.parametrize("function", [fill_memory, never_end, die])
def test_what_takes_too_much_is_ended_and_refused_with_the_numbers(confined: Confined, function: object) -> None:
    with pytest.raises(Refused, match="more than 2 s or 300 MB"):
        confined.run(function, **LIMITS)  # type: ignore[arg-type]


def test_what_waits_is_ended_too(confined: Confined) -> None:
    with pytest.raises(Refused, match=r"more than 0\.1 s"):
        confined.run(wait_for_ever, where="x", memory_bytes=1, seconds=0.1)


def test_it_writes_no_file(confined: Confined, tmp_path: Path) -> None:
    with pytest.raises(Refused):
        confined.run(write_a_file, str(tmp_path / "x"), **LIMITS)  # type: ignore[arg-type]
    assert not (tmp_path / "x").exists() or (tmp_path / "x").read_bytes() == b""


def test_a_fault_over_it_is_a_refusal_of_it(confined: Confined) -> None:
    with pytest.raises(Refused, match="cannot be read"):
        confined.run(fail, **LIMITS)  # type: ignore[arg-type]


def test_two_run_and_eight_wait_and_the_others_are_told_to_try_again(confined: Confined) -> None:
    limits = {"where": "x", "memory_bytes": 1, "seconds": 0.2}

    def tried(_: int) -> type[InkwellError]:
        try:
            confined.run(wait_for_ever, **limits)  # type: ignore[arg-type]
        except InkwellError as refusal:
            return type(refusal)
        raise AssertionError

    with ThreadPoolExecutor(16) as pool:
        answers = list(pool.map(tried, range(16)))
    assert answers.count(TooOften) == 6
    assert answers.count(Refused) == 10


def zombies() -> set[int]:
    """Return the children of this process that have ended and were not waited for."""
    found = set()
    for thread in Path("/proc/self/task").iterdir():
        for pid in (thread / "children").read_text().split():
            with contextlib.suppress(OSError):
                if Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0] == "Z":
                    found.add(int(pid))
    return found


def test_nothing_is_left_of_it(confined: Confined) -> None:
    before = zombies()
    for _ in range(3):
        with pytest.raises(Refused):
            confined.run(die, **LIMITS)  # type: ignore[arg-type]
    assert zombies() <= before
