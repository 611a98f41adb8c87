"""Fields down, sources across: what each source says of each field, where they differ, and what is proposed.

What was typed in stands. For everything else the proposal is, in this order: what the field's rule prefers; for lists,
everything that any source names; what most sources say, apart from writing; the most exact; the first source's.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.description import FieldSpec, joined, values_of
from inkwell_groove.core.matching.texts import Difference, differing, differing_lists, folded

TYPED = "typed in"
MERGED = "several sources"
RULE_LEAST, RULE_SHARE = 3, 0.75
Standing = Literal["agree", "written differently", "disagree", "one source", "silent"]


class Frozen(BaseModel):
    model_config = ConfigDict(frozen=True)


class Rule(Frozen):
    """How often a source's word was taken for a field when another said something else. `fixed` was set by hand."""

    field: str
    source: str
    taken: int = 0
    passed_over: int = 0
    fixed: bool = False

    @property
    def prefers(self) -> bool:
        seen = self.taken + self.passed_over
        return self.fixed or (self.taken >= RULE_LEAST and self.taken >= RULE_SHARE * seen)

    @property
    def words(self) -> str:
        seen = self.taken + self.passed_over
        if self.fixed:
            return f"{self.source}, set by hand"
        return f"{self.source}, taken {self.taken} of {seen} times"


class Offer(Frozen):
    """What one source says, and in what that differs from what is proposed."""

    source: str
    value: str
    difference: Difference


class Row(Frozen):
    """One field of the release (`track_key` empty) or of a track."""

    track_key: str
    field: str
    label: str
    value: str = Field(description="As it stands now.")
    origin: str
    offers: tuple[Offer, ...]
    standing: Standing
    proposed: str
    proposed_from: str
    why: str


def row(
    spec: FieldSpec,
    track_key: str,
    value: str,
    origin: str,
    said: Mapping[str, str],
    rules: Sequence[Rule] = (),
) -> Row:
    """The row of a field that sources say something of. `said` is by source, silent ones left out."""
    proposed, source, why = _proposed(spec, value, origin, said, rules)
    offers = tuple(
        Offer(source=name, value=one, difference=_difference(spec, proposed, one)) for name, one in said.items()
    )
    return Row(
        track_key=track_key,
        field=spec.name,
        label=spec.label,
        value=value,
        origin=origin,
        offers=offers,
        standing=_standing(spec, list(said.values())),
        proposed=proposed,
        proposed_from=source,
        why=why,
    )


def _proposed(
    spec: FieldSpec, value: str, origin: str, said: Mapping[str, str], rules: Sequence[Rule]
) -> tuple[str, str, str]:
    if value and origin == TYPED:
        return value, TYPED, "typed in; it stands"
    if not said:
        return value, origin, "no source says anything"
    # A rule set by hand goes before what was learnt, and what was learnt oftener before the rest.
    ranked = sorted((rule for rule in rules if rule.field == spec.name and rule.prefers), key=lambda one: not one.fixed)
    for rule in ranked:
        if rule.source in said:
            return said[rule.source], rule.source, f"by rule: {rule.words}"
    if spec.many:
        union = merged(list(said.values()))
        for name, one in said.items():
            if set(values_of(one)) == set(values_of(union)):
                return one, name, "names all that any source does"
        return union, MERGED, "all that the sources name, once each"
    if len(said) == 1:
        name, one = next(iter(said.items()))
        return one, name, "the only source that says it"
    counts = Counter(_alike(one) for one in said.values())
    most, often = counts.most_common(1)[0]
    agreeing = {name: one for name, one in said.items() if _alike(one) == most}
    dated = {name: one for name, one in said.items() if any(one.startswith(other) for other in agreeing.values())}
    if spec.name in ("year", "original_date") and len(dated) > 1:
        name = max(dated, key=lambda key: len(dated[key]))
        return dated[name], name, "the most exact of those that agree"
    # Of what differs only in writing the fullest is best: accents and capitals get lost, and are never made up.
    name = max(agreeing, key=lambda one: _fullness(agreeing[one]))
    if often > 1:
        return agreeing[name], name, f"{often} of {len(said)} sources say so"
    first = next(iter(said))
    return said[first], first, "sources differ; this one is asked first"


def _fullness(value: str) -> tuple[bool, int]:
    return value != value.upper(), sum(not char.isascii() for char in value)


def _alike(value: str) -> str:
    return folded(value) or value


def _difference(spec: FieldSpec, one: str, other: str) -> Difference:
    return differing_lists(values_of(one), values_of(other)) if spec.many else differing(one, other)


def _standing(spec: FieldSpec, values: Sequence[str]) -> Standing:
    if not values:
        return "silent"
    if len(values) == 1:
        return "one source"
    if len(set(values)) == 1:
        return "agree"
    kinds = {_difference(spec, values[0], other) for other in values[1:]}
    return "disagree" if "different" in kinds else "written differently"


def merged(lists: Sequence[str]) -> str:
    """Several lists as one: each name once, with its instrument where any of them says it, in the order met."""
    kept: dict[str, str] = {}
    for one in (value for text in lists for value in values_of(text)):
        name, _, instrument = one.partition(" (")
        key = _alike(name)
        same = [known for known in kept if known == key or known.startswith(f"{key} (")]
        full = f"{key} ({_alike(instrument)}" if instrument else key
        if not instrument and same:
            continue
        if instrument and key in kept:
            # The bare name becomes the one with an instrument, at its place.
            kept = {(full if known == key else known): (one if known == key else text) for known, text in kept.items()}
        else:
            kept.setdefault(full, one)
    return joined(kept.values())


def learnt(rules: Sequence[Rule], field: str, taken: str, said: Mapping[str, str]) -> tuple[Rule, ...]:
    """The rules after somebody took one source's word for a field: only where another said something really else."""
    value = said.get(taken, "")
    others = [name for name, one in said.items() if name != taken and differing(value, one) == "different"]
    if not value or not others:
        return tuple(rules)
    by_key = {(one.field, one.source): one for one in rules}
    mine = by_key.get((field, taken), Rule(field=field, source=taken))
    by_key[field, taken] = mine.model_copy(update={"taken": mine.taken + 1})
    for name in others:
        other = by_key.get((field, name), Rule(field=field, source=name))
        by_key[field, name] = other.model_copy(update={"passed_over": other.passed_over + 1})
    return tuple(by_key.values())
