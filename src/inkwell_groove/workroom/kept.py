"""What many people look at, kept as it was last read until something is told that changes it.

Whoever changes something tells of it once it is committed, and `forget` is called then: what is kept is read anew when
somebody next looks. Something that was being read meanwhile is not kept. Other servers hear of a change within a
fraction of a second; what nobody told of is read anew after two minutes at most.
"""

from __future__ import annotations

import random
import threading
import time
from collections.abc import Callable, Hashable, Mapping, Sequence
from typing import Generic, TypeVar

K = TypeVar("K", bound=Hashable)
V = TypeVar("V")
# Not all that was read together is read anew together.
_KEPT_S = (60.0, 120.0)


class Kept(Generic[K, V]):
    """Values by key. Of more than `most` the oldest are let go."""

    def __init__(self, most: int, *, clock: Callable[[], float] = time.monotonic) -> None:
        self._most, self._clock = most, clock
        self._lock, self._reading = threading.Lock(), threading.Lock()
        self._values: dict[K, tuple[V, float]] = {}  # each with the time until which it is kept
        self._changes = 0
        self._changed: dict[K, int] = {}  # by key, the number of the last change that was told
        self._all_changed = 0

    def get(self, keys: Sequence[K], read: Callable[[Sequence[K]], Mapping[K, V]]) -> dict[K, V]:
        """Return values by key; `read` returns those that are not kept, as far as there are any.

        One thread reads at a time: whoever wants the same at the same moment waits for it instead of reading it too.
        """
        known, _ = self._known(keys)
        if len(known) == len(set(keys)):
            return known
        with self._reading:
            known, begun = self._known(keys)
            unknown = [key for key in keys if key not in known]
            if not unknown:
                return known
            fresh = read(unknown)
            self._keep(fresh, begun)
        return {**known, **fresh}

    def forget(self, key: K) -> None:
        """Read this one anew when somebody next looks."""
        with self._lock:
            self._changes += 1
            self._changed[key] = self._changes
            self._values.pop(key, None)

    def forget_all(self) -> None:
        """Read everything anew when somebody next looks."""
        with self._lock:
            self._changes += 1
            self._all_changed = self._changes
            self._changed.clear()
            self._values.clear()

    def _known(self, keys: Sequence[K]) -> tuple[dict[K, V], int]:
        """Return what is kept of these, and the number of the last change that was told by now."""
        with self._lock:
            now_s = self._clock()
            known = {key: held[0] for key in keys if (held := self._values.get(key)) is not None and now_s < held[1]}
            return known, self._changes

    def _keep(self, fresh: Mapping[K, V], begun: int) -> None:
        """Keep what was read from the change of that number on, but for what has changed since."""
        with self._lock:
            now_s = self._clock()
            for key, value in fresh.items():
                if max(self._all_changed, self._changed.get(key, 0)) <= begun:
                    self._values[key] = value, now_s + random.uniform(*_KEPT_S)
            while len(self._values) > self._most:
                self._values.pop(next(iter(self._values)))
