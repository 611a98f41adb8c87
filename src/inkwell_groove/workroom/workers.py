"""Who runs jobs: the workers of a house, on whatever machine, and what waits for them."""

from __future__ import annotations

import threading
from collections.abc import Callable
from datetime import datetime, timedelta
from typing import Any, Literal

import structlog
from pydantic import Field
from sqlalchemy import ColumnElement, delete, func, or_, select, text
from sqlalchemy.orm import Session

from inkwell_groove import __version__
from inkwell_groove.core.errors import Conflict, Missing
from inkwell_groove.store.database import DATABASE_NOW, Database, try_again
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import Job, Worker
from inkwell_groove.workroom import ledger
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.jobs.kind import RUNNING, WAITING, Lane
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.views import JobView, View

SEEN_EVERY_S = 5.0
_MISSED = timedelta(seconds=4 * SEEN_EVERY_S)
_MISSED_SQL = f"INTERVAL {_MISSED.total_seconds():.0f} SECOND"
_FORGOTTEN = timedelta(days=1)
log = structlog.get_logger()


class WorkerFacts(View):
    """What a worker says of itself."""

    name: str
    host: str
    cores: int
    processes: int = Field(description="Jobs that run at the same time, besides a quick one.")
    lanes: list[Lane]
    version: str
    is_server: bool = Field(description="It answers browsers too, so it cannot be drained.")
    node: str | None = Field(default=None, description="Of a server: its name among the others.")
    address: str = Field(default="", description="Of a server: where the others reach it.")


class WorkerView(WorkerFacts):
    id: int | None = Field(description="None for a server that runs all jobs itself.")
    state: Literal["working", "idle", "draining", "not heard of"]
    is_other_version: bool = Field(description="It runs only the jobs that its version knows.")
    started_at: datetime | None
    seen_at: datetime | None
    jobs: list[JobView]


class LaneView(View):
    lane: Lane
    waiting: int
    running: int
    waits_since: datetime | None = Field(description="When the oldest job that waits was asked for.")
    has_worker: bool = Field(description="Whether a worker that is heard of takes jobs of this lane.")


class WorkersView(View):
    alone: bool = Field(description="Whether one server runs everything.")
    workers: list[WorkerView]
    lanes: list[LaneView]


class Workers(Part):
    """The list of workers, and this process's own line in it.

    `devices` returns what a server has to record from and to read discs with, as data.
    """

    devices: Callable[[], dict[str, Any] | None] = staticmethod(lambda: None)

    def __init__(self, database: Database, media: MediaStore, events: Events, facts: WorkerFacts) -> None:
        super().__init__(database, media, events)
        self._facts = facts
        self._stopping = threading.Event()
        self._thread: threading.Thread | None = None

    def register(self, on_drain: Callable[[], None] = lambda: None) -> None:
        """Say that this process runs jobs, and go on saying so. `on_drain` is called when it is asked to leave."""
        try_again(lambda: self._say_so(is_new=True))
        self._events.publish({"kind": "workers"})
        self._thread = threading.Thread(target=self._go_on, args=(on_drain,), name="worker's line", daemon=True)
        self._thread.start()

    def say_so(self) -> None:
        """Tell the others at once of what has changed here, if there are any."""
        if self._thread is not None:
            try_again(self._say_so)

    def close(self) -> None:
        """Take this process's line out, if it has one."""
        if self._thread is None:
            return
        self._stopping.set()
        self._thread.join(SEEN_EVERY_S)
        try:
            with self._database.begin() as session:
                if row := session.scalar(select(Worker).where(Worker.name == self._facts.name)):
                    session.delete(row)
        except Exception:
            log.warning("a worker's line could not be taken out: it is shown as not heard of", exc_info=True)
        self._events.publish({"kind": "workers"})

    def view(self) -> WorkersView:
        """Return who runs jobs, with what they run, and what waits in each lane."""
        with self._database.begin() as session:
            claimed = select(Job).where(Job.state == RUNNING, Job.token.is_not(None))
            running = list(session.scalars(claimed.order_by(Job.id)))
            time = session.scalars(select(DATABASE_NOW)).one()
            rows = list(session.scalars(select(Worker).order_by(Worker.host, Worker.started_at)))
            workers = [_view(row, running, time) for row in rows] if self._thread is not None else [self._own(running)]
            return WorkersView(alone=self._thread is None, workers=workers, lanes=_lanes(session, running, workers))

    def drain(self, worker_id: int, *, who: str) -> WorkersView:
        """Ask a worker to end what it runs, and to leave. Raises Missing, or Conflict for a server."""
        with self._database.begin() as session:
            row = session.get(Worker, worker_id, with_for_update=True)
            if row is None:
                raise Missing(f"there is no worker {worker_id}", remedy="Reload the page: it may have left")
            if row.is_server:
                raise Conflict("this is a server", where=row.name, remedy="Stop it where it was started")
            if not row.is_draining:
                row.is_draining = True
                ledger.record(session, who=who, action=f"worker {row.name} asked to leave", docket_id=None)
        self._events.publish({"kind": "workers"})
        return self.view()

    def _own(self, running: list[Job]) -> WorkerView:
        jobs = [JobView.of(job).with_time_left() for job in running]
        return WorkerView(
            **self._facts.model_dump(),
            id=None,
            state="working" if jobs else "idle",
            is_other_version=False,
            started_at=None,
            seen_at=None,
            jobs=jobs,
        )

    def _go_on(self, on_drain: Callable[[], None]) -> None:
        is_draining = False
        while not self._stopping.wait(SEEN_EVERY_S):
            try:
                if self._say_so() and not is_draining:
                    is_draining = True
                    on_drain()
            except Exception:
                log.warning("a worker could not say that it is there", exc_info=True)

    def _say_so(self, *, is_new: bool = False) -> bool:
        """Note that this process is there; return whether it was asked to leave."""
        facts, devices = self._facts, self.devices()
        with self._database.begin() as session:
            time = session.scalars(select(DATABASE_NOW)).one()
            row = session.scalar(select(Worker).where(Worker.name == facts.name))
            if is_new:
                # Of a process of an earlier day with the same number, and of this server before it was killed.
                same_name = Worker.name == facts.name
                before = same_name if facts.node is None else or_(same_name, Worker.node == facts.node)
                for left in session.scalars(select(Worker.id).where(before)).all():
                    session.execute(delete(Worker).where(Worker.id == left))
                row = None
            if row is None:
                row = Worker(**facts.model_dump(exclude={"lanes"}), lanes=",".join(facts.lanes), is_draining=False)
                row.started_at = time
                session.add(row)
            row.seen_at, row.devices = time, devices
            # Looked for without locks: a DELETE would wait for every row that another worker is just writing.
            for forgotten in session.scalars(select(Worker.id).where(Worker.seen_at < time - _FORGOTTEN)).all():
                session.execute(delete(Worker).where(Worker.id == forgotten))
            return row.is_draining


def heard_of_lately() -> ColumnElement[bool]:
    """Return the condition on the line of a worker that has said lately that it is there."""
    return Worker.seen_at > DATABASE_NOW - text(_MISSED_SQL)


def is_heard_of(session: Session, node: str | None) -> bool:
    """Return whether a server of that name has said lately that it is there."""
    heard = select(Worker.id).where(Worker.node == node, heard_of_lately())
    return session.scalar(heard.limit(1)) is not None


def _view(row: Worker, running: list[Job], time: datetime) -> WorkerView:
    jobs = [JobView.of(job).with_time_left() for job in running if job.owner == row.name]
    state: Literal["working", "idle", "draining", "not heard of"] = "working" if jobs else "idle"
    if time - row.seen_at > _MISSED:
        state = "not heard of"
    elif row.is_draining:
        state = "draining"
    return WorkerView(
        id=row.id,
        name=row.name,
        host=row.host,
        cores=row.cores,
        processes=row.processes,
        lanes=[Lane(name) for name in row.lanes.split(",") if name in set(Lane)],
        version=row.version,
        is_server=row.is_server,
        node=row.node,
        address=row.address,
        state=state,
        is_other_version=row.version != __version__,
        started_at=row.started_at,
        seen_at=row.seen_at,
        jobs=jobs,
    )


def _lanes(session: Session, running: list[Job], workers: list[WorkerView]) -> list[LaneView]:
    counted = select(Job.lane, func.count(), func.min(Job.asked_at)).where(Job.state == WAITING).group_by(Job.lane)
    waiting = {lane: (count, since) for lane, count, since in session.execute(counted)}
    served = {lane for one in workers if one.state in ("working", "idle") for lane in one.lanes}
    return [
        LaneView(
            lane=lane,
            waiting=waiting.get(lane, (0, None))[0],
            running=sum(job.lane == lane for job in running),
            waits_since=waiting.get(lane, (0, None))[1],
            has_worker=lane in served,
        )
        for lane in Lane
    ]
