"""Runs queued jobs and records how each ended.

A job is asked for in one transaction and ended in another. Every end is recorded, whatever was raised on the way: by
the job, by what is done with its result, or because its process died, which makes it run once more.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from concurrent.futures import Future
from concurrent.futures.process import BrokenProcessPool
from dataclasses import dataclass
from typing import Any

import structlog
from sqlalchemy import select
from sqlalchemy.orm import Session

from inkwell_groove.core.errors import Cancelled, Conflict, InkwellError, LengthLie, Missing
from inkwell_groove.store.database import Database, after_commit, is_passing, savepoint
from inkwell_groove.store.disk import DiskSpace, disk_full
from inkwell_groove.store.models import Job, now
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.jobs.pool import JobPool
from inkwell_groove.workroom.views import JobView

_MAX_ATTEMPTS = 3
_ROW_EVERY_S = 0.25
_LOOK_EVERY_S = 5.0
_PAUSE_S = 1.0
_WARM = "inkwell_groove.workroom.jobs.work", "warm"
INTERRUPTED = "Interrupted"  # the code of a failure that says nothing about what the job worked on

Finish = Callable[[Session, Job, dict[str, Any]], None]
Fail = Callable[[Session, Job, dict[str, Any]], None]
log = structlog.get_logger()


@dataclass(frozen=True)
class JobKind:
    """What a kind of job runs, what is done in the database when it has ended, and what comes after that was kept."""

    name: str
    function: str
    finish: Finish
    fail: Fail = lambda session, job, failure: None
    after: Callable[[int], None] = lambda docket_id: None
    needs_space: bool = True  # False: it may use the room that is kept for recordings

    @property
    def module(self) -> str:
        return self.function.partition(":")[0]


def under_way(session: Session, *kinds: str, but: int | None = None) -> bool:
    """Whether a job of any of these kinds waits or runs, other than one."""
    query = select(Job.id).where(Job.kind.in_(kinds), Job.state.in_(("waiting", "running"))).limit(1)
    if but is not None:
        query = query.where(Job.id != but)
    return session.scalar(query) is not None


class JobRunner:
    """Runs waiting jobs, at most `workers` at a time, oldest first."""

    def __init__(
        self,
        database: Database,
        events: Events,
        kinds: list[JobKind],
        *,
        workers: int,
        after_death: Callable[[], None] = lambda: None,
        space: DiskSpace | None = None,
    ) -> None:
        """`after_death` is called when the process of a job has died, before the job is run again."""
        self._database = database
        self._events = events
        self._kinds = {kind.name: kind for kind in kinds}
        self._workers = workers
        self._after_death = after_death
        self._pool = JobPool(
            workers, self._on_progress, preload=sorted({one.module for one in kinds} | {_WARM[0]}), space=space
        )
        self._running: set[int] = set()
        self._row_written: dict[int, float] = {}
        self._wake = threading.Event()
        self._stopping = False
        self._thread = threading.Thread(target=self._dispatch, name="job dispatcher", daemon=True)

    def start(self) -> None:
        """Takes up what a stopped server left: each such job runs again, or fails if it keeps killing the server."""
        with self._database.begin() as session:
            for job in session.scalars(select(Job).where(Job.state == "running")):
                self._run_again(session, job, "the server stopped")
        self._pool.warm(":".join(_WARM))
        self._thread.start()
        self._wake.set()

    def close(self) -> None:
        self._stopping = True
        self._wake.set()
        self._thread.join(10)
        self._pool.close()

    def ask(
        self, session: Session, kind: str, *, docket_id: int | None, subject: str, arguments: dict[str, Any]
    ) -> Job:
        """A new waiting job in the caller's transaction. The runner looks for it once that is committed."""
        job = Job(
            kind=kind, docket_id=docket_id, subject=subject[:200], arguments=arguments, state="waiting", message=""
        )
        job.attempts, job.progress, job.asked_at = 0, 0.0, now()
        session.add(job)
        session.flush()
        after_commit(session, self._wake.set)
        return job

    def wake(self) -> None:
        self._wake.set()

    def cancel(self, job_id: int) -> JobView:
        """Raises Missing, or Conflict for a job that has ended."""
        with self._database.begin() as session:
            job = session.get(Job, job_id, with_for_update=True)
            if job is None:
                raise Missing(f"there is no job {job_id}", remedy="Reload the page")
            if job.state not in ("waiting", "running"):
                raise Conflict(
                    f"this job is {job.state} already", where=job.subject, remedy="There is nothing to cancel"
                )
            if job.state == "waiting":
                self._close(session, job, "cancelled", None)
            else:
                self._pool.cancel(job_id)
            view = JobView.of(job)
        self._announce(view)
        return view

    def _dispatch(self) -> None:
        while not self._stopping:
            self._wake.wait(_LOOK_EVERY_S)
            self._wake.clear()
            try:
                while not self._stopping and len(self._running) < self._workers and self._begin_next():
                    pass
            except Exception:
                # Whatever it was, jobs that wait must not wait for ever.
                log.warning("jobs wait: the next one could not be begun", exc_info=True)
                time.sleep(_PAUSE_S)
                self._wake.set()

    def _begin_next(self) -> bool:
        with self._database.begin() as session:
            job = session.scalars(
                select(Job).where(Job.state == "waiting").order_by(Job.id).limit(1).with_for_update(skip_locked=True)
            ).first()
            if job is None:
                return False
            kind = self._kinds.get(job.kind)
            if kind is None:
                self._close(session, job, "failed", _unknown_kind(job))
            else:
                job.state, job.started_at, job.attempts = "running", now(), job.attempts + 1
            view, arguments = JobView.of(job), dict(job.arguments)
        self._announce(view)
        if kind is not None:
            self._running.add(view.id)
            future = self._pool.submit(view.id, kind.function, arguments, needs_space=kind.needs_space)
            future.add_done_callback(lambda done: self._on_end(view.id, done))
        return True

    def _on_progress(self, job_id: int, share: float, message: str) -> None:
        due = time.monotonic() - self._row_written.get(job_id, 0.0) > _ROW_EVERY_S
        if job_id not in self._running:
            return
        try:
            with self._database.begin() as session:
                job = session.get(Job, job_id)
                if job is None or job.state != "running":
                    return
                view = JobView.of(job).model_copy(update={"progress": share, "message": message})
                if due:
                    job.progress, job.message = share, message[:300]
                    self._row_written[job_id] = time.monotonic()
        except InkwellError:
            return  # progress is only news; the end of the job will be told when the database is back
        self._announce(view.with_time_left())

    def _on_end(self, job_id: int, done: Future[dict[str, Any]]) -> None:
        self._row_written.pop(job_id, None)
        if self._stopping or done.cancelled():
            return  # the next server finds it running, and runs it again
        try:
            if isinstance(done.exception(), BrokenProcessPool):
                self._tidy_up(job_id)
            view = self._recorded_end(job_id, done)
        finally:
            self._running.discard(job_id)
            self._wake.set()
        if view is not None:
            self._tell_of_end(view)

    def _tidy_up(self, job_id: int) -> None:
        try:
            self._after_death()
        except Exception:
            log.exception("what a dead process left behind could not be cleared", job=job_id)

    def _recorded_end(self, job_id: int, done: Future[dict[str, Any]]) -> JobView | None:
        """Record how a job ended, however long the database is away; none where the server stops meanwhile."""
        while not self._stopping:
            try:
                with self._database.begin() as session:
                    job = session.get_one(Job, job_id)
                    self._end(session, job, done)
                    session.flush()
                    return JobView.of(job)
            except InkwellError:
                # The database is away: what was done must not be forgotten, so wait for it.
                log.warning("a job's end waits for the database", job=job_id, exc_info=True)
                time.sleep(_PAUSE_S)
            except Exception:
                log.exception("the end of a job could not be recorded", job=job_id)
                time.sleep(_PAUSE_S)
        return None

    def _end(self, session: Session, job: Job, done: Future[dict[str, Any]]) -> None:
        error = done.exception()
        if isinstance(error, BrokenProcessPool):
            log.error("the process of a job died", job=job.id, kind=job.kind, attempt=job.attempts)
            self._run_again(session, job, "its process died")
        elif isinstance(error, Cancelled):
            self._close(session, job, "cancelled", None)
        elif error is not None:
            if not isinstance(error, InkwellError):
                log.error("a job broke", job=job.id, kind=job.kind, exc_info=error)
            self._close(session, job, "failed", failure_of(error, job.subject))
        else:
            try:
                with savepoint(session):
                    self._kinds[job.kind].finish(session, job, done.result())
                job.result = done.result()
                self._close(session, job, "done", None)
            except Exception as cause:
                if is_passing(cause):
                    raise
                if not isinstance(cause, InkwellError):
                    log.exception("what came of a job cannot be kept", job=job.id, kind=job.kind)
                    cause = Conflict(
                        f"what came of it cannot be kept ({type(cause).__name__})",
                        where=job.subject,
                        remedy="The log has the details; please report it",
                    )
                self._close(session, job, "failed", failure_of(cause, job.subject))

    def _run_again(self, session: Session, job: Job, why: str) -> None:
        """Puts a job that was interrupted back into the queue, or fails it if that happens every time."""
        if job.kind not in self._kinds:
            self._close(session, job, "failed", _unknown_kind(job))
        elif job.attempts < _MAX_ATTEMPTS:
            job.state, job.message, job.progress = "waiting", f"begun again: {why}", 0.0
        else:
            failure = {
                "what": f"{why} {job.attempts} times while it ran",
                "where": job.subject,
                "remedy": "Look at the log and at the machine's memory, then start it again",
                "code": INTERRUPTED,
            }
            self._close(session, job, "failed", failure)

    def _close(self, session: Session, job: Job, state: str, failure: dict[str, Any] | None) -> None:
        job.state, job.failure, job.ended_at = state, failure, now()
        if state == "done":
            job.progress = 1.0
            return
        kind = self._kinds.get(job.kind)
        if kind is None:
            return
        try:
            with savepoint(session):
                kind.fail(session, job, failure or {"what": "it was cancelled", "code": "Cancelled"})
        except Exception as cause:
            if is_passing(cause):
                raise
            log.exception("what follows from a failed job could not be recorded", job=job.id, kind=job.kind)

    def _tell_of_end(self, view: JobView) -> None:
        try:
            self._announce(view)
            if view.docket_id is not None:
                self._events.docket_changed(view.docket_id)
                if view.state == "done":
                    self._kinds[view.kind].after(view.docket_id)
        except Exception:
            log.exception("what follows from a job that ended went wrong", job=view.id, kind=view.kind)

    def _announce(self, view: JobView) -> None:
        self._events.publish({"kind": "job", "job": view.model_dump(mode="json")})


def failure_of(error: BaseException, subject: str) -> dict[str, Any]:
    """What the row keeps of an error: the same three answers everywhere."""
    error = disk_full(error) or error
    if isinstance(error, InkwellError):
        failure: dict[str, Any] = {
            "what": error.what,
            "where": error.where or subject,
            "remedy": error.remedy,
            "code": type(error).__name__,
        }
        if isinstance(error, LengthLie):
            failure |= {"found_samples": error.found_samples, "declared_samples": error.declared_samples}
        return failure
    return {
        "what": f"a fault in the program ({type(error).__name__}: {error})",
        "where": subject,
        "remedy": "The log has the details; please report it",
    }


def _unknown_kind(job: Job) -> dict[str, Any]:
    return {
        "what": f"this version does not know jobs of the kind '{job.kind}'",
        "where": job.subject,
        "remedy": "Ask for it again, or run the version that asked for it",
    }
