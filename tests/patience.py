"""How patient the tests are: how many examples they try of those that they could, and how long they wait.

All examples: `INKWELL_EXAMPLESSHARE=1 ./inkwell test tests/core`. Each run draws others, except where hypothesis finds
itself in continuous integration and repeats its draws.
"""

from __future__ import annotations

import os
import random
import time
from collections.abc import Callable, Sequence
from typing import TypeVar

T = TypeVar("T")
SHARE = float(os.environ.get("INKWELL_EXAMPLESSHARE", "0.2"))
_FEWEST = 50
# For what a busy machine makes of a few seconds; how fast things are is measured elsewhere.
PATIENCE_S = 240
_FIRST_PAUSE_S, _LONGEST_PAUSE_S = 0.02, 0.3


def examples(number: int) -> int:
    """Return this number of examples, or the share of them that this run tries."""
    return max(min(number, _FEWEST), round(number * SHARE))


def some(cases: Sequence[T]) -> list[T]:
    """Return the share of the cases that this run tries, in order. A failure should name its case."""
    count = max(1, round(len(cases) * SHARE))
    return [cases[at] for at in sorted(random.sample(range(len(cases)), count))]


def until(
    look: Callable[[], T | None],
    otherwise: str | Callable[[], str],
    *,
    patience_s: float = PATIENCE_S,
    sleep: Callable[[float], object] = time.sleep,
) -> T:
    """Look again and again until there is something, and return it.

    The pauses become longer: looking takes time from what is waited for. Raises AssertionError with `otherwise`, or
    with what that returns then.
    """
    end, pause_s = time.monotonic() + patience_s, _FIRST_PAUSE_S
    while not (found := look()):
        assert time.monotonic() < end, otherwise if isinstance(otherwise, str) else otherwise()
        sleep(pause_s)
        pause_s = min(_LONGEST_PAUSE_S, 1.3 * pause_s)
    return found
