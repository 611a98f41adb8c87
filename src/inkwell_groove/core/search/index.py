"""The index: a large segment, and small ones with what changed since it was built.

Small segments are merged as they come, each with the one before it if that is not much larger: there are never many,
and each entry is merged few times (a log-structured merge; P. O'Neil and others, Acta Informatica 33, 1996).
"""

from __future__ import annotations

import heapq
from collections import Counter
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from itertools import islice

import numpy as np
import numpy.typing as npt

from inkwell_groove.core.search.segment import Entry, Query, Segment

_ALIKE = 2  # a segment is merged with the one before it, unless that is so many times larger


@dataclass(frozen=True)
class Found:
    """How many entries were found, some of their keys in order, and how many have each value of each facet."""

    total: int
    keys: list[str]
    facets: dict[str, dict[str, int]]
    releases: int


class Index:
    """Entries by key. An entry of a key that is there already takes its place."""

    def __init__(self, fields: Sequence[str], facets: Sequence[str]) -> None:
        self.fields, self.facet_names = tuple(fields), tuple(facets)
        self._segments: tuple[Segment, ...] = ()
        self._recent: dict[str, Entry] = {}  # what the small segments hold

    def __len__(self) -> int:
        return sum(int(one.alive.sum()) for one in self._segments)

    @property
    def wants_building(self) -> bool:
        """Whether so much of it changed that it had better be built anew."""
        return bool(self._segments) and len(self._recent) * 4 > len(self._segments[0])

    def build(self, entries: Sequence[Entry]) -> None:
        """All entries there are."""
        self._segments, self._recent = (Segment(entries, self.fields, self.facet_names),), {}

    def replace(self, entries: Sequence[Entry], gone: Collection[str] = ()) -> None:
        """Entries that are new or changed, and the keys of those that are no more."""
        new = Segment(entries, self.fields, self.facet_names)
        for one in self._segments:
            one.strike_out(gone)
            one.strike_out(new.keys)
        for key in gone:
            self._recent.pop(key, None)
        self._recent |= {one.key: one for one in entries}
        small = [one for one in (*self._segments[1:], new) if len(one)]
        while len(small) > 1 and len(small[-2]) <= _ALIKE * len(small[-1]):
            small[-2:] = [self._merged(small[-2:])]
        self._segments = (*self._segments[:1], *small)

    def _merged(self, segments: Sequence[Segment]) -> Segment:
        """Return one small segment with what is still there of several."""
        keys = [key for one in segments for key, is_there in zip(one.keys, one.alive, strict=True) if is_there]
        return Segment([self._recent[key] for key in keys], self.fields, self.facet_names)

    def find(self, query: Query, *, start: int = 0, most: int = 100) -> Found:
        """Entries, those that fit best first and alike ones in their order; without words, in their order."""
        parts = [(one, *one.find(query)) for one in self._segments]
        facets: dict[str, Counter[str]] = {name: Counter() for name in self.facet_names}
        releases: set[str] = set()
        for segment, places, _ in parts:
            for name, counter in facets.items():
                counter.update(segment.facets[name].counts(places))
            releases |= segment.releases.counts(places).keys()
        streams = [
            [
                (-float(scores[n]), segment.orders[places[n]], segment.keys[places[n]])
                for n in _best_first(scores, start + most)
            ]
            for segment, places, scores in parts
        ]
        keys = [key for _, _, key in islice(heapq.merge(*streams), start, start + most)]
        total = sum(len(places) for _, places, _ in parts)
        return Found(total, keys, {name: dict(counter) for name, counter in facets.items()}, len(releases))

    def releases(self, query: Query, *, start: int = 0, most: int = 100) -> tuple[int, dict[str, list[str]]]:
        """How many releases have entries that are found; some of them, in order, with the keys of those entries."""
        parts = [(one, one.find(query)[0]) for one in self._segments]
        first: dict[str, str] = {}
        for segment, places in parts:
            # Entries stand in their order, so the first of a release is where the release stands.
            for place in places[segment.releases.first(places)]:
                name, order = segment.releases.at(place), segment.orders[place]
                first[name] = min(order, first.get(name, order))
        chosen = sorted(first, key=lambda name: (first[name], name))[start : start + most]
        keys: dict[str, list[str]] = {name: [] for name in chosen}
        for segment, places in parts:
            for place in places[segment.releases.among(chosen)[places]]:
                keys[segment.releases.at(place)].append(segment.keys[place])
        return len(first), keys


def _best_first(scores: npt.NDArray[np.float32], most: int) -> list[int]:
    """Places by falling score; entries stand in their order, so those that fit alike stay in it."""
    return [int(n) for n in np.argsort(-scores, kind="stable")[:most]]
