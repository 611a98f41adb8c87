"""How patient the tests are: how many examples they try of those that they could, and how long they wait.

All examples: `INKWELL_EXAMPLESSHARE=1 ./inkwell test tests/core`. Each run draws others, except where hypothesis finds
itself in continuous integration and repeats its draws.
"""

from __future__ import annotations

import os
import random
from collections.abc import Sequence
from typing import TypeVar

T = TypeVar("T")
SHARE = float(os.environ.get("INKWELL_EXAMPLESSHARE", "0.2"))
_FEWEST = 50
# For what a busy machine makes of a few seconds; how fast things are is measured elsewhere.
PATIENCE_S = 240


def examples(number: int) -> int:
    """Return this number of examples, or the share of them that this run tries."""
    return max(min(number, _FEWEST), round(number * SHARE))


def some(cases: Sequence[T]) -> list[T]:
    """Return the share of the cases that this run tries, in order. A failure should name its case."""
    count = max(1, round(len(cases) * SHARE))
    return [cases[at] for at in sorted(random.sample(range(len(cases)), count))]
