"""How soon one may try again after failures."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from typing import NamedTuple


class _Failures(NamedTuple):
    number: int
    last: float


class Attempts:
    """Failures by key. The first few cost nothing; after them each doubles the time until the next try, up to a limit.

    A key is forgotten `forget_s` after its last failure. Beyond `most_keys` those that failed longest ago are
    forgotten, so that nobody fills the memory with keys that mean nothing.
    """

    def __init__(
        self,
        *,
        free: int,
        first_wait_s: float,
        longest_wait_s: float,
        forget_s: float,
        clock: Callable[[], float],
        most_keys: int = 10_000,
    ) -> None:
        self._free, self._first_wait_s, self._longest_wait_s = free, first_wait_s, longest_wait_s
        self._forget_s, self._clock, self._most_keys = forget_s, clock, most_keys
        self._failures: OrderedDict[str, _Failures] = OrderedDict()

    def wait_s(self, key: str) -> float:
        """Return how long to wait before trying; 0 for not at all."""
        failed = self._known(key)
        if failed is None or failed.number < self._free:
            return 0.0
        doublings = min(failed.number - self._free, 40)
        wait_s = min(self._longest_wait_s, self._first_wait_s * 2.0**doublings)
        return max(0.0, wait_s - (self._clock() - failed.last))

    def failed(self, key: str) -> None:
        """Count a failure."""
        before = self._known(key)
        self._failures[key] = _Failures(before.number + 1 if before else 1, self._clock())
        self._failures.move_to_end(key)
        while len(self._failures) > self._most_keys:
            self._failures.popitem(last=False)

    def succeeded(self, key: str) -> None:
        """Forget a key's failures."""
        self._failures.pop(key, None)

    def not_failed(self, key: str) -> None:
        """Take back one failure that was counted before its outcome was known."""
        before = self._failures.get(key)
        if before is None:
            return
        if before.number <= 1:
            del self._failures[key]
        else:
            self._failures[key] = before._replace(number=before.number - 1)

    def _known(self, key: str) -> _Failures | None:
        failed = self._failures.get(key)
        if failed is not None and self._clock() - failed.last >= self._forget_s:
            del self._failures[key]
            return None
        return failed
