"""Time, as everything that waits or measures is given it: the machine's own, or one that a test holds."""

from __future__ import annotations

import time
from typing import Protocol


class Clock(Protocol):
    """Seconds that only go up, from an arbitrary beginning."""

    def monotonic(self) -> float: ...

    def wait_until(self, at_s: float, *, timeout_s: float) -> bool:
        """Wait until the clock reads `at_s`, but no longer than `timeout_s` of real time; return whether it does."""
        ...


class WallClock:
    """The machine's monotonic clock."""

    def monotonic(self) -> float:
        return time.monotonic()

    def wait_until(self, at_s: float, *, timeout_s: float) -> bool:
        left_s = at_s - time.monotonic()
        time.sleep(max(0.0, min(left_s, timeout_s)))
        return left_s <= timeout_s


WALL = WallClock()
