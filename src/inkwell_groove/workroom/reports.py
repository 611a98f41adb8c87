"""What the collection comes to, in figures: each report a table that can be drawn, and had as CSV."""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping
from datetime import timedelta

from pydantic import Field
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from inkwell_groove.core.errors import Missing
from inkwell_groove.core.files.spreadsheet import to_csv
from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import BundleFile, Carrier, Package, Take, now
from inkwell_groove.store.settings import Settings
from inkwell_groove.workroom.dockets import Dockets
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.views import DocketLine, View

_STAGES = ("intake", "transfer", "disc", "tracks", "repair", "sources", "describe", "artwork", "seal")
# Words by which archivists tell what state a carrier is in (common practice), as they begin.
_CONDITIONS = {
    "scratches": "scratch",
    "crackle": "crackl",
    "warps": "warp",
    "cracks": "crack(?!l)",
    "mould": "mou?ld",
    "dirt": "dirt|dust",
    "wear": "worn|wear|grey",
    "hiss": "hiss",
    "dropouts": "drop-?out",
    "pressure pad": "pressure pad",
    "stickiness": "stick|shed",
    "tears": "tear|torn",
    "stains": "stain",
}
_SPANS = ((30, "under a month"), (180, "1 to 6 months"), (10**6, "over 6 months"))


class ReportRow(View):
    """A label, and a figure for each series of the report."""

    label: str
    values: list[float]


class ReportView(View):
    """A table. `over_time`: its rows are months in order, else they are kinds with the largest first."""

    name: str
    title: str
    unit: str
    series: list[str]
    rows: list[ReportRow]
    over_time: bool = False
    note: str = Field(default="", description="What one figure alone would say of it.")


class Reports(Part):
    """The reports, made from the rows whenever they are asked for."""

    def __init__(
        self, database: Database, media: MediaStore, events: Events, given: Settings, dockets: Dockets
    ) -> None:
        super().__init__(database, media, events)
        self._dockets = dockets
        self._verified_within = timedelta(days=given.fixity_days or 90)

    def all(self) -> list[ReportView]:
        lines = self._dockets.lines()
        with self._database.begin() as session:
            return [
                _standing(lines),
                _backlog(lines),
                _months(session),
                _carriers(session),
                _conditions(session),
                _formats(session),
                self._verified(session),
            ]

    def as_csv(self, name: str) -> bytes:
        """Raises Missing."""
        report = next((one for one in self.all() if one.name == name), None)
        if report is None:
            raise Missing(f"there is no report '{name}'", remedy="Choose one of the list")
        rows = [
            (row.label, {series: f"{value:g}" for series, value in zip(report.series, row.values, strict=True)})
            for row in report.rows
        ]
        return to_csv(report.series, rows, key=report.name)

    def _verified(self, session: Session) -> ReportView:
        """Of each docket's newest package: verified of late, longer ago, or found damaged."""
        newest: dict[int, Package] = {}
        for package in session.scalars(select(Package).order_by(Package.id)):
            newest[package.docket_id] = package
        since = now() - self._verified_within
        counts: Counter[str] = Counter()
        for package in newest.values():
            if package.fixity and package.fixity.get("findings"):
                counts["damaged or not as sealed"] += 1
            elif package.verified_at is None:
                counts["sealed, never verified since"] += 1
            else:
                late = package.verified_at >= since
                counts[f"verified {'within' if late else 'longer ago than'} {self._verified_within.days} days"] += 1
        good = sum(count for label, count in counts.items() if label.startswith("verified within"))
        share = f"{100 * good / len(newest):.0f} % verified in time" if newest else "nothing is sealed yet"
        return _ranked("verified", "Proof of what is sealed", "packages", counts, note=share)


def _standing(lines: Iterable[DocketLine]) -> ReportView:
    counts: Counter[str] = Counter(one.standing for one in lines)
    return _ranked("standing", "Dockets by standing", "dockets", counts, note=f"{sum(counts.values())} dockets")


def _backlog(lines: Iterable[DocketLine]) -> ReportView:
    """What is not sealed yet, by the first stage that wants something and by how long nothing was done."""
    today = now()
    counts: dict[str, Counter[str]] = defaultdict(Counter)
    for one in lines:
        if one.standing == "sealed":
            continue
        stage = next((each.stage for each in one.evidence if each.mood != "done"), "seal")
        days = (today - one.changed_at).days
        counts[stage][next(label for most, label in _SPANS if days < most)] += 1
    series = [label for _, label in _SPANS]
    rows = [
        ReportRow(label=stage, values=[counts[stage][label] for label in series])
        for stage in _STAGES
        if stage in counts
    ]
    waiting = sum(sum(held.values()) for held in counts.values())
    return ReportView(
        name="backlog",
        title="Backlog, by what is wanted next",
        unit="dockets",
        series=series,
        rows=rows,
        note=f"{waiting} dockets not sealed",
    )


def _months(session: Session) -> ReportView:
    """Hours of sound taken in, and sealed, by month."""
    taken: dict[str, float] = defaultdict(float)
    seen: set[str] = set()
    for at, sha256, samples, rate_hz in session.execute(
        select(Take.taken_in_at, Take.sha256, Take.samples, Take.rate_hz).order_by(Take.id)
    ):
        if sha256 not in seen:  # a take of both sides is a take of each
            taken[f"{at:%Y-%m}"] += samples / rate_hz / 3600
        seen.add(sha256)
    sealed: dict[str, float] = defaultdict(float)
    first: set[int] = set()
    for package in session.scalars(select(Package).order_by(Package.id)):
        if package.docket_id not in first:
            first.add(package.docket_id)
            for track in package.album["tracks"]:  # as they were checked when it was sealed
                samples = track["end_sample"] - track["start_sample"]
                sealed[f"{package.sealed_at:%Y-%m}"] += samples / track["rate_hz"] / 3600
    months = _through(sorted({*taken, *sealed}))
    rows = [ReportRow(label=month, values=[round(taken[month], 2), round(sealed[month], 2)]) for month in months]
    note = f"{sum(taken.values()):.1f} h taken in, {sum(sealed.values()):.1f} h sealed"
    return ReportView(
        name="months",
        title="Hours by month",
        unit="hours",
        series=["taken in", "sealed"],
        rows=rows,
        over_time=True,
        note=note,
    )


def _through(months: list[str]) -> list[str]:
    """Every month from the first to the last: one without work is seen to be one."""
    if not months:
        return []
    year, month = map(int, months[0].split("-"))
    found = []
    while (here := f"{year:04}-{month:02}") <= months[-1]:
        found.append(here)
        year, month = (year + 1, 1) if month == 12 else (year, month + 1)
    return found


def _carriers(session: Session) -> ReportView:
    counted = session.execute(select(Carrier.format, func.count()).group_by(Carrier.format)).all()
    return _ranked("carriers", "Carriers", "carriers", dict(counted))


def _conditions(session: Session) -> ReportView:
    """What the words that carriers are described with say of their state; one may say several things."""
    counts: Counter[str] = Counter()
    for condition in session.scalars(select(Carrier.condition)):
        words = condition.casefold()
        named = [label for label, begins in _CONDITIONS.items() if re.search(rf"(?<!no )\b(?:{begins})", words)]
        counts.update(named or ["nothing said" if not words.strip() else "something else"])
    return _ranked("condition", "Condition of carriers", "carriers", counts)


def _formats(session: Session) -> ReportView:
    """Files that were brought in, by format and rate."""
    form, rate = func.json_value(BundleFile.facts, "$.format"), func.json_value(BundleFile.facts, "$.rate_hz")
    counts: Counter[str] = Counter()
    for kind, rate_hz, files in session.execute(
        select(form, rate, func.count()).where(BundleFile.kind == "audio").group_by(form, rate)
    ):
        counts[f"{kind or 'unknown'}, {int(rate_hz or 0) / 1000:g} kHz"] += files
    return _ranked("formats", "Files brought in", "files", counts)


def _ranked(name: str, title: str, unit: str, counts: Mapping[str, int], *, note: str = "") -> ReportView:
    ranked = sorted(counts.items(), key=lambda pair: (-pair[1], pair[0]))
    rows = [ReportRow(label=label, values=[count]) for label, count in ranked]
    return ReportView(name=name, title=title, unit=unit, series=[unit], rows=rows, note=note)
