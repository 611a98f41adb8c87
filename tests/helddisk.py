"""A disk that holds a job still in the middle of its work, so that a test can kill or cancel it exactly there."""

from __future__ import annotations

import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from inkwell_groove.store.disk import free_bytes_of_disk
from tests.patience import until

_LOOK_EVERY_S = 0.002
is_job_worker = False  # set in the process from which a server's job workers are forked
_reports: list[float] = []  # of this process, since it began to write


@dataclass(frozen=True)
class HeldDisk:
    """A `FreeBytes`. While it holds, a later report of a job that has begun to write waits here."""

    path: Path

    def __call__(self, folder: Path) -> int:
        if is_job_worker and self.path.exists() and any((folder / "work").iterdir()):
            _reports.append(time.monotonic())
            while len(_reports) > 1 and self.path.exists():
                self._reached.touch()
                time.sleep(_LOOK_EVERY_S)
        return free_bytes_of_disk(folder)

    @property
    def _reached(self) -> Path:
        return self.path.with_name(f"{self.path.name} reached")

    def hold(self) -> None:
        """Hold the next job that comes by."""
        self._reached.unlink(missing_ok=True)
        self.path.touch()

    def release(self) -> None:
        self.path.unlink(missing_ok=True)

    @contextmanager
    def at_work(self) -> Iterator[None]:
        """Wait until a job is held in the middle of its work; let it go on afterwards."""
        until(self._reached.exists, "no job began to write")
        try:
            yield
        finally:
            self.release()
