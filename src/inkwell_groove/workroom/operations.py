"""What whoever runs a house watches: whether this server can work, and figures that show what is amiss."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from datetime import timedelta
from typing import Literal

from prometheus_client import CollectorRegistry, generate_latest
from prometheus_client.metrics_core import GaugeMetricFamily, Metric
from pydantic import Field
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from inkwell_groove import __version__
from inkwell_groove.core.errors import InkwellError
from inkwell_groove.store.database import DATABASE_NOW, Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.migrate import check_current
from inkwell_groove.store.models import Audit, Job, OpticalDrive, Package, Recording, now
from inkwell_groove.store.settings import Settings
from inkwell_groove.workroom.collection.searching import Collection
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.jobs.pieces import ENDED
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.views import View
from inkwell_groove.workroom.workers import LaneView, WorkersView

_LATE_S = 600.0  # a lane whose oldest job has waited so long is told of
_LATELY = timedelta(hours=1)


class PartOfReadiness(View):
    name: Literal["database", "tables", "search index", "jobs", "disk"]
    is_well: bool
    words: str


class ReadyView(View):
    """Whether requests should be sent to this server, and what is not well with the house besides."""

    ready: bool = Field(description="Whether database, tables and search index are as they must be.")
    version: str
    parts: list[PartOfReadiness]


class Operations(Part):
    """Readiness and figures. `workers` returns who runs jobs and what waits."""

    workers: Callable[[], WorkersView]

    def __init__(
        self, database: Database, media: MediaStore, events: Events, given: Settings, collection: Collection
    ) -> None:
        super().__init__(database, media, events)
        self._settings, self._collection = given, collection

    def ready(self) -> ReadyView:
        needed = [self._tried("database", self._ask_database), self._tried("tables", self._check_tables), self._index()]
        parts = [*needed, self._jobs(), self._disk()]
        return ReadyView(ready=all(one.is_well for one in needed), version=__version__, parts=parts)

    def figures(self) -> bytes:
        """Return gauges in Prometheus' text format. Raises DatabaseAway."""
        registry = CollectorRegistry()
        with self._database.begin() as session:
            registry.register(_Collected([*self._of_rows(session), *self._of_lanes(), *self._of_disks()]))
        return generate_latest(registry)

    # Within

    @staticmethod
    def _tried(name: Literal["database", "tables"], look: Callable[[], str]) -> PartOfReadiness:
        try:
            return PartOfReadiness(name=name, is_well=True, words=look())
        except InkwellError as refusal:
            return PartOfReadiness(name=name, is_well=False, words=refusal.what)

    def _ask_database(self) -> str:
        with self._database.begin() as session:
            session.execute(select(1))
        return "it answers"

    def _check_tables(self) -> str:
        check_current(self._settings.database_url)
        return "they are of this version"

    def _index(self) -> PartOfReadiness:
        is_well = self._collection.is_ready
        words = "the collection can be searched" if is_well else "the collection is still being read"
        return PartOfReadiness(name="search index", is_well=is_well, words=words)

    def _jobs(self) -> PartOfReadiness:
        try:
            lanes, time = self.workers().lanes, now()
        except InkwellError as refusal:
            return PartOfReadiness(name="jobs", is_well=False, words=refusal.what)
        wrong = [f"nobody takes the {one.waiting} jobs of the lane {one.lane}" for one in lanes if _is_left(one)]
        late = (one for one in lanes if one.waits_since is not None and not _is_left(one))
        for one in late:
            waited_s = (time - one.waits_since).total_seconds() if one.waits_since else 0.0
            if waited_s > _LATE_S:
                wrong.append(f"a job of the lane {one.lane} has waited for {waited_s / 60:.0f} min")
        return PartOfReadiness(name="jobs", is_well=not wrong, words="; ".join(wrong) or "none has waited for long")

    def _disk(self) -> PartOfReadiness:
        is_well = self._media.space.left_bytes() > 0
        words = "there is room" if is_well else "only the room for recordings is left"
        return PartOfReadiness(name="disk", is_well=is_well, words=words)

    def _of_rows(self, session: Session) -> Iterator[Metric]:
        time = session.scalars(select(DATABASE_NOW)).one()
        ended = GaugeMetricFamily(
            "inkwell_jobs_ended_last_hour", "Jobs that ended within the last hour.", labels=["kind", "outcome"]
        )
        # The index is by state and when they were asked for: few jobs take longer than a day.
        lately = Job.state.in_(ENDED), Job.asked_at > time - timedelta(days=1), Job.ended_at > time - _LATELY
        for kind, state, count in session.execute(
            select(Job.kind, Job.state, func.count()).where(*lately).group_by(Job.kind, Job.state)
        ):
            ended.add_metric([kind, state], count)
        yield ended
        drives = GaugeMetricFamily("inkwell_drives", "Optical drives that are known.")
        drives.add_metric([], session.scalar(select(func.count()).select_from(OpticalDrive)) or 0)
        yield drives
        running = GaugeMetricFamily("inkwell_recordings", "Recordings by state.", labels=["state"])
        for state, count in session.execute(select(Recording.state, func.count()).group_by(Recording.state)):
            running.add_metric([state], count)
        yield running
        newest = select(func.max(Package.id)).group_by(Package.docket_id)
        damaged = func.coalesce(func.sum(func.json_length(Package.fixity, "$.findings") > 0), 0)
        count, wrong, oldest = session.execute(
            select(func.count(), damaged, func.min(Package.verified_at)).where(Package.id.in_(newest))
        ).one()
        for name, words, value in (
            ("inkwell_packages", "Packages that stand.", count),
            ("inkwell_packages_damaged", "Packages of which a check found files that are not as sealed.", int(wrong)),
            (
                "inkwell_package_unverified_seconds",
                "For how long the longest unverified package was not verified.",
                (now() - oldest).total_seconds() if oldest else 0.0,
            ),
            (
                "inkwell_audits_under_way",
                "Audits of packages that are under way.",
                session.scalar(select(func.count()).select_from(Audit).where(Audit.state == "under way")) or 0,
            ),
        ):
            yield _gauge(name, words, value)

    def _of_lanes(self) -> Iterator[Metric]:
        time = now()
        waiting = GaugeMetricFamily("inkwell_jobs_waiting", "Jobs that wait.", labels=["lane"])
        running = GaugeMetricFamily("inkwell_jobs_running", "Jobs that run.", labels=["lane"])
        age = GaugeMetricFamily("inkwell_job_waits_seconds", "For how long the oldest job waits.", labels=["lane"])
        served = GaugeMetricFamily("inkwell_lane_served", "1 if a worker takes jobs of the lane.", labels=["lane"])
        for one in self.workers().lanes:
            waiting.add_metric([one.lane], one.waiting)
            running.add_metric([one.lane], one.running)
            age.add_metric([one.lane], (time - one.waits_since).total_seconds() if one.waits_since else 0.0)
            served.add_metric([one.lane], float(one.has_worker))
        yield from (waiting, running, age, served)

    def _of_disks(self) -> Iterator[Metric]:
        free = GaugeMetricFamily("inkwell_disk_free_bytes", "Room on a disk of the store.", labels=["place"])
        free.add_metric(["media"], self._media.space.free_bytes())
        for place in self._media.places.others:
            free.add_metric([place.name], self._media.places.free_bytes(place))
        yield free
        yield _gauge("inkwell_disk_left_bytes", "Room for all that is no recording.", self._media.space.left_bytes())


class _Collected:
    """Figures that were gathered already, as prometheus_client wants them."""

    def __init__(self, metrics: list[Metric]) -> None:
        self._metrics = metrics

    def collect(self) -> list[Metric]:
        return self._metrics


def _gauge(name: str, words: str, value: float) -> Metric:
    metric = GaugeMetricFamily(name, words)
    metric.add_metric([], value)
    return metric


def _is_left(lane: LaneView) -> bool:
    return lane.waiting > 0 and not lane.has_worker
