"""The takes of a side: added, chosen, divided at a turn-over, joined into one, compared."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from inkwell_groove.core.audio.sound import SoundFormat
from inkwell_groove.core.errors import Conflict, Missing, Refused
from inkwell_groove.core.planning.disc import disc_plan
from inkwell_groove.core.planning.found_tracks import halves
from inkwell_groove.core.planning.plan import Plan
from inkwell_groove.core.transfer.compare import Comparison
from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import Job, Side, Take, now
from inkwell_groove.workroom import ledger
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.jobs.arguments import CompareTakes, Join
from inkwell_groove.workroom.jobs.kind import AnyKind, JobKind, Lane, Result, finish_nothing
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.plans import Plans
from inkwell_groove.workroom.reading import is_disc, not_of_disc, plan_of, side_label, side_row, sides_of
from inkwell_groove.workroom.views import JobView, Knowledge

JOIN, COMPARE = "join takes", "compare takes"


class Takes(Part):
    """What is done with takes once they are there."""

    def __init__(self, database: Database, media: MediaStore, events: Events, plans: Plans) -> None:
        super().__init__(database, media, events)
        self._plans = plans

    def kinds(self) -> list[AnyKind]:
        functions = "inkwell_groove.workroom.jobs.takes"
        return [
            JobKind(JOIN, f"{functions}:join", Join, self._joined),
            JobKind(COMPARE, f"{functions}:compare", CompareTakes, finish_nothing, lane=Lane.QUICK),
        ]

    def add(self, session: Session, side: Side, take: Take, *, who: str, known: Knowledge | None = None) -> None:
        """Puts a new take on a side; if it is the first it is chosen, and its tracks are found with what is known.

        In the caller's transaction.
        """
        take.side = side
        session.add(take)
        session.flush()
        if side.chosen_take_id is None:
            self._choose(session, side, take, who)
            self._plans.ask_to_find(session, side, known or Knowledge(), who=who)
        side.carrier.docket.changed_at = now()

    def choose(self, side_id: int, take_id: int, *, who: str) -> None:
        """Makes another take the side's chosen one. The plan begins anew: its samples are another take's."""
        with self._database.begin() as session:
            side = side_row(session, side_id, lock=True)
            take = self._of(side, take_id)
            before = {"take_id": side.chosen_take_id, "plan_version": side.plan_version_id}
            docket = side.carrier.docket
            self._choose(session, side, take, who)
            docket.changed_at = now()
            ledger.record(
                session,
                who=who,
                action=f"{side_label(side)}: take {take.name} chosen",
                docket_id=docket.id,
                before=before,
                after={"take_id": take.id, "plan_version": side.plan_version_id},
            )
            if not is_disc(side):
                self._plans.ask_to_find(session, side, Knowledge(), who=who)
        self._events.docket_changed(docket.id)

    def divide(self, take_id: int, *, other_side_id: int, at_sample: int, who: str) -> None:
        """Says where in a take another side begins: that side gets the take too, from there on.

        Raises Missing, Refused for a place outside the take, Conflict where the other side has this take already.
        """
        with self._database.begin() as session:
            take = session.get(Take, take_id)
            if take is None:
                raise Missing(f"there is no take {take_id}", remedy="Reload the docket")
            not_of_disc(take.side, "it has one side")
            docket = take.side.carrier.docket
            other = next((one for one in sides_of(docket) if one.id == other_side_id), None)
            if other is None or other.id == take.side_id:
                raise Missing(f"there is no other side {other_side_id}", remedy="Choose another side of this docket")
            if not 0 < at_sample < take.samples:
                raise Refused(
                    f"sample {at_sample} is not inside the take's {take.samples}",
                    where="turn-over",
                    remedy="Give a time within the take",
                )
            if any(one.sha256 == take.sha256 for one in other.takes):
                raise Conflict(
                    f"{side_label(other)} has this take already", where=take.name, remedy="Move its tracks instead"
                )
            plan = plan_of(take.side)
            before, after = halves(plan, at_sample) if plan is not None else (None, None)
            second = copy_of(take)
            second.side_start_sample, second.side_end_sample = at_sample, take.side_end_sample
            self.add(session, other, second, who=who, known=Knowledge(durations_s=after))
            if other.chosen_take_id != second.id:
                self._choose(session, other, second, who)
                self._plans.ask_to_find(session, other, Knowledge(durations_s=after), who=who)
            take.side_end_sample = at_sample
            if take.side.chosen_take_id == take.id:
                self._choose(session, take.side, take, who)
                self._plans.ask_to_find(session, take.side, Knowledge(durations_s=before), who=who)
            ledger.record(
                session,
                who=who,
                action=f"{take.name}: {side_label(other)} begins at sample {at_sample}",
                docket_id=docket.id,
                after={"take_id": take.id, "other_take_id": second.id, "at_sample": at_sample},
            )
            docket_id = docket.id
        self._events.docket_changed(docket_id)

    def join(self, side_id: int, take_ids: list[int], *, who: str) -> JobView:
        """Asks for a take that has these takes of a side one behind the other. They stay as they are.

        Raises Missing, Refused where there are fewer than two or their rate, channels or word differ.
        """
        with self._database.begin() as session:
            side = side_row(session, side_id, lock=True)
            not_of_disc(side, "its readings are put together by themselves")
            takes = [self._of(side, take_id) for take_id in take_ids]
            if len(takes) < 2:
                raise Refused("one take alone cannot be joined", where=side_label(side), remedy="Choose two or more")
            first = takes[0]
            for take in takes:
                if not take.lossless or (take.rate_hz, take.channels, take.word) != (
                    first.rate_hz,
                    first.channels,
                    first.word,
                ):
                    raise Refused(
                        f"{take.name} is {take.rate_hz} Hz {take.word}, {first.name} {first.rate_hz} Hz {first.word}",
                        where=side_label(side),
                        remedy="Join takes of one rate and word length; nothing is converted unasked",
                    )
            arguments = Join(
                side_id=side_id,
                take_ids=take_ids,
                sha256s=[take.sha256 for take in takes],
                name=f"{side_label(side)}, {len(takes)} takes joined.wav",
                note="Joined from " + ", then ".join(take.name for take in takes) + ".",
                who=who,
            )
            docket = side.carrier.docket
            job = self.jobs.ask(session, JOIN, docket_id=docket.id, subject=side_label(side), arguments=arguments)
            return JobView.of(job)

    def compare(self, first_id: int, second_id: int) -> JobView:
        """Asks for two takes to be compared; `comparison` has the answer once the job is done. Raises Missing."""
        with self._database.begin() as session:
            takes = [session.get(Take, take_id) for take_id in (first_id, second_id)]
            if takes[0] is None or takes[1] is None:
                raise Missing("one of these takes is not there", remedy="Reload the docket")
            arguments = CompareTakes(
                sha256s=[take.sha256 for take in takes if take], names=[take.name for take in takes if take]
            )
            docket_id = takes[0].side.carrier.docket_id
            job = self.jobs.ask(session, COMPARE, docket_id=docket_id, subject=takes[0].name, arguments=arguments)
            return JobView.of(job)

    def comparison(self, job_id: int) -> Comparison:
        """What a comparison found. Raises Missing while it is not done."""
        with self._database.begin() as session:
            job = session.get(Job, job_id)
            if job is None or job.kind != COMPARE or job.state != "done" or job.result is None:
                raise Missing(f"comparison {job_id} is not done", remedy="Wait for its job to end")
            return Comparison.model_validate(job.result)

    def _joined(self, session: Session, job: Job, arguments: Join, result: Result) -> None:
        side = side_row(session, arguments.side_id, lock=True)
        take = made_take(result, name=arguments.name, note=arguments.note, who=arguments.who)
        self.add(session, side, take, who=arguments.who)
        before = {"take_id": side.chosen_take_id}
        self._choose(session, side, take, arguments.who)
        self._plans.ask_to_find(session, side, Knowledge(), who=arguments.who)
        ledger.record(
            session,
            who=arguments.who,
            action=f"{side_label(side)}: {len(arguments.take_ids)} takes joined and chosen",
            docket_id=side.carrier.docket_id,
            before=before,
            after={"take_id": take.id, "sha256": take.sha256, "of": arguments.take_ids},
        )

    def _choose(self, session: Session, side: Side, take: Take, who: str) -> None:
        before = plan_of(side)
        plan = Plan(
            take_sha256=take.sha256,
            take_samples=take.samples,
            side_start_sample=take.side_start_sample,
            side_end_sample=take.side_end_sample,
            gaps=before.gaps if before else "kept",
        )
        if before is not None and before.disc is not None:
            plan = disc_plan(before.disc, take.sha256, disc_number=side.carrier.number)
        self._plans.begin_anew(session, side, take, plan, "take chosen", who)

    @staticmethod
    def _of(side: Side, take_id: int) -> Take:
        take = next((one for one in side.takes if one.id == take_id), None)
        if take is None:
            raise Missing(f"this side has no take {take_id}", remedy="Reload the docket")
        return take


def made_take(
    result: dict[str, Any], *, name: str, who: str, note: str = "", transferred: dict[str, Any] | None = None
) -> Take:
    """A take's row from what a job says of its file."""
    form = SoundFormat.model_validate(result["format"])
    return Take(
        name=name[-255:],
        sha256=result["sha256"],
        size_bytes=result["size_bytes"],
        note=note or result.get("note", ""),
        sample_peak_dbfs=result["sample_peak_dbfs"],
        clipped_runs=result["clipped_runs"],
        taken_in_at=now(),
        taken_in_by=who,
        transferred=transferred,
        side_start_sample=0,
        **form.model_dump(exclude={"duration_s", "is_float", "bits"}),
    )


def copy_of(take: Take) -> Take:
    """Another row for the same file: a take of two sides belongs to both."""
    columns = [column.key for column in Take.__table__.columns if column.key not in ("id", "side_id")]
    return Take(**{name: getattr(take, name) for name in columns})
