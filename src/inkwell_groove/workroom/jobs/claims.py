"""Claiming the next job: found without locks, claimed by its number with one statement."""

from __future__ import annotations

import random
import secrets
import threading
import time
from collections import deque
from collections.abc import Callable, Collection, Mapping
from typing import Any, cast

import structlog
from pydantic import ValidationError
from sqlalchemy import ColumnElement, Table, Update, bindparam, or_, select, text, update

from inkwell_groove.store.database import DATABASE_NOW, Database
from inkwell_groove.store.models import Job, now
from inkwell_groove.workroom.jobs.engine import Claim
from inkwell_groove.workroom.jobs.kind import (
    RUNNING,
    WAITING,
    AnyKind,
    Failure,
    Lane,
    other_arguments,
    unknown_kind,
)
from inkwell_groove.workroom.views import JobView

# Jobs that are found at once. Others find the same, and take some of them before they are tried here: of few, most.
_CANDIDATES = 60
_FOUND_LASTS_S = 0.2
log = structlog.get_logger()


def in_seconds(seconds: float) -> Any:
    """Return the SQL for a time from now, by the database's clock."""
    return text(f"UTC_TIMESTAMP(6) + INTERVAL {round(seconds * 1e6)} MICROSECOND")


class Claims:
    """Claims jobs for one process.

    `refuse` ends a job that no version can run which works with these data.
    """

    def __init__(
        self,
        database: Database,
        kinds: Mapping[str, AnyKind],
        refuse: Callable[[Job, Failure], None],
        *,
        owner: str,
        lease_s: float,
        is_alone: bool,
        node: str | None,
    ) -> None:
        self._database, self._kinds, self._refuse = database, kinds, refuse
        self._owner, self._is_alone, self._node = owner, is_alone, node
        self._unreadable: set[int] = set()  # jobs whose arguments only another version can read
        self._claiming = threading.Lock()
        self._claiming_one = _claiming_one(lease_s)
        self._found: deque[Job] = deque()
        self._found_in: frozenset[Lane] = frozenset()
        self._found_s = 0.0

    def next(self, lanes: Collection[Lane]) -> Claim | None:
        """Return the claim on the next job of these lanes; None if none waits.

        Rows are looked for without locks and claimed by number: a lock on an index of states meets every other. What
        was found is claimed from for a moment without looking again.
        """
        with self._claiming:
            claim = None
            while lanes and claim is None:
                if not self._found or lanes != self._found_in or time.monotonic() - self._found_s > _FOUND_LASTS_S:
                    self._look_for(lanes)
                if not self._found:
                    return None
                claim = self._claim(self._found.popleft())
        return claim

    def _look_for(self, lanes: Collection[Lane]) -> None:
        """Find the jobs that may be claimed now, the oldest first."""
        may_begin = Job.state == WAITING, Job.lane.in_(lanes), or_(Job.retry_at.is_(None), Job.retry_at <= DATABASE_NOW)
        found_first = select(Job).where(*may_begin, *self.known(), *self.for_here()).order_by(Job.asked_at, Job.id)
        with self._database.begin() as session:
            # Left to itself the database reads all jobs that ever were, in their order.
            oldest = found_first.limit(_CANDIDATES).with_hint(Job, "USE INDEX (ix_job_state_asked_at)", "mysql")
            found = list(session.scalars(oldest))
        if not self._is_alone:
            random.shuffle(found)  # others found the same, and would all wait for one row
        self._found = deque(found)
        self._found_in, self._found_s = frozenset(lanes), time.monotonic()

    def for_here(self) -> list[ColumnElement[bool]]:
        """Return what is asked of jobs so that they may run here, and not at another server alone."""
        return [] if self._is_alone else [or_(Job.node.is_(None), Job.node == self._node)]

    def known(self) -> list[ColumnElement[bool]]:
        """Return what is asked of jobs so that this version can run them, or end them where nobody else will."""
        if self._is_alone:
            return []
        return [Job.kind.in_(tuple(self._kinds)), Job.id.not_in(self._unreadable)]

    def _claim(self, job: Job) -> Claim | None:
        """Return the claim on a job as it was found; None if it is another by now, or this version cannot run it.

        That is then the job's end, unless others work with the same data: one of them may know it.
        """
        kind = self._kinds.get(job.kind)
        if kind is None:
            self._refuse(job, unknown_kind(job))
            return None
        try:
            arguments = kind.arguments_of(job)
        except ValidationError as cause:
            log.warning("a job's arguments cannot be read", job=job.id, kind=job.kind, error=str(cause))
            if self._is_alone:
                self._refuse(job, other_arguments(job))
            else:
                self._unreadable.add(job.id)
            return None
        token, started_at = secrets.token_hex(8), now()
        names = {"number": job.id, "token_seen": job.token, "begun": started_at, "by": self._owner, "new_token": token}
        with self._database.begin() as session:
            # On the connection: it is the statement that is run most often, and the session has no part in it.
            if session.connection().execute(self._claiming_one, names).rowcount != 1:
                return None
        view = JobView.of(job).model_copy(update={"state": RUNNING, "started_at": started_at})
        return Claim(job.id, token, kind, arguments, view, job.token)


def _claiming_one(lease_s: float) -> Update:
    """Return the statement that claims a job as it was found. Making it takes longer than running it."""
    jobs = cast(Table, Job.__table__)
    # Not even claimed and given back meanwhile: its last token names the workspace that is to be removed.
    as_found = jobs.c.token.is_not_distinct_from(bindparam("token_seen"))
    claimed = update(jobs).where(jobs.c.id == bindparam("number"), jobs.c.state == WAITING, as_found)
    return claimed.values(
        state=RUNNING,
        started_at=bindparam("begun"),
        attempts=jobs.c.attempts + 1,
        owner=bindparam("by"),
        token=bindparam("new_token"),
        lease_until=in_seconds(lease_s),
        retry_at=None,
    )
