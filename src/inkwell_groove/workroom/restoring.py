"""Starting points, the application's own and saved ones, and many sides restored from one in as many jobs."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from inkwell_groove.core.description import clean_text
from inkwell_groove.core.errors import Conflict, Missing, Refused
from inkwell_groove.core.restoration.starting import STARTING_POINTS, StartingPoint
from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import Docket, Job, Side, StoredStartingPoint, now
from inkwell_groove.workroom import ledger
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.jobs.arguments import Restore
from inkwell_groove.workroom.jobs.kind import AnyKind, JobKind, Result
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.plans import Plans
from inkwell_groove.workroom.reading import is_disc, plan_of, side_label, side_row, sides_of
from inkwell_groove.workroom.repair_views import RestoredSideView, StartingPointView
from inkwell_groove.workroom.views import JobView

RESTORE = "restore"
_VERSION = "plan_version_id"
_MOST_DOCKETS = 500


class Restoring(Part):
    """What is done to many sides at once."""

    def __init__(self, database: Database, media: MediaStore, events: Events, plans: Plans) -> None:
        super().__init__(database, media, events)
        self._plans = plans

    def kind(self) -> AnyKind:
        return JobKind(RESTORE, "inkwell_groove.workroom.jobs.sides:propose_for", Restore, self._finish)

    def points(self) -> list[StartingPointView]:
        with self._database.begin() as session:
            rows = session.scalars(select(StoredStartingPoint).order_by(StoredStartingPoint.name))
            saved = [StartingPointView(id=row.id, point=_point(row)) for row in rows]
        return [*(StartingPointView(id=None, point=point) for point in STARTING_POINTS.values()), *saved]

    def save(self, side_id: int, name: str, suits: str, *, who: str) -> StartingPointView:
        """Saves a side's steps to start others from. Raises Refused without a name, Conflict where it is taken."""
        name, suits = clean_text(name), clean_text(suits)
        if not name:
            raise Refused("a starting point needs a name", where="name", remedy="Say what it suits")
        with self._database.begin() as session:
            plan = plan_of(side_row(session, side_id))
            if plan is None or plan.restoration.at_rest:
                raise Conflict("nothing is done to this side yet", where="Repair", remedy="Restore it first, then save")
            if any(one.point.name.casefold() == name.casefold() for one in self._all(session)):
                raise Conflict(f"there is a starting point {name}", where="name", remedy="Give another name")
            point = StartingPoint.of(plan.restoration, name=name, suits=suits)
            row = StoredStartingPoint(name=name, document=point.model_dump(mode="json"), made_at=now(), made_by=who)
            session.add(row)
            session.flush()
            ledger.record(session, who=who, action=f"starting point {name} saved", docket_id=None, after=row.document)
            return StartingPointView(id=row.id, point=point)

    def forget(self, point_id: int, *, who: str) -> None:
        """Takes a saved starting point away; what was restored from it stays. The ledger keeps what it said."""
        with self._database.begin() as session:
            row = session.get(StoredStartingPoint, point_id)
            if row is None:
                raise Missing(f"there is no starting point {point_id}", remedy="Look at the list again")
            ledger.record(
                session, who=who, action=f"starting point {row.name} taken away", docket_id=None, before=row.document
            )
            session.delete(row)

    def preview(self, docket_ids: list[int], name: str) -> list[RestoredSideView]:
        """Each side as it is and as it would become. Changes nothing. Raises Missing for an unknown point or docket."""
        with self._database.begin() as session:
            point = self._named(session, name)
            return [_told(side, point) for side in self._sides(session, docket_ids)]

    def begin(self, docket_ids: list[int], name: str, *, who: str) -> list[JobView]:
        """Asks for a job for each side with a take: scanned if it was not, its amount found, its plan changed."""
        with self._database.begin() as session:
            point = self._named(session, name)
            views = []
            for side in self._sides(session, docket_ids):
                take = side.chosen_take
                if take is None or plan_of(side) is None:
                    continue
                docket = side.carrier.docket
                arguments = Restore(
                    sha256=take.sha256,
                    name=take.name,
                    side_id=side.id,
                    point=point.model_dump(mode="json"),
                    who=who,
                )
                subject = f"{docket.shelfmark}, side {side.letter}"
                job = self.jobs.ask(session, RESTORE, docket_id=docket.id, subject=subject, arguments=arguments)
                views.append(JobView.of(job))
        return views

    def undo(self, job_ids: list[int], *, who: str) -> int:
        """Undoes what these jobs did, for every side whose plan is still the one they made; for how many that was.

        Raises Missing for a job that restored nothing.
        """
        with self._database.begin() as session:
            jobs = session.scalars(select(Job).where(Job.id.in_(job_ids), Job.kind == RESTORE)).all()
            if len(jobs) != len(set(job_ids)):
                raise Missing("some of these jobs restored nothing", where="the jobs", remedy="Look at the shelf again")
            made = {int(job.arguments["side_id"]): (job.result or {}).get(_VERSION) for job in jobs}
        return sum(self._plans.undo_version(side_id, version, who=who) for side_id, version in made.items() if version)

    def _finish(self, session: Session, job: Job, arguments: Restore, result: Result) -> None:
        side = side_row(session, arguments.side_id, lock=True)
        plan, take = plan_of(side), side.chosen_take
        if plan is None or take is None or take.sha256 != arguments.sha256:
            raise Conflict(
                "another take was chosen meanwhile", where=side_label(side), remedy="Restore this side again"
            )
        point = StartingPoint.model_validate(arguments.point)
        restoration = point.with_amount(result["amount"], plan.restoration)
        changed = plan.model_copy(update={"restoration": restoration})
        action = f"restored from {point.name}"
        # The job's result says what it made, so that just that can be undone.
        result[_VERSION] = self._plans.add_version(session, side, changed, action, arguments.who)

    def _all(self, session: Session) -> list[StartingPointView]:
        rows = session.scalars(select(StoredStartingPoint))
        own = [StartingPointView(id=None, point=point) for point in STARTING_POINTS.values()]
        return [*own, *(StartingPointView(id=row.id, point=_point(row)) for row in rows)]

    def _named(self, session: Session, name: str) -> StartingPoint:
        found = next((one.point for one in self._all(session) if one.point.name == name), None)
        if found is None:
            raise Missing(f"there is no starting point {name}", remedy="Choose one of the list")
        return found

    @staticmethod
    def _sides(session: Session, docket_ids: list[int]) -> list[Side]:
        if len(docket_ids) > _MOST_DOCKETS:
            raise Refused(f"{len(docket_ids)} dockets at once are too many", remedy=f"Choose at most {_MOST_DOCKETS}")
        sides = []
        for docket_id in dict.fromkeys(docket_ids):
            docket = session.get(Docket, docket_id)
            if docket is None:
                raise Missing(f"there is no docket {docket_id}", remedy="Look at the shelf again")
            sides += [side for side in sides_of(docket) if not is_disc(side)]
        return sides


def _point(row: StoredStartingPoint) -> StartingPoint:
    return StartingPoint.model_validate(row.document)


def _told(side: Side, point: StartingPoint) -> RestoredSideView:
    plan = plan_of(side)
    least, most = point.least_amount, point.most_amount
    amount = f"{least:g}" if least == most else f"{least:g} to {most:g}, as the side says"
    kept = plan.restoration if plan is not None else None
    return RestoredSideView(
        side_id=side.id,
        docket_id=side.carrier.docket_id,
        shelfmark=side.carrier.docket.shelfmark,
        side=side_label(side),
        before=plan.restoration.in_short() if plan is not None else "",
        after=f"amount {amount}, {point.with_amount(least, kept).in_short(amount=False)}".rstrip(", "),
        lacks=None if side.chosen_take is not None and plan is not None else "no recording yet",
    )
