"""Spellings of the same name over the whole collection, and the one that most files have.

Names are the same where nothing is left between them but writing (`matching.texts.folded`), and likely the same where
a letter or two differ: those are found by the deletions they share (symmetric deletion, W. Garbe, 2012), so that every
name need not be held against every other, and judged by Damerau-Levenshtein distance (OSA, rapidfuzz).
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from rapidfuzz.distance import OSA

from inkwell_groove.core.files.fields import BY_NAME, SEPARATOR
from inkwell_groove.core.matching.texts import folded
from inkwell_groove.core.survey.finding import Finding

CHECK, STRAYS = "spellings", "variants"
Kind = Literal["person", "label", "work"]
# Fields whose values name the same kind of thing, so that a spelling in one speaks for the other.
KIND_OF: dict[str, Kind] = {
    "artist": "person",
    "album_artist": "person",
    "composer": "person",
    "conductor": "person",
    "label": "label",
    "work": "work",
}
FIELDS = (*KIND_OF, "genre")
_LEAST_LETTERS = 7  # shorter names differ by a letter and are others
_LETTERS_A_MISTAKE = 12  # a second mistake is allowed from twice as many letters on
_OFTEN = 0.1
_RARE = 0.2  # a misspelling is in at most so many files for one of the name it is taken for


@dataclass(frozen=True)
class Use:
    """One spelling: in which field, in how many files."""

    field: str
    value: str
    files: int


@dataclass(frozen=True)
class Spelling(Use):
    """One that is not the usual one of its name: `usual` is, in `usual_files` files, and `how` says what parts them."""

    usual: str
    usual_files: int
    how: str

    def finding(self, files: Sequence[int]) -> Finding:
        """About the files that have it. The remedy puts the usual one in its place, among the field's other names."""
        label = BY_NAME[self.field].label.lower()
        return Finding(
            check=CHECK,
            about=f"{self.field}|{self.value}|{self.usual}",
            files=tuple(files),
            words=f"{label} “{self.value}”, {self.how} “{self.usual}”",
            evidence=f"{self.files} against {self.usual_files}",
            remedy={key: {self.field: self.usual} for key in files},
            instead_of=self.value,
        )


def split_names(value: str) -> list[str]:
    """The names of a field that may have several."""
    return [part for one in value.split(SEPARATOR.strip()) if (part := one.strip())]


def spellings(uses: Iterable[Use]) -> Iterator[Spelling]:
    """Every spelling that is not the usual one of its name.

    `value` of a use is one name, not a whole field of several. Names of people are compared across their fields.
    """
    kinds: dict[str, dict[str, list[Use]]] = defaultdict(lambda: defaultdict(list))
    for use in uses:
        kinds[KIND_OF.get(use.field, use.field)][use.value].append(use)
    for names in kinds.values():
        counts = {value: sum(one.files for one in held) for value, held in names.items()}
        for value, usual, how in sorted(_pairs(counts)):
            for use in names[value]:
                yield Spelling(use.field, value, use.files, usual, counts[usual], how)


def _pairs(counts: Mapping[str, int]) -> Iterator[tuple[str, str, str]]:
    """(spelling, the usual one, in what they differ)."""
    same: dict[str, list[str]] = defaultdict(list)
    for value in counts:
        if key := folded(value):
            same[key].append(value)
    usual = {key: _usual(values, counts) for key, values in same.items()}
    total = {key: sum(counts[one] for one in values) for key, values in same.items()}
    headline = dict(_misspelt(total))
    for key, values in same.items():
        target = usual[headline.get(key, key)]
        how = "a letter away from" if key in headline else "also written"
        for value in values:
            if value != target:
                yield value, target, how


def _usual(values: Sequence[str], counts: Mapping[str, int]) -> str:
    """The most frequent; but one written as names are goes before capitals throughout, if it is used at all often."""
    most = max(counts[one] for one in values)
    return max(values, key=lambda one: (counts[one] >= _OFTEN * most and _capitals(one), counts[one], one))


def _capitals(value: str) -> bool:
    """Whether it is written as names are, neither small nor in capitals throughout."""
    return value not in (value.lower(), value.upper())


def _misspelt(total: Mapping[str, int]) -> Iterator[tuple[str, str]]:
    """(folded name, the far more frequent one it is likely meant for)."""
    near: dict[str, list[str]] = defaultdict(list)
    for key in total:
        if len(key) >= _LEAST_LETTERS:
            for shorter in _deletions(key):
                near[shorter].append(key)
    found: dict[str, str] = {}
    for held in near.values():
        if len(held) < 2:
            continue
        group = sorted(held, key=lambda one: (-total[one], one))
        for at, rare in enumerate(group[1:], start=1):
            for often in group[:at]:
                allowed = 1 + (min(len(rare), len(often)) >= 2 * _LETTERS_A_MISTAKE)
                rarer = total[rare] <= _RARE * total[often]
                # Nobody mistakes the first letter; names that differ there are others.
                alike = rare[0] == often[0] and not _number_differs(rare, often)
                if rarer and alike and OSA.distance(rare, often) <= allowed:
                    if rare not in found or total[often] > total[found[rare]]:
                        found[rare] = often
                    break
    yield from ((rare, often) for rare, often in found.items() if often not in found)


def _deletions(key: str) -> Iterable[str]:
    """The name and all that is left of it without one letter: two names a letter apart share one of them."""
    return {key, *(key[:at] + key[at + 1 :] for at in range(len(key)))}


def _number_differs(one: str, other: str) -> bool:
    """'Quartet No. 1' is not a misspelt 'Quartet No. 2'."""
    return [char for char in one if char.isdigit()] != [char for char in other if char.isdigit()]
