"""Reconciling: the table of fields and sources, values taken from it, and given back."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from inkwell_groove.core.description import RELEASE_FIELDS, TRACK_FIELDS, FieldSpec, field
from inkwell_groove.core.errors import Conflict, Refused
from inkwell_groove.core.matching.fields import release_fields, track_fields
from inkwell_groove.core.matching.laying import laid_on
from inkwell_groove.core.matching.reconcile import MERGED, TYPED, Row, Rule, learnt, merged, row
from inkwell_groove.core.matching.release import SourceRelease
from inkwell_groove.core.matching.score import Scored, listed
from inkwell_groove.core.seen import check_seen
from inkwell_groove.store.models import DescribedValue, Docket, SourceChoice, SourceRule, now
from inkwell_groove.workroom import docket_ways, ledger
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.reading import docket_row
from inkwell_groove.workroom.sources.choosing import chosen, entries_of, paired, pairs_shown
from inkwell_groove.workroom.sources.views import ChangeView, ReconcileView
from inkwell_groove.workroom.sources.wanting import Here, here

Place = tuple[str, str]  # track key, empty for the release; and field


class Take(BaseModel):
    """One value to be taken: whose word for which field. "proposed" takes what is proposed."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    track_key: str = ""
    field: str
    source: str = Field(description=f"A source's name, '{MERGED}', or 'proposed'.")


class Reconciling(Part):
    """What sources say of a docket's chosen pressing, field by field."""

    def view(self, docket_id: int) -> ReconcileView:
        """Raises Missing, Conflict where no pressing is chosen."""
        with self._database.begin() as session:
            docket, choice = docket_row(session, docket_id), chosen(session, docket_id)
            known, rules = here(docket), rules_of(session)
            return ReconcileView(
                sources=[one.source for one in entries_of(choice)],
                rows=[one for one, _ in _rows(docket, choice, known, rules).values()],
                rules=sorted(rules, key=lambda one: (one.field, not one.prefers, one.source)),
                pairs=pairs_shown(choice, known),
            )

    def take(self, docket_id: int, wanted: Sequence[Take], *, learn: bool, who: str) -> ReconcileView:
        """Takes values, each with its origin. What was typed in stays as it is, and so does what no source says.

        With `learn`, whose word was taken is remembered for each field once. Raises Missing, Conflict, Refused for a
        field or source that there is not.
        """
        with self._database.begin() as session:
            docket, choice = docket_row(session, docket_id, lock=True), chosen(session, docket_id)
            rules = rules_of(session)
            rows = _rows(docket, choice, here(docket), rules)
            values: dict[Place, tuple[str, str]] = {}
            for one in wanted:
                if (one.track_key, one.field) not in rows:
                    field(TRACK_FIELDS if one.track_key else RELEASE_FIELDS, one.field)
                    continue  # no source says anything of it
                shown, said = rows[one.track_key, one.field]
                if shown.value and shown.origin == TYPED:
                    continue
                value, origin = _word_of(one.source, shown, said)
                if value:
                    values[one.track_key, one.field] = value, origin
                    if learn:
                        rules = learnt(rules, one.field, one.source, said)
            _keep_rules(session, rules)
            self._put(session, docket, choice, values, who)
        self._events.docket_changed(docket_id)
        return self.view(docket_id)

    def take_proposed(self, docket_id: int, *, who: str) -> ReconcileView:
        """Takes everything that is proposed."""
        rows = self.view(docket_id).rows
        wanted = [Take(track_key=one.track_key, field=one.field, source="proposed") for one in rows]
        return self.take(docket_id, wanted, learn=False, who=who)

    def changes(self, session: Session, docket: Docket, candidate: Scored) -> list[ChangeView]:
        """What taking everything proposed would change, were this pressing chosen."""
        entries = [candidate.release, *(one for one in candidate.entries if one is not candidate.release)]
        known = here(docket)
        numbers = {line.key: line.number for line in known.lines}
        imagined = SourceChoice(entries=[one.model_dump(mode="json") for one in entries], pairs=[])
        return [
            ChangeView(
                label=f"{one.label} of track {numbers[one.track_key]}" if one.track_key else one.label,
                before=one.value,
                after=one.proposed,
            )
            for one, _ in _rows(docket, imagined, known, rules_of(session)).values()
            if one.proposed and one.proposed != one.value
        ]

    def take_back(self, docket_id: int, *, who: str) -> ReconcileView:
        """Gives back what stood before the last values were taken. Raises Conflict where there is nothing."""
        with self._database.begin() as session:
            docket, choice = docket_row(session, docket_id, lock=True), chosen(session, docket_id)
            if not choice.taken_back:
                raise Conflict("there is nothing to take back", where=docket.shelfmark)
            present = {(one.track_key, one.field): one for one in docket.fields}
            for key, name, value, origin in choice.taken_back:
                kept = present.get((key, name))
                if not value and kept is not None:
                    docket.fields.remove(kept)
                    session.delete(kept)
                elif value:
                    _set(docket, kept, (key, name), value, origin)
            count, choice.taken_back = len(choice.taken_back), None
            docket.changed_at = now()
            ledger.record(session, who=who, action=f"{count} values from sources taken back", docket_id=docket_id)
        self._events.docket_changed(docket_id)
        return self.view(docket_id)

    def set_rule(self, name: str, source: str, *, fixed: bool, who: str, seen: str | None = None) -> None:
        """Prefer a source for a field by hand, or forget all that was learnt of that field.

        `seen` is the source that is preferred as far as is known. Raises Refused, or ChangedMeanwhile if another is.
        """
        if name not in {spec.name for spec in (*RELEASE_FIELDS, *TRACK_FIELDS)}:
            raise Refused(f"there is no field '{name}'", remedy="Choose one of the table's")
        with self._database.begin() as session:
            rows = session.scalars(select(SourceRule).where(SourceRule.field == name).with_for_update())
            preferred = next((one.source for one in rows if one.fixed), "")
            if seen is not None:
                check_seen([(f"preferred source of {name}", seen, preferred, source if fixed else "")])
            session.execute(delete(SourceRule).where(SourceRule.field == name))
            if fixed:
                session.add(SourceRule(field=name, source=source, taken=0, passed_over=0, fixed=True))
            action = f"{name.replace('_', ' ')}: {f'{source} is preferred' if fixed else 'no source is preferred'}"
            ledger.record(session, who=who, action=action, docket_id=None)

    def _put(
        self,
        session: Session,
        docket: Docket,
        choice: SourceChoice,
        values: Mapping[Place, tuple[str, str]],
        who: str,
    ) -> None:
        present = {(one.track_key, one.field): one for one in docket.fields}
        before: list[list[str]] = []
        after: dict[str, Any] = {}
        noted: list[docket_ways.Described] = []
        for (key, name), (value, origin) in values.items():
            kept = present.get((key, name))
            if kept is not None and (kept.value, kept.origin) == (value, origin):
                continue
            before.append([key, name, kept.value if kept else "", kept.origin if kept else ""])
            label = f"{name.replace('_', ' ')} {key}".strip()
            after[label] = f"{value} ({origin})"
            noted.append((key, name, label, kept.value if kept else "", kept.origin if kept else "", value))
            _set(docket, kept, (key, name), value, origin)
        if not after:
            return
        choice.taken_back, docket.changed_at = before, now()
        ledger.record(
            session,
            who=who,
            action=f"{len(after)} value{'s' if len(after) > 1 else ''} taken from sources",
            docket_id=docket.id,
            before={f"{name.replace('_', ' ')} {key}".strip(): value for key, name, value, _ in before},
            after=after,
            way_back=docket_ways.described(docket.id, noted),
        )


def _set(docket: Docket, kept: DescribedValue | None, place: Place, value: str, origin: str) -> None:
    if kept is None:
        key, name = place
        docket.fields.append(DescribedValue(track_key=key, field=name, value=value, origin=origin, changed_at=now()))
    else:
        kept.value, kept.origin, kept.changed_at = value, origin, now()


def rules_of(session: Session) -> tuple[Rule, ...]:
    rows = session.scalars(select(SourceRule))
    return tuple(
        Rule(field=one.field, source=one.source, taken=one.taken, passed_over=one.passed_over, fixed=one.fixed)
        for one in rows
    )


def _keep_rules(session: Session, rules: Sequence[Rule]) -> None:
    for one in rules:
        session.merge(SourceRule(**one.model_dump()))


def _word_of(source: str, shown: Row, said: Mapping[str, str]) -> tuple[str, str]:
    """The value that is meant, and its origin. Raises Refused for a source that is not asked of this."""
    if source == "proposed":
        return shown.proposed, shown.proposed_from
    if source == MERGED:
        return merged(list(said.values())), MERGED
    if source in said:
        return said[source], source
    return "", source  # a whole column is taken: this source is silent about this field


def _rows(
    docket: Docket, choice: SourceChoice, known: Here, rules: Sequence[Rule]
) -> dict[Place, tuple[Row, dict[str, str]]]:
    """Every field that any source says something of, and what each says."""
    entries = entries_of(choice)
    present = {(one.track_key, one.field): one for one in docket.fields}
    found: dict[Place, tuple[Row, dict[str, str]]] = {}

    def add(specs: Sequence[FieldSpec], key: str, told: dict[str, dict[str, str]]) -> None:
        for spec in specs:
            said = {source: fields[spec.name] for source, fields in told.items() if fields.get(spec.name)}
            if said:
                kept = present.get((key, spec.name))
                value, origin = (kept.value, kept.origin) if kept else ("", "")
                found[key, spec.name] = row(spec, key, value, origin, said, rules), said

    add(RELEASE_FIELDS, "", {one.source: release_fields(one) for one in entries})
    places = [_places(entries[0], one) for one in entries]
    for pair in paired(choice, known):
        if pair.here is None or pair.listed is None:
            continue
        told = {
            one.source: track_fields(one, one.tracks[place[pair.listed]])
            for one, place in zip(entries, places, strict=True)
            if pair.listed in place
        }
        add(TRACK_FIELDS, known.lines[pair.here].key, told)
    return found


def _places(leading: SourceRelease, other: SourceRelease) -> dict[int, int]:
    """Which track of another source's entry each of the leading one's is."""
    if len(leading.tracks) == len(other.tracks):
        return {place: place for place in range(len(leading.tracks))}
    pairs, _ = laid_on(listed(leading), listed(other))
    return {one.here: one.listed for one in pairs if one.here is not None and one.listed is not None}
