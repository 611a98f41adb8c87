"""The queue of jobs: rows in the database, which are asked for, claimed under a lease, reported on and ended.

A claim has a token. Whoever no longer holds it, because the lease ran out meanwhile or the server was started again,
changes nothing any more: there is one end to each job. Times are the database's, which all machines share.
"""

from __future__ import annotations

import threading
import time
from collections import deque
from collections.abc import Collection, Mapping, Sequence
from typing import Any

import structlog
from sqlalchemy import func, select, text
from sqlalchemy.orm import Session

from inkwell_groove.core.errors import Cancelled, Conflict, InkwellError, Missing
from inkwell_groove.store.database import DATABASE_NOW, Database, after_commit, is_passing, savepoint
from inkwell_groove.store.models import Job, now
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.jobs import pieces as in_pieces
from inkwell_groove.workroom.jobs.claims import Claims, in_seconds
from inkwell_groove.workroom.jobs.engine import Claim, Outcome
from inkwell_groove.workroom.jobs.kind import (
    INTERRUPTED,
    RUNNING,
    WAITING,
    AnyKind,
    Arguments,
    Failure,
    Lane,
    Result,
    cancelled_piece,
    failure_of,
    finish_nothing,
    unknown_kind,
)
from inkwell_groove.workroom.views import JobView

LEASE_S = 30.0
_TOKENS_KEPT = 1_000  # far more than a report can be late
_ROW_EVERY_S = 0.25
_DUE_EVERY_S = 0.25  # how often a retry that is due is looked at while its lane is full
log = structlog.get_logger()


class JobQueue:
    """All jobs of a house; `engine.Queue` says what an engine does with it."""

    def __init__(
        self,
        database: Database,
        events: Events,
        kinds: Collection[AnyKind],
        *,
        owner: str,
        lease_s: float = LEASE_S,
        is_alone: bool = True,
        node: str | None = None,
    ) -> None:
        """`owner` names this process to whoever looks at the rows. `node` is the name of a server among several.

        Where it `is_alone` with the data, a job that this version cannot run fails. Otherwise it is left to a process
        of another version.
        """
        self._database, self._events, self._lease_s = database, events, lease_s
        self._kinds: Mapping[str, AnyKind] = {kind.name: kind for kind in kinds}
        self._claims = Claims(
            database, self._kinds, self._refuse, owner=owner, lease_s=lease_s, is_alone=is_alone, node=node
        )
        self._row_written: dict[int, float] = {}
        self._ended_tokens: deque[str] = deque(maxlen=_TOKENS_KEPT)
        self._lock = threading.Lock()

    def ask(
        self,
        session: Session,
        kind_name: str,
        *,
        docket_id: int | None,
        subject: str,
        arguments: dict[str, Any],
        node: str | None = None,
    ) -> Job:
        """Return a new waiting job in the caller's transaction. Only the server called `node` runs it, if given.

        It may be given pieces before the transaction ends (`divide`).
        """
        lane = Lane.DEVICE if node else self._kinds[kind_name].lane
        job = Job(kind=kind_name, lane=lane, node=node, docket_id=docket_id, subject=subject[:200])
        job.arguments, job.state, job.message = arguments, WAITING, ""
        job.attempts, job.progress, job.asked_at, job.is_cancelled = 0, 0.0, now(), False
        session.add(job)
        session.flush()
        return job

    def divide(self, session: Session, job: Job, pieces: Sequence[in_pieces.Piece], *, at_once: int) -> None:
        """Divide a job that was just asked for. At most `at_once` pieces of it wait or run at a time."""
        in_pieces.divide(session, job, pieces, [self._kinds[one.kind].lane for one in pieces], at_once=at_once)

    def cancel(self, job_id: int) -> tuple[JobView, list[int]]:
        """Cancel a job: at once if it waits, at its next report if it runs; with all its pieces, if it has some.

        Returns it, and the numbers of all jobs that are to be stopped with it, its own among them. Raises Missing, or
        Conflict for a job that has ended.
        """
        with self._database.begin() as session:
            whole = in_pieces.lock_whole(session, job_id)
            job = session.get(Job, job_id, with_for_update=True)
            if job is None:
                raise Missing(f"there is no job {job_id}", remedy="Reload the page")
            if job.state not in (WAITING, RUNNING):
                raise Conflict(
                    f"this job is {job.state} already", where=job.subject, remedy="There is nothing to cancel"
                )
            job.is_cancelled = True
            pieces = self._stop_pieces(session, job)
            if job.state == WAITING or (job.token is None and not pieces):
                self._close(session, job, "cancelled", None)
            self._follow_piece(session, whole, job)
            view, token = JobView.of(job), job.token
        self._tell_in_time(token, view)
        return view, [job_id, *pieces]

    def _stop_pieces(self, session: Session, whole: Job) -> list[int]:
        """Cancel what is left of a job's pieces; return the numbers of those that run."""
        running = []
        for piece in in_pieces.unended(session, whole):
            piece.is_cancelled = True
            if piece.state == RUNNING:
                running.append(piece.id)
            else:
                self._close(session, piece, "cancelled", None)
        session.flush()
        return running

    def requeue_all(self, why: str, lanes: Collection[Lane] = frozenset(Lane)) -> list[str]:
        """Queue the running jobs of some lanes again that nobody is left to run; return the tokens of their claims.

        For the start of a server that has these lanes to itself.
        """
        tokens = []
        with self._database.begin() as session:
            for job in session.scalars(
                select(Job).where(Job.state == RUNNING, Job.lane.in_(lanes), *self._claims.for_here())
            ):
                if job.token is None and in_pieces.unended(session, job):
                    continue
                tokens += [job.token] if job.token is not None else []
                self._run_again(session, job, why, at_once=True)
                self._follow_piece(session, in_pieces.lock_whole(session, job.id), job)
        return tokens

    def held_tokens(self) -> set[str]:
        """Return the tokens of all claims that hold, whoever has them."""
        with self._database.begin() as session:
            return {token for token in session.scalars(select(Job.token).where(Job.state == RUNNING)) if token}

    def claim(self, lanes: Collection[Lane]) -> Claim | None:
        claim = self._claims.next(lanes)
        if claim is not None:
            self._tell(claim.view)
        return claim

    def _refuse(self, job: Job, failure: Failure) -> None:
        """End a job that no version can run which works with these data."""
        with self._database.begin() as session:
            whole = in_pieces.lock_whole(session, job.id)
            row = session.get(Job, job.id, with_for_update=True)
            if row is None or row.state != WAITING:
                return
            self._close(session, row, "failed", failure)
            self._follow_piece(session, whole, row)
            session.flush()
            view = JobView.of(row)
        self._tell(view)

    def renew(self, claims: Collection[Claim]) -> set[str]:
        if not claims:
            return set()
        to_stop = set()
        for claim in claims:
            with self._database.begin() as session:
                job = _held(session, claim)
                if job is not None:
                    job.lease_until = in_seconds(self._lease_s)
                if job is None or job.is_cancelled:
                    to_stop.add(claim.token)
        return to_stop

    def report(self, claim: Claim, share: float, message: str) -> None:
        if share == 0 and not message:
            return  # as it was told when it was claimed
        view = claim.view.model_copy(update={"progress": share, "message": message})
        with self._lock:
            is_due = time.monotonic() - self._row_written.get(claim.job_id, 0.0) > _ROW_EVERY_S
            if is_due:
                self._row_written[claim.job_id] = time.monotonic()
        if is_due:
            with self._database.begin() as session:
                if (job := _held(session, claim)) is not None:
                    job.progress, job.message = share, message[:300]
            self._report_whole(view.parent_id)
        self._tell_in_time(claim.token, view.with_time_left())

    def _report_whole(self, job_id: int | None) -> None:
        """Note and tell how far a job in pieces is, if this is one."""
        if job_id is None:
            return
        with self._database.begin() as session:
            whole = session.get(Job, job_id, with_for_update=True)
            if whole is None or whole.state != RUNNING or whole.token is not None:
                return
            in_pieces.add_up(session, whole)
            view = JobView.of(whole)
        self._tell(view.with_time_left())

    def end(self, claim: Claim, outcome: Outcome) -> bool:
        with self._lock:
            self._row_written.pop(claim.job_id, None)
        with self._database.begin() as session:
            whole = None if claim.view.parent_id is None else in_pieces.lock_whole(session, claim.job_id)
            job = _held(session, claim)
            if job is None:
                log.warning("somebody else has this job now: its end is not recorded", job=claim.job_id)
                return False
            self._end(session, job, claim, outcome)
            self._follow_piece(session, whole, job)
            session.flush()
            view = JobView.of(job)
            after_commit(session, lambda: self._note_end(claim.token))
            self._tell_with(session, view)
        self._follow_up(view)
        return True

    def give_back(self, claims: Collection[Claim]) -> None:
        for claim in claims:
            with self._database.begin() as session:
                whole = None if claim.view.parent_id is None else in_pieces.lock_whole(session, claim.job_id)
                job = _held(session, claim)
                if job is None:
                    continue
                if job.is_cancelled:
                    self._close(session, job, "cancelled", None)
                    self._follow_piece(session, whole, job)
                else:
                    job.state, job.message, job.progress = WAITING, f"given back: {job.owner} was stopped", 0.0
                    job.attempts, job.retry_at = job.attempts - 1, None
                session.flush()
                self._tell_with(session, JobView.of(job))

    def tend(self, running_here: Collection[int], lanes: Collection[Lane] = frozenset(Lane)) -> float | None:
        with self._database.begin() as session:
            is_over = Job.state == RUNNING, Job.lease_until < DATABASE_NOW, Job.id.not_in(running_here)
            expired_ids = session.scalars(select(Job.id).where(*is_over, *self._claims.known())).all()
            left = func.timestampdiff(text("MICROSECOND"), DATABASE_NOW, func.min(Job.retry_at))
            to_retry = Job.state == WAITING, Job.retry_at.is_not(None), Job.lane.in_(lanes)
            left_us = session.scalar(select(left).where(*to_retry))
        for job_id in expired_ids:
            self._requeue_expired(job_id)
        if expired_ids:
            return 0.0
        return None if left_us is None else max(_DUE_EVERY_S, left_us / 1e6)

    def _requeue_expired(self, job_id: int) -> None:
        with self._database.begin() as session:
            whole = in_pieces.lock_whole(session, job_id)
            by_number = select(Job, Job.lease_until < DATABASE_NOW).where(Job.id == job_id).with_for_update()
            job, is_expired = session.execute(by_number).one()
            if job.state == RUNNING and is_expired:
                log.error("a job's lease ended", job=job.id, kind=job.kind, owner=job.owner)
                self._run_again(session, job, f"{job.owner} was not heard of any more")
                self._follow_piece(session, whole, job)
                session.flush()
                self._tell_with(session, JobView.of(job))

    def _end(self, session: Session, job: Job, claim: Claim, outcome: Outcome) -> None:
        if outcome.process_died:
            log.error("the process of a job died", job=job.id, kind=job.kind, attempt=job.attempts)
            self._run_again(session, job, "its process died")
        elif isinstance(outcome.error, Cancelled):
            self._close(session, job, "cancelled", None)
        elif outcome.error is not None:
            if not isinstance(outcome.error, InkwellError):
                log.error("a job broke", job=job.id, kind=job.kind, exc_info=outcome.error)
            self._close(session, job, "failed", failure_of(outcome.error, job.subject))
        else:
            self._finish(session, job, claim.kind, claim.arguments, outcome.result or {})

    def _finish(self, session: Session, job: Job, kind: AnyKind, arguments: Arguments, result: Result) -> None:
        """Record the end of a job that went well. What cannot be kept of it ends it as failed."""
        try:
            if kind.finish is not finish_nothing:
                with savepoint(session):
                    kind.finish(session, job, arguments, result)
            job.result = result
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

    def _follow_piece(self, session: Session, whole: Job | None, piece: Job) -> None:
        """Do what follows for a whole job, which is locked, from one of its pieces, if that has ended."""
        if whole is None or whole.state != RUNNING or whole.token is not None or piece.state not in in_pieces.ENDED:
            return
        session.flush()
        kind = self._kinds.get(whole.kind)
        goes_on = kind is not None and kind.go_on_without_failed
        if piece.state != "done" and not whole.is_cancelled and not goes_on:
            if whole.failure is None:
                whole.failure = piece.failure or cancelled_piece(piece)
            self._stop_pieces(session, whole)
        in_pieces.let_next_in(session, whole)
        if in_pieces.add_up(session, whole) == 0:
            self._end_whole(session, whole, kind)
            session.flush()
            view = JobView.of(whole)
            self._tell_with(session, view)
            after_commit(session, lambda: self._follow_up(view))

    def _end_whole(self, session: Session, whole: Job, kind: AnyKind | None) -> None:
        """End a job whose pieces have ended, or have them put together."""
        if whole.is_cancelled:
            self._close(session, whole, "cancelled", None)
        elif whole.failure is not None:
            self._close(session, whole, "failed", whole.failure)
        elif kind is None:
            self._close(session, whole, "failed", unknown_kind(whole))
        elif kind.join_pieces:
            whole.state, whole.message = WAITING, "putting its pieces together"
        else:
            self._finish(session, whole, kind, kind.arguments_of(whole), {})

    def _run_again(self, session: Session, job: Job, why: str, *, at_once: bool = False) -> None:
        """Queue a job again that was interrupted, or fail it if that happens every time."""
        kind = self._kinds.get(job.kind)
        if kind is None:
            self._close(session, job, "failed", unknown_kind(job))
            return
        if job.is_cancelled:
            self._close(session, job, "cancelled", None)
            return
        pause_s = kind.retry.pause_after_s(job.attempts)
        if pause_s is not None:
            job.state, job.message, job.progress = WAITING, f"begun again: {why}", 0.0
            job.retry_at = None if at_once else in_seconds(pause_s)
        else:
            failure = {
                "what": f"{why} {job.attempts} times while it ran",
                "where": job.subject,
                "remedy": "Look at the log and at the machine's memory, then start it again",
                "code": INTERRUPTED,
            }
            self._close(session, job, "failed", failure)

    def _close(self, session: Session, job: Job, state: str, failure: Failure | None) -> None:
        job.state, job.failure, job.ended_at = state, failure, now()
        job.lease_until = job.retry_at = None
        if state == "done":
            job.progress = 1.0
            return
        kind = self._kinds.get(job.kind)
        if kind is None:
            return
        try:
            with savepoint(session):
                told = failure or {"what": "it was cancelled", "code": "Cancelled"}
                kind.fail(session, job, kind.arguments_of(job), told)
        except Exception as cause:
            if is_passing(cause):
                raise
            log.exception("what follows from a failed job could not be recorded", job=job.id, kind=job.kind)

    def _follow_up(self, view: JobView) -> None:
        """Do what follows from a job that is done, besides what its transaction did."""
        if view.docket_id is None or view.state != "done":
            return
        try:
            self._kinds[view.kind].after(view.docket_id)
        except Exception:
            log.exception("what follows from a job that ended went wrong", job=view.id, kind=view.kind)

    def _note_end(self, token: str) -> None:
        with self._lock:
            self._ended_tokens.append(token)

    def _tell_in_time(self, token: str | None, view: JobView) -> None:
        """Tell of a job, unless it is that a claim runs whose end was told: to whoever watches it would run again."""
        with self._lock:
            if view.state != RUNNING or token not in self._ended_tokens:
                self._tell(view)

    def _tell(self, view: JobView) -> None:
        self._events.publish(_news_of(view))

    def _tell_with(self, session: Session, view: JobView) -> None:
        """Tell of a change of a job's state, and of its docket, as surely as the transaction is committed."""
        self._events.publish_with(session, _news_of(view))
        if view.docket_id is not None:
            self._events.publish_with(session, {"kind": "docket", "docket_id": view.docket_id})


def _news_of(view: JobView) -> dict[str, Any]:
    return {"kind": "job", "job": view.model_dump(mode="json")}


def _held(session: Session, claim: Claim) -> Job | None:
    """Return the row of a claim, locked; None if the claim no longer holds.

    It is locked by its number alone: the database would look for a state in its index, and lock that before the row,
    where others lock the row before the index.
    """
    job = session.get(Job, claim.job_id, with_for_update=True)
    return job if job is not None and job.state == RUNNING and job.token == claim.token else None
