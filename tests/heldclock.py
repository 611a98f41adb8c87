"""A clock that a test advances, so that timed work of the server happens exactly when the test says."""

from __future__ import annotations

import mmap
import struct
import time
from pathlib import Path

from tests.patience import PATIENCE_S

_STATE = struct.Struct("=dd")  # what it reads, and what was waited for last
_BEGIN_S = 1_000.0
_LOOK_EVERY_S = 0.001


class HeldClock:
    """A `Clock` in a file that the test and its server share. It stands still until it is advanced."""

    def __init__(self, path: Path) -> None:
        self._path = path
        if not path.exists():
            path.write_bytes(_STATE.pack(_BEGIN_S, 0.0))
        with path.open("r+b") as file:
            self._shared = mmap.mmap(file.fileno(), _STATE.size)

    def __reduce__(self) -> tuple[type[HeldClock], tuple[Path]]:
        return HeldClock, (self._path,)

    def monotonic(self) -> float:
        return float(_STATE.unpack(self._shared)[0])

    def wait_until(self, at_s: float, *, timeout_s: float) -> bool:
        struct.pack_into("=d", self._shared, 8, at_s)
        end = time.monotonic() + timeout_s
        while self.monotonic() < at_s:
            if time.monotonic() >= end:
                return False
            time.sleep(_LOOK_EVERY_S)
        return True

    def advance(self, seconds: float, *, patience_s: float = PATIENCE_S, waits: bool = True) -> None:
        """Advance the clock and wait until the work that was due is done, if anybody `waits` for the clock."""
        now = self.monotonic() + seconds
        struct.pack_into("=d", self._shared, 0, now)
        end = time.monotonic() + patience_s
        while waits and _STATE.unpack(self._shared)[1] <= now:
            assert time.monotonic() < end, "nothing waits for this clock"
            time.sleep(_LOOK_EVERY_S)
