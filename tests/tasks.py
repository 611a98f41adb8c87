"""What a job works with, for tests that run a job's function in their own process."""

from __future__ import annotations

from inkwell_groove.store.media import MediaStore

TOKEN = "test"


class OwnTask:
    """A `Task` on a media store; nobody reads its progress and nobody cancels it."""

    def __init__(self, media: MediaStore, *, token: str = TOKEN) -> None:
        self.media = media.for_job(token)

    def progress(self, share: float, message: str) -> None:
        pass
