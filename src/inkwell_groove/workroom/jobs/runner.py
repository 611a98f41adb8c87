"""Long work, as the rest of the workroom knows it: ask for a job, cancel one.

The engine runs what waits in the queue.
"""

from __future__ import annotations

import os
import socket
from collections.abc import Callable, Sequence
from typing import Any

from sqlalchemy.orm import Session

from inkwell_groove.store.database import Database, after_commit
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import Job
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.jobs.engine import Engine
from inkwell_groove.workroom.jobs.kind import AnyKind, Arguments, Lane
from inkwell_groove.workroom.jobs.local import LocalEngine
from inkwell_groove.workroom.jobs.pieces import AT_ONCE, Piece
from inkwell_groove.workroom.jobs.queue import LEASE_S, JobQueue
from inkwell_groove.workroom.views import JobView

_HEARD_AFTER_S = 2.0  # a job that runs on another machine hears of its cancellation so late


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
        lanes: frozenset[Lane] = frozenset(Lane),
        broker: str = "",
        lease_s: float = LEASE_S,
        node: str | None = None,
    ) -> None:
        """At most `workers` jobs of the lanes run at a time in processes of this one, and one quick one.

        Each may take `memory_bytes`. With a broker there are other processes that run jobs: they are told of each job,
        and each holds the jobs it runs under a lease. `node` is the name of a server among several: it alone runs what
        is asked for at that name.
        """
        self.name = f"{socket.gethostname()[:60]} {os.getpid()}"
        self._media, self._lanes, self._is_alone = media, lanes, not broker
        self._queue = JobQueue(
            database, events, kinds, owner=self.name, lease_s=lease_s, is_alone=self._is_alone, node=node
        )
        renew_every_s = lease_s / 3 if self._is_alone else min(_HEARD_AFTER_S, lease_s / 3)
        self._here = LocalEngine(
            kinds, media, workers=workers, memory_bytes=memory_bytes, lanes=lanes, renew_every_s=renew_every_s
        )
        self._engine: Engine = self._here
        if broker:
            from inkwell_groove.workroom.jobs.house import HouseEngine  # with Celery, which one machine does not need

            self._engine = HouseEngine(broker, self._here)

    def start(self, *, left_over: frozenset[Lane] = frozenset(Lane)) -> None:
        """Run jobs from now on.

        Those that were running in the lanes `left_over` were left by a server that stopped: each runs again, or fails
        if it keeps killing the server.
        """
        for token in self._queue.requeue_all("the server stopped", left_over):
            self._media.remove_workspaces(token)
        self._engine.start(self._queue)

    def drain(self) -> None:
        """Begin no other job. What runs goes on to its end."""
        self._here.drain()

    def held_tokens(self) -> set[str]:
        """Return the tokens of all claims that hold, wherever they run."""
        return self._queue.held_tokens()

    @property
    def is_idle(self) -> bool:
        """Return whether no job runs here."""
        return not self._here.running

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
        node: str | None = None,
        pieces: Callable[[int], Sequence[Piece]] | None = None,
        at_once: int = AT_ONCE,
    ) -> Job:
        """Return a new waiting job in the caller's transaction, which begins once that is committed.

        It runs at the server called `node` alone, if that is given and several work together. `arguments` may be a
        function of the job's number, where a file or folder is named by it. So may `pieces`, of which at most `at_once`
        wait or run at a time; without any it is not divided.
        """
        given: dict[str, Any] = {} if callable(arguments) else arguments.model_dump(mode="json")
        node = None if self._is_alone else node
        job = self._queue.ask(session, kind, docket_id=docket_id, subject=subject, arguments=given, node=node)
        if callable(arguments):
            job.arguments = arguments(job.id).model_dump(mode="json")
        divided = pieces(job.id) if pieces is not None else ()
        hints = 1
        if divided:
            self._queue.divide(session, job, divided, at_once=at_once)
            hints = min(len(divided), at_once)
        for _ in range(hints):
            after_commit(session, lambda: self._engine.announce(Lane(job.lane)))
        return job

    def cancel(self, job_id: int) -> JobView:
        """Cancel a job. Raises Missing, or Conflict for a job that has ended."""
        view, to_stop = self._queue.cancel(job_id)
        for number in to_stop:
            self._engine.cancel(number)
        return view
