"""A part of the index, built at once and never changed but for entries that are struck out."""

from __future__ import annotations

import dataclasses
import functools
from collections.abc import Collection, Iterable, Mapping, Sequence
from typing import NamedTuple

import numpy as np
import numpy.typing as npt
from rapidfuzz import process
from rapidfuzz.distance import OSA

from inkwell_groove.core.search.words import words

Ints = npt.NDArray[np.int32]
Mask = npt.NDArray[np.bool_]

WHOLE, BEGINS, NEARLY = 1.0, 0.8, 0.5
"""How much a word counts that is the one asked for, begins with it, or differs from it a little."""
_MOST_ALIKE = 2_000  # words that one word may stand for


class Entry(NamedTuple):
    """What is to be found: texts by field, facets by name, the release it belongs to, and its place in the order."""

    key: str
    texts: Mapping[str, str]
    facets: Mapping[str, str]
    release: str
    order: str
    owner: int


@dataclasses.dataclass(frozen=True)
class Query:
    """What is asked for. No words find everything; `facets` are values of which an entry must have one each.

    `owners` are those whose entries alone are wanted, None for all.
    """

    text: str = ""
    field: str = ""
    facets: Mapping[str, Collection[str]] = dataclasses.field(default_factory=dict)
    owners: npt.NDArray[np.int64] | None = None


class Segment:
    """Entries, an index of their words, and their facets as numbers."""

    def __init__(self, entries: Sequence[Entry], fields: Sequence[str], facets: Sequence[str]) -> None:
        ordered = sorted(entries, key=lambda one: one.order)
        self.keys = [one.key for one in ordered]
        self.orders = [one.order for one in ordered]
        self.owners = np.fromiter((one.owner for one in ordered), np.int64, len(ordered))
        self.alive = np.ones(len(ordered), bool)
        self._fields = {name: number for number, name in enumerate(fields)}
        self._index_words(ordered)
        self.facets = {name: Codes.of(one.facets.get(name, "") for one in ordered) for name in facets}
        self.releases = Codes.of(one.release for one in ordered)
        self._at = {key: place for place, key in enumerate(self.keys)}

    def __len__(self) -> int:
        return len(self.keys)

    def strike_out(self, keys: Iterable[str]) -> None:
        for key in keys:
            if (place := self._at.get(key)) is not None:
                self.alive[place] = False

    def _index_words(self, entries: Sequence[Entry]) -> None:
        numbers: dict[str, int] = {}
        which: list[int] = []
        where: list[int] = []
        held: list[int] = []
        known: dict[str, tuple[int, ...]] = {}  # a release's texts come again with each of its tracks
        for place, entry in enumerate(entries):
            for name, text in entry.texts.items():
                if not text:
                    continue
                if (found := known.get(text)) is None:
                    found = known[text] = tuple(
                        numbers.setdefault(word, len(numbers)) for word in dict.fromkeys(words(text))
                    )
                which += found
                where += [place] * len(found)
                held += [self._fields[name]] * len(found)
        vocabulary = list(numbers)
        order = sorted(range(len(vocabulary)), key=vocabulary.__getitem__)
        self.vocabulary = [vocabulary[one] for one in order]
        rank = np.empty(len(order), np.int32)
        rank[order] = np.arange(len(order), dtype=np.int32)
        ranked = rank[np.array(which, np.int32)] if which else np.zeros(0, np.int32)
        by_word = np.argsort(ranked, kind="stable")
        self._entries = np.array(where, np.int32)[by_word]
        self._in_field = np.array(held, np.int8)[by_word]
        self._starts = np.searchsorted(ranked[by_word], np.arange(len(order) + 1)).astype(np.int64)

    def find(self, query: Query) -> tuple[Ints, npt.NDArray[np.float32]]:
        """Places of the entries that are found, in their order, and how well each fits."""
        wanted = self.alive.copy()
        for name, values in query.facets.items():
            wanted &= self.facets[name].among(values)
        if query.owners is not None:
            wanted &= np.isin(self.owners, query.owners)
        asked = words(query.text)
        scores = np.zeros(len(self), np.float32)
        for word in dict.fromkeys(asked):
            fit = self._fit(word, query.field)
            wanted &= fit > 0
            scores += fit
        places = np.flatnonzero(wanted).astype(np.int32)
        return places, scores[places]

    def _fit(self, word: str, in_field: str) -> npt.NDArray[np.float32]:
        """How well each entry has a word, in a field or anywhere; 0 for not at all."""
        fit = np.zeros(len(self), np.float32)
        for score, number in self._alike(word):
            span = slice(self._starts[number], self._starts[number + 1])
            places = self._entries[span]
            if in_field:
                places = places[self._in_field[span] == self._fields[in_field]]
            fit[places] = np.maximum(fit[places], np.float32(score))
        return fit

    def _alike(self, word: str) -> list[tuple[float, int]]:
        """The words that a word stands for, and what each counts."""
        found: dict[int, float] = {}
        first = _place(self.vocabulary, word)
        last = _place(self.vocabulary, word + "\U0010ffff")
        for number in range(first, min(last, first + _MOST_ALIKE)):
            found[number] = WHOLE if self.vocabulary[number] == word else BEGINS
        if (allowed := _allowed(word)) and self.vocabulary:
            distances = process.cdist(
                [word], self.vocabulary, scorer=OSA.distance, score_cutoff=allowed, dtype=np.uint8
            )[0]
            for number in np.flatnonzero(distances <= allowed)[:_MOST_ALIKE]:
                found.setdefault(int(number), NEARLY)
        return [(score, number) for number, score in found.items()]


def _allowed(word: str) -> int:
    """How many letters may be others: none in short words and in numbers, where each tells."""
    if word[0].isdigit() or len(word) < 4:
        return 0
    return 1 if len(word) < 8 else 2


def _place(ranked: Sequence[str], word: str) -> int:
    low, high = 0, len(ranked)
    while low < high:
        middle = (low + high) // 2
        low, high = (middle + 1, high) if ranked[middle] < word else (low, middle)
    return low


@dataclasses.dataclass(frozen=True)
class Codes:
    """A column of texts as numbers."""

    numbers: dict[str, int]
    codes: Ints

    @classmethod
    def of(cls, column: Iterable[str]) -> Codes:
        known: dict[str, int] = {}
        codes = np.fromiter((known.setdefault(one, len(known)) for one in column), np.int32)
        return cls(known, codes)

    @functools.cached_property
    def values(self) -> list[str]:
        return list(self.numbers)

    def among(self, wanted: Collection[str]) -> Mask:
        held = np.zeros(len(self.numbers), bool)
        held[[self.numbers[one] for one in wanted if one in self.numbers]] = True
        return held[self.codes]

    def counts(self, places: Ints) -> dict[str, int]:
        counted = np.bincount(self.codes[places], minlength=len(self.numbers))
        return {self.values[number]: int(counted[number]) for number in np.flatnonzero(counted)}

    def first(self, places: Ints) -> npt.NDArray[np.intp]:
        """Where among places each value comes for the first time."""
        return np.unique(self.codes[places], return_index=True)[1]

    def at(self, place: int) -> str:
        return self.values[int(self.codes[place])]
