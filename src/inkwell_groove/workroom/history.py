"""How this server was doing: figures taken four times a minute and kept for a day, for the page Operations."""

from __future__ import annotations

import threading
from collections import deque
from collections.abc import Callable, Sequence
from contextlib import suppress
from dataclasses import dataclass
from datetime import datetime, timedelta
from statistics import fmean
from typing import TypeVar

import structlog
from prometheus_client import REGISTRY
from pydantic import Field
from sqlalchemy import func, select

from inkwell_groove.core.errors import InkwellError
from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import Job, now
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.operations import Operations, PartOfReadiness
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.views import Refusal, View
from inkwell_groove.workroom.workers import WorkersView

EVERY_S = 15.0
_KEPT = timedelta(days=1)
MOST_SHOWN = 120
_FAILED_WITHIN = timedelta(days=1)
log = structlog.get_logger()
_T = TypeVar("_T", int, float)


class Moment(View):
    """How it was at a moment, or over several: the longest wait, the least room, the requests since the one before."""

    at: datetime
    waiting: int | None = Field(description="Jobs that wait; null while the database did not answer.")
    waits_s: float | None = Field(description="For how long the oldest job has waited.")
    requests_per_min: float
    failures: int = Field(description="Answers of status 500 and above.")
    answer_ms: float | None = Field(description="From a request to its answer, in the mean; null without any.")
    left_bytes: int = Field(description="Room for all that is no recording.")


class FailedKind(View):
    """Jobs of one kind that failed within a day, and why the newest did."""

    kind: str
    count: int
    newest_at: datetime
    newest: Refusal | None


class OperationsView(View):
    parts: list[PartOfReadiness]
    moments: list[Moment]
    failed: list[FailedKind]


@dataclass(frozen=True)
class _Requests:
    """What was answered since the server began."""

    count: float = 0
    failures: float = 0
    seconds: float = 0


class History(Part):
    """The moments of this server. `workers` returns who runs jobs and what waits."""

    workers: Callable[[], WorkersView]
    operations: Operations

    def __init__(self, database: Database, media: MediaStore, events: Events) -> None:
        super().__init__(database, media, events)
        self._moments: deque[Moment] = deque(maxlen=int(_KEPT.total_seconds() / EVERY_S))
        self._before = _Requests()
        self._stopping = threading.Event()

    def start(self) -> None:
        threading.Thread(target=self._keep, name="history", daemon=True).start()

    def close(self) -> None:
        self._stopping.set()

    def _keep(self) -> None:
        while True:
            try:
                self.take()
            except Exception:
                log.exception("how the server is doing could not be noted")
            if self._stopping.wait(EVERY_S):
                return

    def take(self) -> None:
        """Note how it is now."""
        time, requests = now(), _requests()
        before, self._before = self._before, requests
        count = requests.count - before.count
        waiting: int | None = None
        waits_s: float | None = None
        with suppress(InkwellError):  # the database does not answer
            lanes = self.workers().lanes
            since = min((one.waits_since for one in lanes if one.waits_since is not None), default=time)
            waiting = sum(one.waiting for one in lanes)
            waits_s = max(0.0, (time - since).total_seconds())
        self._moments.append(
            Moment(
                at=time,
                waiting=waiting,
                waits_s=waits_s,
                requests_per_min=count * 60 / EVERY_S,
                failures=round(requests.failures - before.failures),
                answer_ms=1_000 * (requests.seconds - before.seconds) / count if count else None,
                left_bytes=self._media.space.left_bytes(),
            )
        )

    def view(self, *, hours: float) -> OperationsView:
        """Return how it is, how it was within so many hours, and which jobs failed within a day."""
        since = now() - timedelta(hours=hours)
        moments = [one for one in list(self._moments) if one.at >= since]
        return OperationsView(parts=self.operations.ready().parts, moments=thinned(moments), failed=self._failed())

    def _failed(self) -> list[FailedKind]:
        # The index is by state and when they were asked for.
        failed = Job.state == "failed", Job.asked_at > now() - _FAILED_WITHIN
        newest = select(Job.kind, func.count(), func.max(Job.id)).where(*failed).group_by(Job.kind)
        with self._database.begin() as session:
            found = []
            for kind, count, job_id in session.execute(newest.order_by(func.count().desc())):
                job = session.get_one(Job, job_id)
                why = Refusal.model_validate(job.failure) if job.failure else None
                found.append(FailedKind(kind=kind, count=count, newest_at=job.ended_at or job.asked_at, newest=why))
            return found


def thinned(moments: Sequence[Moment]) -> list[Moment]:
    """Return at most `MOST_SHOWN` moments, each for as many as it takes: what is worst in them stays to be seen."""
    each = -(-len(moments) // MOST_SHOWN)
    return [_together(moments[at : at + each]) for at in range(0, len(moments), each)] if moments else []


def _together(moments: Sequence[Moment]) -> Moment:
    return Moment(
        at=moments[-1].at,
        waiting=_most([one.waiting for one in moments]),
        waits_s=_most([one.waits_s for one in moments]),
        requests_per_min=fmean(one.requests_per_min for one in moments),
        failures=sum(one.failures for one in moments),
        answer_ms=_most([one.answer_ms for one in moments]),
        left_bytes=min(one.left_bytes for one in moments),
    )


def _most(values: Sequence[_T | None]) -> _T | None:
    return max((one for one in values if one is not None), default=None)


def _requests() -> _Requests:
    """Return what the server's own counters say; news is a request that lasts, and is not among them."""
    count = failures = seconds = 0.0
    for metric in REGISTRY.collect():
        for sample in metric.samples:
            if sample.labels.get("operation") == "events":
                continue
            if sample.name == "inkwell_requests_total":
                count += sample.value
                failures += sample.value if int(sample.labels["status"]) >= 500 else 0
            elif sample.name == "inkwell_request_seconds_sum":
                seconds += sample.value
    return _Requests(count, failures, seconds)
