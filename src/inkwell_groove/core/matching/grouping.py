"""Which entries of different sources are the same pressing.

Entries that name each other are. So are those whose numbers agree and nothing else disagrees; two entries of one source
never are, for a source that lists two means two.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from itertools import combinations

from inkwell_groove.core.matching.release import SourceRelease
from inkwell_groove.core.matching.texts import likeness
from inkwell_groove.core.numbers import catalogue_key

Group = tuple[SourceRelease, ...]


def grouped(releases: Sequence[SourceRelease]) -> tuple[Group, ...]:
    """The releases by pressing, in the order in which each pressing was met first."""
    group_of = list(range(len(releases)))

    def merge(are_same: Callable[[SourceRelease, SourceRelease], bool]) -> None:
        for one, other in combinations(range(len(releases)), 2):
            first, second = sorted((group_of[one], group_of[other]))
            if first == second or not are_same(releases[one], releases[other]):
                continue
            members = [place for place, group in enumerate(group_of) if group in (first, second)]
            sources = [releases[place].source for place in members]
            if len(set(sources)) == len(sources):
                for place in members:
                    group_of[place] = first

    # What names each other is certain, and goes before what only agrees.
    merge(_linked)
    merge(_agree)
    groups: dict[int, list[SourceRelease]] = {}
    for place, release in enumerate(releases):
        groups.setdefault(group_of[place], []).append(release)
    return tuple(tuple(group) for group in groups.values())


def _linked(one: SourceRelease, other: SourceRelease) -> bool:
    return one.address in other.links or other.address in one.links


def _agree(one: SourceRelease, other: SourceRelease) -> bool:
    if any(_disagree(a, b) for a, b in ((one.barcode, other.barcode), (one.country, other.country))):
        return False
    if one.date and other.date and not (one.date.startswith(other.date) or other.date.startswith(one.date)):
        return False
    if len(one.tracks) != len(other.tracks) or likeness(one.formats[0], other.formats[0]) < 0.5:
        return False
    numbers = [{catalogue_key(number) for number in release.catalogue_numbers} for release in (one, other)]
    if numbers[0] and numbers[1]:
        return bool(numbers[0] & numbers[1])
    return bool(one.barcode) and one.barcode == other.barcode


def _disagree(one: str, other: str) -> bool:
    return bool(one) and bool(other) and one.casefold() != other.casefold()
