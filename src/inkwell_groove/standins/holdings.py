"""What a simulated source holds, and how it is searched: by numbers, words, disc, lengths and sound."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence

import numpy as np
from rapidfuzz import fuzz, process

from inkwell_groove.core.fingerprint.index import FingerprintIndex
from inkwell_groove.core.fingerprint.prints import Printed
from inkwell_groove.core.matching.release import Frozen, SourceRelease
from inkwell_groove.core.matching.texts import folded
from inkwell_groove.core.numbers import catalogue_key

_LEAST_LIKE = 62.0  # of 100: what a search by words still lists
_NEAR_FRAMES = 150  # 2 s: as far as a pressing's tracks are apart from another's
_NEAR_S = 4.0
_SLOWEST, _FASTEST = 0.96, 1.04
_MOST = 200


class Recorded(Frozen):
    """A recording known by its sound: on which releases it is, and on which track of each, from 0."""

    on: tuple[tuple[str, int], ...]


class Heard(Frozen):
    """An excerpt recognised."""

    excerpt: int
    release: str
    track: int
    bit_error_rate: float


class Holdings:
    """A source's releases by their ids, with everything that is needed to search them built at once."""

    def __init__(
        self,
        releases: Iterable[SourceRelease],
        *,
        discs: dict[str, Sequence[int]] | None = None,
        recordings: Sequence[Recorded] = (),
        sounds: FingerprintIndex | None = None,
    ) -> None:
        self.by_id = {one.id: one for one in releases}
        self._ids = list(self.by_id)
        self._words = [folded(f"{one.artist} {one.title}") for one in self.by_id.values()]
        self._titles = [folded(one.title) for one in self.by_id.values()]
        self._numbers = [[catalogue_key(n) for n in one.catalogue_numbers] for one in self.by_id.values()]
        self._discs = {name: tuple(starts) for name, starts in (discs or {}).items()}
        self._recordings, self._sounds = recordings, sounds

    def by_number(self, number: str) -> list[str]:
        """Those of that number, then those whose number holds it or is held by it."""
        wanted = catalogue_key(number)
        if len(wanted) < 2:
            return []
        exact = [name for name, known in zip(self._ids, self._numbers, strict=True) if wanted in known]
        part = [
            name
            for name, known in zip(self._ids, self._numbers, strict=True)
            if name not in exact and any(_holds(wanted, one) for one in known)
        ]
        return (exact + part)[:_MOST]

    def by_barcode(self, digits: str) -> list[str]:
        return [name for name, one in self.by_id.items() if one.barcode == digits.zfill(13)]

    def by_words(self, words: str, title: str = "") -> list[str]:
        """Those whose artist and title are most like the words, in any order, the likest first."""
        found = {}
        wanted = folded(f"{words} {title}")
        if wanted:
            for _, score, place in process.extract(
                wanted, self._words, scorer=fuzz.token_set_ratio, score_cutoff=_LEAST_LIKE, limit=_MOST
            ):
                # A title of one common word is in half of all: how much of both is the same counts too.
                found[place] = 0.6 * score + 0.4 * fuzz.token_sort_ratio(wanted, self._words[place])
        for _, score, place in process.extract(
            folded(title), self._titles, scorer=fuzz.token_sort_ratio, score_cutoff=80.0, limit=_MOST
        ):
            found[place] = max(found.get(place, 0.0), 0.9 * score)
        return [self._ids[place] for place in sorted(found, key=lambda one: -found[one])]

    def by_contents(self, starts: Sequence[int]) -> list[str]:
        """Those with just this table of contents, then those with as many tracks of nearly its lengths."""
        lengths = np.diff(starts)
        exact, near = [], []
        for name, known in self._discs.items():
            if tuple(starts) == known:
                exact.append((0, name))
            elif len(known) == len(starts):
                apart = int(np.abs(np.diff(known) - lengths).max())
                if apart <= _NEAR_FRAMES:
                    near.append((apart, name))
        # One release may have several discs, listed as "release/2".
        return list(dict.fromkeys(name.split("/")[0] for _, name in sorted(exact) + sorted(near)))

    def contents_of(self, name: str) -> list[tuple[int, ...]]:
        return [starts for disc, starts in self._discs.items() if disc.split("/")[0] == name]

    def by_lengths(self, lengths_s: Sequence[float]) -> list[str]:
        """Those with as many tracks, or one or two more or fewer, whose lengths follow these at any likely speed."""
        here = np.asarray(lengths_s)
        found = []
        for name, release in self.by_id.items():
            listed = np.array([track.duration_s or np.nan for track in release.tracks])
            if abs(len(listed) - len(here)) > 2 or np.isnan(listed).mean() > 0.5:
                continue
            apart = min(_apart(here, listed, shift) for shift in range(-2, 3))
            if apart < _NEAR_S:
                found.append((apart + abs(len(listed) - len(here)), name))
        return [name for _, name in sorted(found)[:_MOST]]

    def by_sound(self, excerpts: Sequence[Printed]) -> list[Heard]:
        """Where each excerpt was recognised; an excerpt may be on many releases."""
        found = []
        for place, excerpt in enumerate(excerpts):
            for hit in self._sounds.find(excerpt) if self._sounds is not None else ():
                found += [
                    Heard(excerpt=place, release=name, track=track, bit_error_rate=round(hit.bit_error_rate, 4))
                    for name, track in self._recordings[hit.name].on
                ]
        return found


def _holds(wanted: str, known: str) -> bool:
    shorter, longer = sorted((wanted, known), key=len)
    return len(shorter) >= 3 and shorter in longer and bool(re.search(r"\d", shorter))


def _apart(here: np.ndarray, listed: np.ndarray, shift: int) -> float:
    """The middle difference in seconds, the speed that the whole of both tells undone, the lists shifted."""
    one, other = (here[shift:], listed) if shift >= 0 else (here, listed[-shift:])
    count = min(len(one), len(other))
    one, other = one[:count], other[:count]
    known = ~np.isnan(other)
    if known.sum() < max(3, len(here) // 2):
        return float("inf")
    speed = float(np.clip(np.median(other[known] / one[known]), _SLOWEST, _FASTEST))
    return float(np.median(np.abs(one[known] * speed - other[known])))
