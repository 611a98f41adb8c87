"""Long work, as the rest of the workroom knows it: ask for a job, cancel one.

The engine runs what waits in the queue.
"""

from __future__ import annotations

import os
import socket
from collections.abc import Callable
from typing import Any

from sqlalchemy.orm import Session

from inkwell_groove.store.database import Database, after_commit
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import Job
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.jobs.engine import Engine
from inkwell_groove.workroom.jobs.kind import AnyKind, Arguments
from inkwell_groove.workroom.jobs.local import LocalEngine
from inkwell_groove.workroom.jobs.queue import JobQueue
from inkwell_groove.workroom.views import JobView


class JobRunner:
    """The queue of jobs and the engine that runs them."""

    def __init__(
        self,
        database: Database,
        events: Events,
        kinds: list[AnyKind],
        media: MediaStore,
        *,
        workers: int,
        memory_bytes: int,
        engine: Engine | None = None,
    ) -> None:
        """Without an engine, at most `workers` jobs run at a time in processes of this server, and one quick one.

        Each may take `memory_bytes`.
        """
        owner = f"{socket.gethostname()[:60]} {os.getpid()}"
        self._media = media
        self._queue = JobQueue(database, events, kinds, owner=owner)
        self._engine = engine or LocalEngine(kinds, media, workers=workers, memory_bytes=memory_bytes)

    def start(self) -> None:
        """Take up what a stopped server left: each such job runs again, or fails if it keeps killing the server."""
        for token in self._queue.requeue_all("the server stopped"):
            self._media.remove_workspaces(token)
        self._engine.start(self._queue)

    def close(self) -> None:
        self._engine.close()

    def ask(
        self,
        session: Session,
        kind: str,
        *,
        docket_id: int | None,
        subject: str,
        arguments: Arguments | Callable[[int], Arguments],
    ) -> Job:
        """Return a new waiting job in the caller's transaction, which begins once that is committed.

        `arguments` may be a function of the job's number, where a file or folder is named by it.
        """
        given: dict[str, Any] = {} if callable(arguments) else arguments.model_dump(mode="json")
        job = self._queue.ask(session, kind, docket_id=docket_id, subject=subject, arguments=given)
        if callable(arguments):
            job.arguments = arguments(job.id).model_dump(mode="json")
        after_commit(session, self._engine.announce)
        return job

    def cancel(self, job_id: int) -> JobView:
        """Cancel a job. Raises Missing, or Conflict for a job that has ended."""
        view = self._queue.cancel(job_id)
        self._engine.cancel(job_id)
        return view
