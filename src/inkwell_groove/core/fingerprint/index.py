"""Finding one recording among many by a few seconds of it.

Every eighth print of each recording is kept, sorted by value. What is looked for is taken at every hop, so whichever
eighth was kept is met; and since a print is rarely free of errors, each is also looked for with its weakest bits turned
over (Haitsma and Kalker 2002, section 5.2). Places that are met most are then compared bit by bit.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from inkwell_groove.core.fingerprint.likeness import SAME_UNDER
from inkwell_groove.core.fingerprint.prints import BITS, BLOCK, Printed, Prints

EVERY = 8
WEAKEST = 6  # bits that are turned over in all combinations: 64 values for each print
_PROBES = 512  # prints that are looked for: those with the firmest bits
_PLACES = 24  # that are compared
_ROOM = 1 << 17  # prints: 25 minutes


class Hit(NamedTuple):
    """A recording, what share of the bits differ, and where in it, in prints, what was looked for begins."""

    name: int
    bit_error_rate: float
    offset: int


class FingerprintIndex:
    """Recordings by a number each; built at once, since what is sorted is sorted together."""

    def __init__(self, recordings: Mapping[int, Prints]) -> None:
        self._prints = dict(recordings)
        self._names = np.fromiter(self._prints, np.int64, len(self._prints))
        lengths = [len(one) for one in self._prints.values()]
        # Room before each, so that what begins before a recording does is not taken for the end of another.
        self._starts = _ROOM + np.concatenate([[0], np.cumsum(np.array(lengths, np.int64) + _ROOM)])
        kept = [np.arange(0, length, EVERY) for length in lengths]
        values = [prints[at] for prints, at in zip(self._prints.values(), kept, strict=True)]
        places = [at + start for at, start in zip(kept, self._starts, strict=False)]
        all_values = np.concatenate(values) if values else np.zeros(0, np.uint32)
        order = np.argsort(all_values, kind="stable")
        self._values = all_values[order]
        self._places = (np.concatenate(places) if places else np.zeros(0, np.int64))[order]

    def __len__(self) -> int:
        return len(self._prints)

    def find(self, wanted: Printed, *, most: int = 5) -> list[Hit]:
        """The recordings that hold what is wanted, the likest first; none where nothing is under 0.35.

        Of something longer than `_PROBES` prints the firmest are looked for; all of it is compared.
        """
        if len(wanted.prints) < BLOCK // 2 or not len(self._values):
            return []
        met = self._met(wanted)
        hits: dict[int, Hit] = {}
        for place in met:
            recording = int(np.searchsorted(self._starts[:-1] - _ROOM, place, "right")) - 1
            name = int(self._names[recording])
            offset = int(place - self._starts[recording])
            rate = _rate(self._prints[name], wanted.prints, offset)
            if rate < SAME_UNDER and (name not in hits or rate < hits[name].bit_error_rate):
                hits[name] = Hit(name, rate, offset)
        return sorted(hits.values(), key=lambda one: one.bit_error_rate)[:most]

    def _met(self, wanted: Printed) -> npt.NDArray[np.int64]:
        """Places, over all recordings, at which what is wanted may begin: those met most often first."""
        weakest = np.argpartition(wanted.strengths, WEAKEST, axis=1)[:, :WEAKEST]
        firmness = np.take_along_axis(wanted.strengths, weakest, axis=1).sum(axis=1)
        useful = (wanted.prints != 0) & (wanted.prints != 0xFFFFFFFF)
        chosen = np.argsort(-np.where(useful, firmness, -1.0), kind="stable")[:_PROBES]
        turned = np.zeros((len(chosen), 1 << WEAKEST), np.uint32)
        for bit in range(WEAKEST):
            mask = (np.uint32(1) << weakest[chosen, bit].astype(np.uint32))[:, None]
            on = (np.arange(1 << WEAKEST) >> bit & 1).astype(bool)
            turned ^= np.where(on[None, :], mask, np.uint32(0))
        values = (wanted.prints[chosen][:, None] ^ turned).ravel()
        from_print = np.repeat(chosen, 1 << WEAKEST)
        low, high = self._range(values)
        counts = np.minimum(high - low, 64)
        at = np.repeat(low, counts) + np.arange(counts.sum()) - np.repeat(np.cumsum(counts) - counts, counts)
        begins = self._places[at] - np.repeat(from_print, counts)
        found, often = np.unique(begins, return_counts=True)
        return found[np.argsort(-often, kind="stable")][:_PLACES]

    def _range(self, values: Prints) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.int64]]:
        """Where each value begins and ends among the sorted ones."""
        order = np.argsort(values, kind="stable")
        low = np.empty(len(values), np.int64)
        high = np.empty(len(values), np.int64)
        # In order, a search goes through memory once.
        low[order] = np.searchsorted(self._values, values[order], "left")
        high[order] = np.searchsorted(self._values, values[order], "right")
        return low, high


def _rate(recording: Prints, wanted: Prints, offset: int) -> float:
    first, last = max(0, offset), min(len(recording), offset + len(wanted))
    if last - first < min(BLOCK, len(wanted)) // 2:
        return 1.0
    wrong = np.bitwise_count(recording[first:last] ^ wanted[first - offset : last - offset])
    return float(wrong.sum()) / (BITS * (last - first))
