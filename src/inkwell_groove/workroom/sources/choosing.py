"""Choosing a pressing, and laying its tracks on those that are here."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from inkwell_groove.core.errors import Conflict, Missing, Refused
from inkwell_groove.core.matching.laying import Known, Pair, laid_on
from inkwell_groove.core.matching.release import SourceRelease
from inkwell_groove.core.matching.score import listed, verdict
from inkwell_groove.store.database import Database, after_commit
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import Docket, LookUp, OwnRelease, SourceChoice, now
from inkwell_groove.workroom import ledger
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.ledger import WayBack
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.plans import Plans
from inkwell_groove.workroom.reading import docket_row, is_disc, sides_of
from inkwell_groove.workroom.sources.look_ups import LookUps
from inkwell_groove.workroom.sources.showing import entry_views, look_up_view, pair_views
from inkwell_groove.workroom.sources.views import ChoiceView, PairView, SourcesView
from inkwell_groove.workroom.sources.wanting import Here, here
from inkwell_groove.workroom.taking_back import Going, Gone, Way
from inkwell_groove.workroom.views import Knowledge

Laid = list[tuple[str | None, int | None]]  # track keys and places in the release


class Choosing(Part):
    """The pressing of a docket, and which of its tracks is which here."""

    def __init__(self, database: Database, media: MediaStore, events: Events, look_ups: LookUps, plans: Plans) -> None:
        super().__init__(database, media, events)
        self._look_ups, self._plans = look_ups, plans

    def view(self, docket_id: int) -> SourcesView:
        """Raises Missing."""
        with self._database.begin() as session:
            docket = docket_row(session, docket_id)
            row, choice = session.get(LookUp, docket_id), session.get(SourceChoice, docket_id)
            known = here(docket, row)
            own = session.scalars(select(OwnRelease.id).where(OwnRelease.docket_id == docket_id)).first()
            return SourcesView(
                sources=self._look_ups.names,
                look_up=look_up_view(row, known) if row else None,
                choice=_choice_view(choice, known) if choice else None,
                is_own=own is not None,
            )

    def choose(self, docket_id: int, key: str, *, lay: bool, who: str) -> SourcesView:
        """Makes a candidate of the look-up the docket's pressing, known by its leading entry's address.

        With `lay` its lengths are laid on the joins of every side that has a recording: a job a side. Raises Missing
        where the look-up has no such candidate.
        """
        with self._database.begin() as session:
            docket, row = docket_row(session, docket_id, lock=True), session.get(LookUp, docket_id)
            found = self._look_ups.candidates(docket, row) if row else ()
            one = next((one for one in found if one.release.address == key), None)
            if one is None or row is None:
                raise Missing("the look-up has no such candidate", where=docket.shelfmark, remedy="Look it up again")
            # The entry that says most of the tracks leads: its places are what pairs count by.
            entries = [one.release, *(entry for entry in one.entries if entry.address != key)]
            choice = session.get(SourceChoice, docket_id)
            before = _snapshot(choice)
            choice = choice or SourceChoice(docket_id=docket_id)
            choice.entries = [entry.model_dump(mode="json", exclude_defaults=True) for entry in entries]
            choice.pairs = []
            choice.taken_back, choice.chosen_at, choice.chosen_by = None, now(), who
            session.add(choice)
            docket.changed_at = now()
            ledger.record(
                session,
                who=who,
                action=f"pressing chosen: {one.release.artist}, {one.release.title}",
                docket_id=docket_id,
                before=_addresses(before),
                after={entry.source: entry.address for entry in entries},
                way_back=_way_back(docket_id, before, choice),
            )
            if lay:
                self._lay_lengths(session, docket, one.release, who)
        self._events.docket_changed(docket_id)
        self._events.publish({"kind": "look-up", "docket_id": docket_id})
        return self.view(docket_id)

    def choose_sure(self, docket_id: int, *, who: str) -> SourcesView:
        """Chooses the likeliest candidate. Raises Conflict where it is not sure."""
        with self._database.begin() as session:
            docket, row = docket_row(session, docket_id), session.get(LookUp, docket_id)
            found = self._look_ups.candidates(docket, row) if row else ()
            if verdict(found) != "sure":
                raise Conflict("its look-up is not sure", where=docket.shelfmark, remedy="Look at its pressings")
            key = found[0].release.address
        return self.choose(docket_id, key, lay=True, who=who)

    def set_pairs(self, docket_id: int, pairs: Laid, *, who: str) -> SourcesView:
        """Which track is which, by hand. Raises Missing, Refused where a track is named twice or is not there."""
        with self._database.begin() as session:
            docket, choice = docket_row(session, docket_id, lock=True), chosen(session, docket_id)
            known, count = here(docket), len(entries_of(choice)[0].tracks)
            keys = [key for key, _ in pairs if key is not None]
            places = [place for _, place in pairs if place is not None]
            wrong = set(keys) - {line.key for line in known.lines} or set(places) - set(range(count))
            if wrong or len(set(keys)) < len(keys) or len(set(places)) < len(places):
                raise Refused(
                    "a track is named twice, or is not there", where="pairs", remedy="Reload; the tracks were changed"
                )
            was, before = _snapshot(choice), choice.pairs
            choice.pairs = [list(one) for one in pairs]
            if before != choice.pairs:
                ledger.record(
                    session,
                    who=who,
                    action="tracks paired by hand",
                    docket_id=docket_id,
                    before={"pairs": before},
                    after={"pairs": choice.pairs},
                    way_back=_way_back(docket_id, was, choice),
                )
        self._events.publish({"kind": "look-up", "docket_id": docket_id})
        return self.view(docket_id)

    def forget(self, docket_id: int, *, who: str) -> SourcesView:
        """No pressing is chosen any more; what was taken from it stays. Raises Missing."""
        with self._database.begin() as session:
            choice = chosen(session, docket_id)
            before = _snapshot(choice)
            session.delete(choice)
            ledger.record(
                session,
                who=who,
                action="no pressing chosen any more",
                docket_id=docket_id,
                before=_addresses(before),
                way_back=_way_back(docket_id, before, None),
            )
        self._events.docket_changed(docket_id)
        return self.view(docket_id)

    def way_back(self) -> Way:
        """Return how a chosen pressing, or one that is no longer chosen, is undone."""
        return Way(_still_chosen, self._go_back)

    def _go_back(self, session: Session, to: Any, going: Going) -> Gone:
        docket = docket_row(session, to["docket"], lock=True)
        choice, before = session.get(SourceChoice, docket.id), to["before"]
        now_chosen = _snapshot(choice)
        if before is None:
            session.delete(choice)
        else:
            choice = choice or SourceChoice(docket_id=docket.id)
            choice.entries, choice.pairs, choice.taken_back = before["entries"], before["pairs"], before["taken_back"]
            choice.chosen_at, choice.chosen_by = datetime.fromisoformat(before["chosen_at"]), before["chosen_by"]
            session.add(choice)
        docket.changed_at = now()
        going.record(session, docket_id=docket.id, before=_addresses(now_chosen), after=_addresses(before))
        after_commit(session, lambda: self._events.publish({"kind": "look-up", "docket_id": docket.id}))
        return Gone({docket.id})

    def _lay_lengths(self, session: Session, docket: Docket, release: SourceRelease, who: str) -> None:
        for side, durations in zip(sides_of(docket), lengths_by_side(docket, release), strict=True):
            if side.chosen_take is None or is_disc(side) or not durations:
                continue
            self._plans.ask_to_find(session, side, Knowledge(durations_s=durations), who=who)


def _snapshot(choice: SourceChoice | None) -> dict[str, Any] | None:
    """Return all of a choice, as the ledger keeps it to bring it back."""
    if choice is None:
        return None
    return {
        "entries": choice.entries,
        "pairs": choice.pairs,
        "taken_back": choice.taken_back,
        "chosen_at": choice.chosen_at.isoformat(),
        "chosen_by": choice.chosen_by,
    }


def _addresses(snapshot: dict[str, Any] | None) -> dict[str, Any] | None:
    """Return what people read of a choice: each source with the address of its entry."""
    if snapshot is None:
        return None
    entries = [SourceRelease.model_validate(one) for one in snapshot["entries"]]
    return {entry.source: entry.address for entry in entries}


def _way_back(docket_id: int, before: dict[str, Any] | None, after: SourceChoice | None) -> WayBack:
    return WayBack("pressing", {"docket": docket_id, "before": before, "after": _digest(_snapshot(after))})


def _digest(snapshot: dict[str, Any] | None) -> str:
    """Return by what a choice is known again: its entries and pairs; empty for none."""
    if snapshot is None:
        return ""
    told = json.dumps([snapshot["entries"], snapshot["pairs"]], sort_keys=True)
    return hashlib.sha256(told.encode()).hexdigest()


def _still_chosen(session: Session, noted: Mapping[int, Any]) -> set[int]:
    return {
        entry
        for entry, to in noted.items()
        if _digest(_snapshot(session.get(SourceChoice, to["docket"]))) == to["after"]
    }


def chosen(session: Session, docket_id: int) -> SourceChoice:
    """Raises Conflict where no pressing is chosen."""
    choice = session.get(SourceChoice, docket_id)
    if choice is None:
        raise Conflict("no pressing is chosen yet", where="sources", remedy="Choose one among the candidates")
    return choice


def entries_of(choice: SourceChoice) -> list[SourceRelease]:
    return [SourceRelease.model_validate(one) for one in choice.entries]


def lengths_by_side(docket: Docket, release: SourceRelease) -> list[list[float | None]]:
    """The release's lengths for each side of a docket; empty where its sides and the docket's do not go together."""
    sides = sides_of(docket)
    if len(release.media) == len(sides):
        return [[track.duration_s for track in medium.tracks] for medium in release.media]
    return [[] for _ in sides]


def paired(choice: SourceChoice, known: Here) -> list[Pair]:
    """Which track is which: laid as the tracks are now, or as somebody paired them by hand.

    Of the latter, tracks that came since stand alone, and those that are gone leave theirs alone.
    """
    release = entries_of(choice)[0]
    if not choice.pairs:
        pairs, _ = laid_on(known.wanted.tracks, listed(release), speed_ratio=known.wanted.speed_ratio)
        return list(pairs)
    places = {line.key: place for place, line in enumerate(known.lines)}
    kept = [(places.get(key), listed) for key, listed in choice.pairs]
    told = listed(release)
    result = [_pair(known, told, place, at) for place, at in kept if place is not None or at is not None]
    met = {one.here for one in result}
    return result + [_pair(known, told, place, None) for place in range(len(known.lines)) if place not in met]


def _pair(known: Here, told: Sequence[Known], place: int | None, at: int | None) -> Pair:
    if place is None or at is None:
        return Pair(here=place, listed=at)
    pairs, _ = laid_on([known.wanted.tracks[place]], [told[at]])
    both = next((one for one in pairs if one.here is not None and one.listed is not None), None)
    one, other = known.wanted.tracks[place].duration_s, told[at].duration_s
    apart = None if one is None or other is None else one - other
    return Pair(here=place, listed=at, difference_s=apart, worth=both.worth if both else -4.0)


def pairs_shown(choice: SourceChoice, known: Here) -> list[PairView]:
    return pair_views(paired(choice, known), known, entries_of(choice)[0])


def _choice_view(choice: SourceChoice, known: Here) -> ChoiceView:
    entries = entries_of(choice)
    return ChoiceView(
        entries=entry_views(entries),
        artist=entries[0].artist,
        title=entries[0].title,
        pairs=pairs_shown(choice, known),
        chosen_at=choice.chosen_at,
        chosen_by=choice.chosen_by,
        can_take_back=choice.taken_back is not None,
    )
