"""A side's plan: edited, undone and redone, each change a new version; and tracks found by the machine."""

from __future__ import annotations

import uuid
from collections.abc import Collection, Mapping
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from inkwell_groove.core.audio.soundfiles import FileReader
from inkwell_groove.core.errors import Conflict, Missing, Outdated
from inkwell_groove.core.planning import edits as plan_edits
from inkwell_groove.core.planning.edits import MoveEdge, PlanEdit
from inkwell_groove.core.planning.found_tracks import fixed_joins, laid
from inkwell_groove.core.planning.plan import Edge, Plan
from inkwell_groove.core.tracks.found import FoundTracks
from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import Job, PlanVersion, Side, Take, now
from inkwell_groove.workroom import ledger
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.heard import Grounds
from inkwell_groove.workroom.jobs.arguments import FindTracks
from inkwell_groove.workroom.jobs.kind import AnyKind, JobKind, Lane, Result
from inkwell_groove.workroom.ledger import WayBack
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.reading import newest_child, not_of_disc, plan_of, plan_view, side_label, side_row
from inkwell_groove.workroom.taking_back import Going, Gone, Way
from inkwell_groove.workroom.views import JobView, Knowledge, PlanView, SnapTo

FIND = "find tracks"
_WITHOUT_TAKE = "Drop a recording on it first"


class Plans(Part):
    """Edits, undo and redo, and the finder."""

    def __init__(self, database: Database, media: MediaStore, events: Events) -> None:
        super().__init__(database, media, events)
        self._grounds = Grounds(media)

    def kind(self) -> AnyKind:
        return JobKind(FIND, "inkwell_groove.workroom.jobs.sides:find", FindTracks, self._finish, lane=Lane.QUICK)

    def current(self, side_id: int) -> PlanView:
        """Return a side's plan as it is now. Raises Missing if there is no such side, or it has no take yet."""
        with self._database.begin() as session:
            side = side_row(session, side_id)
            view = plan_view(side, newest_child(session, side.plan_version_id or 0))
            if view is None:
                raise Missing("this side has no take yet", where=side_label(side), remedy=_WITHOUT_TAKE)
            return view

    def edit(self, side_id: int, edit: PlanEdit, *, based_on: Collection[int] | None, who: str) -> PlanView:
        """The plan after an edit, as a new version.

        `based_on` holds the versions that the edit may be made on; None is any. Raises Outdated if the current one is
        another, Conflict if the side has no take, Missing or Refused if the edit cannot be done.
        """
        with self._database.begin() as session:
            side = side_row(session, side_id, lock=True)
            not_of_disc(side, "its tracks are where its table of contents says")
            plan, take = plan_of(side), side.chosen_take
            if plan is None or take is None:
                raise Conflict("this side has no take yet", where=side_label(side), remedy=_WITHOUT_TAKE)
            _check_version(side, based_on)
            action = plan_edits.in_words(plan, edit)
            changed = plan_edits.apply(plan, edit, rate_hz=take.rate_hz, new_key=new_track_key, who=who)
            if changed != plan:
                self.add_version(session, side, changed, action, who)
            view = plan_view(side, newest_child(session, side.plan_version_id or 0))
            docket_id = side.carrier.docket_id
        self._events.docket_changed(docket_id)
        assert view is not None
        return view

    def undo(self, side_id: int, *, based_on: Collection[int] | None, who: str) -> PlanView:
        """Go back to the version from which the current one was made.

        Raises Outdated if the current version is none of `based_on`, Conflict if there is nothing to undo.
        """
        return self._step(side_id, based_on, who, back=True)

    def undo_version(self, side_id: int, version_id: int, *, who: str) -> bool:
        """Undoes one version of a side's plan, if it still is the current one; whether it was."""
        with self._database.begin() as session:
            side = side_row(session, side_id, lock=True)
            if side.plan_version_id != version_id:
                return False
            docket_id = self._stepped(session, side_id, who, back=True).carrier.docket_id
        self._events.docket_changed(docket_id)
        return True

    def redo(self, side_id: int, *, based_on: Collection[int] | None, who: str) -> PlanView:
        """Go to the newest version that was made from the current one. Raises as `undo` does."""
        return self._step(side_id, based_on, who, back=False)

    def _step(self, side_id: int, based_on: Collection[int] | None, who: str, *, back: bool) -> PlanView:
        with self._database.begin() as session:
            _check_version(side_row(session, side_id, lock=True), based_on)
            side = self._stepped(session, side_id, who, back=back)
            view = plan_view(side, newest_child(session, side.plan_version_id or 0))
            docket_id = side.carrier.docket_id
        self._events.docket_changed(docket_id)
        assert view is not None
        return view

    @staticmethod
    def _stepped(session: Session, side_id: int, who: str, *, back: bool) -> Side:
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
        return side

    def find_tracks(self, side_id: int, known: Knowledge, *, who: str) -> JobView:
        """Asks for the job that finds the side's tracks. Raises Conflict where the side has no take, Refused for what
        cannot be known.
        """
        from inkwell_groove.core.tracks.finder import known_of  # takes most of a second to load, once

        known_of(count=known.count, durations_s=known.durations_s)
        with self._database.begin() as session:
            side = side_row(session, side_id, lock=True)
            not_of_disc(side, "its tracks are where its table of contents says")
            if side.chosen_take is None:
                raise Conflict("this side has no take yet", where=side_label(side), remedy=_WITHOUT_TAKE)
            return JobView.of(self.ask_to_find(session, side, known, who=who))

    def ask_to_find(self, session: Session, side: Side, known: Knowledge, *, who: str) -> Job:
        take, plan = side.chosen_take, plan_of(side)
        assert take is not None
        fixed = fixed_joins(plan, take.rate_hz) if plan is not None and known.keep else []
        arguments = FindTracks(
            sha256=take.sha256,
            name=take.name,
            side_id=side.id,
            side_start_sample=take.side_start_sample,
            side_end_sample=take.side_end_sample,
            **known.model_dump(mode="json", exclude={"keep"}),
            fixed=[one.model_dump() for one in fixed],
            who=who,
        )
        subject = f"{side.carrier.docket.shelfmark}, side {side.letter}"
        return self.jobs.ask(session, FIND, docket_id=side.carrier.docket_id, subject=subject, arguments=arguments)

    def preview(self, side_id: int, known: Knowledge) -> FoundTracks:
        """What finding would find, with nothing changed: fast enough to follow a slider once the side was heard.

        Raises Conflict where the side has no take, Refused for what cannot be known.
        """
        from inkwell_groove.core.tracks.finder import fitted, known_of, places_of

        with self._database.begin() as session:
            side = side_row(session, side_id)
            take, plan = side.chosen_take, plan_of(side)
            if take is None:
                raise Conflict("this side has no take yet", where=side_label(side), remedy="Record it or bring a file")
            fixed = fixed_joins(plan, take.rate_hz) if plan is not None and known.keep else []
            place = (take.sha256, take.name, take.side_start_sample or 0, take.side_end_sample)
        told = known_of(count=known.count, durations_s=known.durations_s, settings=known.settings, fixed=fixed)
        ground = self._grounds.of(*place)
        places = places_of(ground, sensitivity=known.settings.sensitivity)
        return fitted(ground, places, told).moved(place[2])

    def snap(
        self, side_id: int, track_key: str, edge: Edge, to: SnapTo, *, based_on: Collection[int] | None, who: str
    ) -> PlanView:
        """Moves one end of a track to the quietest moment, or the zero crossing, near it."""
        from inkwell_groove.core.tracks.snap import snapped

        with self._database.begin() as session:
            side = side_row(session, side_id)
            plan, take = plan_of(side), side.chosen_take
            if plan is None or take is None:
                raise Conflict("this side has no take yet", where=side_label(side), remedy="Record it or bring a file")
            track = plan.tracks[plan.index_of(track_key)]
            sha256, name = take.sha256, take.name
        now = track.start_sample if edge == "start" else track.end_sample
        with FileReader(self._media.take(sha256), name=name) as reader:
            sample = snapped(reader, now, to, plan.side_start_sample, plan.end_sample)
        move = MoveEdge(op="move edge", track_key=track_key, edge=edge, to_sample=sample)
        return self.edit(side_id, move, based_on=based_on, who=who)

    def _finish(self, session: Session, job: Job, arguments: FindTracks, result: Result) -> None:
        side = side_row(session, arguments.side_id, lock=True)
        plan, take = plan_of(side), side.chosen_take
        if plan is None or take is None or take.sha256 != arguments.sha256:
            raise Conflict("another take was chosen meanwhile", where=side_label(side), remedy="Find the tracks again")
        found = FoundTracks.model_validate(result)
        catalogue_s = tuple(arguments.durations_s or ())
        changed = laid(plan, found, catalogue_s, new_track_key)
        count = len(changed.tracks)
        action = f"{count} track{'s' if count != 1 else ''} found"
        self.add_version(session, side, changed, action, arguments.who)

    @staticmethod
    def begin_anew(session: Session, side: Side, take: Take, plan: Plan, action: str, who: str) -> None:
        """Makes a take the side's chosen one, with a plan that has nothing before it. In the caller's transaction."""
        version = PlanVersion(
            side_id=side.id,
            parent_id=None,
            document=plan.model_dump(mode="json"),
            action=action,
            made_at=now(),
            made_by=who,
        )
        session.add(version)
        session.flush()
        side.chosen_take, side.plan_version = take, version
        session.flush()

    def add_version(self, session: Session, side: Side, plan: Plan, action: str, who: str) -> int:
        """Makes another plan the side's current one, in the caller's transaction; the id of its version."""
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
            way_back=WayBack("plan", [side.id, version.id]),
        )
        return version.id

    def way_back(self) -> Way:
        return Way(self._open_among, self._go_back)

    def _open_among(self, session: Session, noted: Mapping[int, Any]) -> set[int]:
        """Those that made a side's current plan from another: an older change is undone after what was built on it."""
        wanted = [version_id for _, version_id in noted.values()]
        current = select(Side.plan_version_id).join(Side.plan_version)
        current = current.where(Side.plan_version_id.in_(wanted), PlanVersion.parent_id.is_not(None))
        standing = set(session.scalars(current))
        return {key for key, (_, version_id) in noted.items() if version_id in standing}

    def _go_back(self, session: Session, noted: list[int], going: Going) -> Gone:
        side = self._stepped(session, noted[0], going.who, back=True)
        return Gone({side.carrier.docket_id})


def _check_version(side: Side, based_on: Collection[int] | None) -> None:
    """Raise Outdated if the side's plan is none of the versions that a change may be made on."""
    if based_on is not None and side.plan_version_id not in based_on:
        raise Outdated("the joins were changed elsewhere", where=side_label(side), remedy="Look again, then repeat")


def new_track_key() -> str:
    return uuid.uuid4().hex[:12]
