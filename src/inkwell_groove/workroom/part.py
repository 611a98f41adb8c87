"""What every part of the work holds: the doors to the world."""

from __future__ import annotations

from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.workroom.decoding import Decoding
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.jobs.runner import JobRunner


class Part:
    """A group of use cases. `jobs` is given to those that ask for long work, once there is a runner.

    `decoding` is given to those that decode what somebody sent.
    """

    jobs: JobRunner
    decoding: Decoding

    def __init__(self, database: Database, media: MediaStore, events: Events) -> None:
        self._database = database
        self._media = media
        self._events = events
