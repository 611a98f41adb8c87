"""How soon one may try again after failures."""

from __future__ import annotations

from dataclasses import dataclass

_MOST_DOUBLINGS = 40


@dataclass(frozen=True)
class AttemptLimit:
    """The first `free` failures cost nothing; after them each doubles the wait until the next try, up to a limit.

    Failures are forgotten `forget_s` after the last of them.
    """

    free: int
    first_wait_s: float
    longest_wait_s: float
    forget_s: float

    def wait_s(self, failures: int, since_last_s: float) -> float:
        """Return how long to wait before trying again, `since_last_s` after the last of so many failures."""
        if self.counted(failures, since_last_s) < self.free or failures == 0:
            return 0.0
        doublings = min(failures - self.free, _MOST_DOUBLINGS)
        wait_s = min(self.longest_wait_s, self.first_wait_s * 2.0**doublings)
        return max(0.0, wait_s - since_last_s)

    def counted(self, failures: int, since_last_s: float) -> int:
        """Return how many failures still count, `since_last_s` after the last of them."""
        return failures if since_last_s < self.forget_s else 0
