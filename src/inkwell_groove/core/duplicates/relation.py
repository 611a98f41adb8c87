"""How two recordings are related, with what speaks for it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Literal

import numpy as np
from pydantic import BaseModel, ConfigDict

from inkwell_groove.core.duplicates.edits import EditDifference, difference
from inkwell_groove.core.duplicates.portrait import LEVEL_S, Portrait
from inkwell_groove.core.fingerprint.likeness import SPEEDS, Likeness, compare
from inkwell_groove.core.fingerprint.prints import Prints

Kind = Literal["same recording", "another edit", "another recording"]
_ANOTHER_EDIT_S = 4.0  # what only one of them has: fades and trimmed ends are shorter
# Of less than that much only what is nearly bit for bit the same, at the same speed, is taken for the same.
_SURE_S, _NEAR_UNDER, _SAME_SPEED = 12.0, 0.15, 0.003
# The same music played again at the same pace shares more than chance would have it, at 0.26 and above; copies, however
# they were coded, stay below 0.11 (measured by `benchmarks/duplicates`).
_PLAYED_ANEW = 0.22
_SWAPPED, _SPREAD_DB = -0.7, 0.5


RULES = 3
"""By which rules relations are told: what older ones told is looked at again."""


class Relation(BaseModel):
    """`swapped`: left of the one is right of the other. `rules` are those it was told by."""

    model_config = ConfigDict(frozen=True)

    kind: Kind
    likeness: Likeness
    difference: EditDifference | None = None
    swapped: bool = False
    rules: int = RULES


def relate(
    first: Portrait,
    second: Portrait,
    second_at: Callable[[float], Prints],
    *,
    speeds: Sequence[float] = SPEEDS,
) -> Relation:
    """`second_at` gives the second's prints as if it ran at a speed and that were undone."""
    likeness = compare(first.prints, second_at, speeds=speeds)
    if likeness.verdict == "different" or _is_chance(likeness) or likeness.bit_error_rate > _PLAYED_ANEW:
        return Relation(kind="another recording", likeness=likeness)
    nearest = min(SPEEDS, key=lambda speed: abs(speed - likeness.speed_ratio))
    found = difference(first, second, second_at(nearest))
    is_edit = likeness.verdict != "same recording" or found.longest_alone_s > _ANOTHER_EDIT_S
    return Relation(
        kind="another edit" if is_edit else "same recording",
        likeness=likeness,
        difference=found,
        swapped=_swapped(first, second, found),
    )


def _is_chance(likeness: Likeness) -> bool:
    """A few seconds may be alike by a chord or two, at one of the many speeds and places that are tried."""
    if likeness.matched_s >= _SURE_S:
        return False
    return likeness.bit_error_rate > _NEAR_UNDER or abs(likeness.speed_ratio - 1.0) > _SAME_SPEED


def _swapped(first: Portrait, second: Portrait, found: EditDifference) -> bool:
    """By how the balance of the channels moves along what both have."""
    ones, others = [], []
    for shared in found.shared:
        at, to = round(shared.first_s / LEVEL_S), round(shared.second_s / LEVEL_S)
        length = int(shared.length_s / LEVEL_S)
        one, other = first.levels[at : at + length], second.levels[to : to + length]
        both = min(len(one), len(other))
        ones.append(one[:both, 0] - one[:both, 1])
        others.append(other[:both, 0] - other[:both, 1])
    if not ones or len(balance := np.concatenate(ones)) < 8:
        return False
    against = np.concatenate(others)
    if min(np.abs(balance).mean(), np.abs(against).mean()) < _SPREAD_DB:
        return False  # both sound alike: nobody hears which is which
    # Not about the mean: a balance that stands to one side all the time tells as much as one that moves.
    return float((balance * against).sum() / np.sqrt((balance**2).sum() * (against**2).sum())) < _SWAPPED
