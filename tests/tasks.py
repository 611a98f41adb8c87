"""What a job works with, for tests that run a job's function in their own process."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from inkwell_groove.store.media import MediaStore


class OwnTask:
    """A `Task` on a media store; nobody reads its progress and nobody cancels it."""

    def __init__(self, media: MediaStore) -> None:
        self.media = media

    def progress(self, share: float, message: str) -> None:
        pass

    @contextmanager
    def workspace(self) -> Iterator[Path]:
        with self.media.workspace("test") as folder:
            yield folder
