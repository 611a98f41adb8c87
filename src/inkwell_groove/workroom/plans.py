"""A side's plan: edited, undone and redone, each change a new version; and tracks found by the machine."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from typing import Any

from sqlalchemy.orm import Session

from inkwell_groove.core import plan_edits
from inkwell_groove.core.errors import Conflict
from inkwell_groove.core.plan import Plan, TrackSpan, with_tracks
from inkwell_groove.core.plan_edits import PlanEdit
from inkwell_groove.core.tracks.found import FoundTracks
from inkwell_groove.store.models import Job, PlanVersion, Side, now
from inkwell_groove.workroom import ledger
from inkwell_groove.workroom.jobs.runner import JobKind
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.reading import newest_child, plan_of, plan_view, side_label, side_row
from inkwell_groove.workroom.views import JobView, PlanView

FIND = "find tracks"


class Plans(Part):
    """Edits, undo and redo, and the finder."""

    def kind(self) -> JobKind:
        return JobKind(FIND, "inkwell_groove.workroom.jobs.work:find", self._finish)

    def edit(self, side_id: int, edit: PlanEdit, *, based_on: int, who: str) -> PlanView:
        """The plan after an edit, as a new version.

        `based_on` is the version the archivist saw. Raises Conflict where it is no longer the current one, Missing or
        Refused where the edit cannot be done.
        """
        with self._database.begin() as session:
            side = side_row(session, side_id, lock=True)
            plan, take = plan_of(side), side.chosen_take
            if plan is None or take is None:
                raise Conflict(
                    "this side has no take yet", where=side_label(side), remedy="Drop a recording on it first"
                )
            if side.plan_version_id != based_on:
                raise Conflict(
                    "the joins were changed elsewhere", where=side_label(side), remedy="Look again, then repeat"
                )
            action = plan_edits.in_words(plan, edit)
            changed = plan_edits.apply(plan, edit, rate_hz=take.rate_hz, new_key=new_track_key)
            if changed != plan:
                self._add_version(session, side, changed, action, who)
            view = plan_view(side, newest_child(session, side.plan_version_id or 0))
            docket_id = side.carrier.docket_id
        self._events.docket_changed(docket_id)
        assert view is not None
        return view

    def undo(self, side_id: int, *, who: str) -> PlanView:
        """Goes back to the version this one was made from. Raises Conflict where there is none."""
        return self._step(side_id, who, back=True)

    def redo(self, side_id: int, *, who: str) -> PlanView:
        """Goes to the newest version made from this one. Raises Conflict where there is none."""
        return self._step(side_id, who, back=False)

    def _step(self, side_id: int, who: str, *, back: bool) -> PlanView:
        with self._database.begin() as session:
            side = side_row(session, side_id, lock=True)
            version = side.plan_version
            target = None
            if version is not None and back and version.parent_id is not None:
                target = session.get_one(PlanVersion, version.parent_id)
            elif version is not None and not back:
                target = newest_child(session, version.id)
            if version is None or target is None:
                raise Conflict(f"there is nothing to {'undo' if back else 'redo'}", where=side_label(side))
            side.plan_version = target
            side.carrier.docket.changed_at = now()
            session.flush()
            done = f"undone: {version.action}" if back else f"redone: {target.action}"
            ledger.record(
                session,
                who=who,
                action=f"{side_label(side)}: {done}",
                docket_id=side.carrier.docket_id,
                before={"plan_version": version.id},
                after={"plan_version": target.id},
            )
            view = plan_view(side, newest_child(session, side.plan_version_id or 0))
            docket_id = side.carrier.docket_id
        self._events.docket_changed(docket_id)
        assert view is not None
        return view

    def find_tracks(
        self, side_id: int, *, count: int | None, durations_s: Sequence[float | None] | None, who: str
    ) -> JobView:
        """Asks for the job that finds the side's tracks. Raises Conflict where the side has no take."""
        with self._database.begin() as session:
            side = side_row(session, side_id, lock=True)
            if side.chosen_take is None:
                raise Conflict(
                    "this side has no take yet", where=side_label(side), remedy="Drop a recording on it first"
                )
            view = JobView.of(self.ask_to_find(session, side, count=count, durations_s=durations_s, who=who))
        self.jobs.wake()
        return view

    def ask_to_find(
        self,
        session: Session,
        side: Side,
        *,
        count: int | None,
        who: str,
        durations_s: Sequence[float | None] | None = None,
    ) -> Job:
        take = side.chosen_take
        assert take is not None
        arguments = {
            "media_root": str(self._media.root),
            "sha256": take.sha256,
            "name": take.name,
            "side_id": side.id,
            "side_start_sample": take.side_start_sample,
            "side_end_sample": take.side_end_sample,
            "count": count,
            "durations_s": None if durations_s is None else list(durations_s),
            "who": who,
        }
        subject = f"{side.carrier.docket.shelfmark}, side {side.letter}"
        return self.jobs.ask(session, FIND, docket_id=side.carrier.docket_id, subject=subject, arguments=arguments)

    def _finish(self, session: Session, job: Job, result: dict[str, Any]) -> None:
        side = side_row(session, job.arguments["side_id"], lock=True)
        plan, take = plan_of(side), side.chosen_take
        if plan is None or take is None or take.sha256 != job.arguments["sha256"]:
            raise Conflict("another take was chosen meanwhile", where=side_label(side), remedy="Find the tracks again")
        found = FoundTracks.model_validate(result)
        spans = tuple(
            TrackSpan(
                # Tracks keep their keys, and so their titles, by their order.
                key=plan.tracks[index].key if index < len(plan.tracks) else new_track_key(),
                start_sample=track.start_sample,
                end_sample=track.end_sample,
                confidence=track.confidence,
            )
            for index, track in enumerate(found.tracks)
        )
        action = f"{len(spans)} track{'s' if len(spans) != 1 else ''} found"
        self._add_version(session, side, with_tracks(plan, spans), action, job.arguments["who"])

    def _add_version(self, session: Session, side: Side, plan: Plan, action: str, who: str) -> None:
        before = side.plan_version_id
        version = PlanVersion(
            side_id=side.id,
            parent_id=before,
            document=plan.model_dump(mode="json"),
            action=action,
            made_at=now(),
            made_by=who,
        )
        session.add(version)
        session.flush()
        side.plan_version = version
        side.carrier.docket.changed_at = now()
        session.flush()
        ledger.record(
            session,
            who=who,
            action=f"{side_label(side)}: {action}",
            docket_id=side.carrier.docket_id,
            before={"plan_version": before},
            after={"plan_version": version.id},
        )


def new_track_key() -> str:
    return uuid.uuid4().hex[:12]
