"""Which of many recordings may be the same: by prints that are exactly alike, a sixteenth of them looked at.

The sixteenth is chosen by the prints' own values, so what two recordings have in common is chosen in both; where enough
of it lies at one offset they are worth comparing bit by bit (Wang, An Industrial-Strength Audio Search Algorithm, ISMIR
2003, for the vote by offset). A recording that runs at another speed is met by its excerpts at other speeds.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from inkwell_groove.core.duplicates.portrait import OTHER_SPEEDS, Portrait
from inkwell_groove.core.fingerprint.prints import Prints

SAMPLED = 16
_COMMON = 24  # a print that so many places have tells nothing
_VOTES = 4
_BUCKET = 8  # prints: offsets that are so near each other vote together
_MIX = np.uint32(2_654_435_761)  # Knuth's multiplicative hash


class Pair(NamedTuple):
    """Two recordings by their places among those given, and at which speed of the second they met."""

    first: int
    second: int
    speed_ratio: float


def likely_pairs(portraits: Iterable[Portrait]) -> list[Pair]:
    """Pairs that are worth comparing, each once, those that met most often first.

    Portraits are gone through once and may be loaded as they are asked for; of each some 5 kB a minute stay.
    """
    parts = [part for number, one in enumerate(portraits) for part in _sampled(number, one)]
    if not parts:
        return []
    values = np.concatenate([one.values for one in parts])
    order = np.argsort(values, kind="stable")
    values = values[order]
    recordings = np.concatenate([np.full(len(one.values), one.recording, np.int32) for one in parts])[order]
    speeds = np.concatenate([np.full(len(one.values), one.speed, np.int8) for one in parts])[order]
    places = np.concatenate([one.places for one in parts])[order]
    votes: dict[tuple[int, int, int, int], int] = {}
    for first, second in _alike(values):
        # One of the two is the recording as it is, the other may be at any speed.
        turned = speeds[first] != 0
        base, other = np.where(turned, second, first), np.where(turned, first, second)
        good = (speeds[base] == 0) & (recordings[base] != recordings[other])
        base, other = base[good], other[good]
        # As it is against as it is would meet both ways round.
        swap = (speeds[other] == 0) & (recordings[base] > recordings[other])
        base, other = np.where(swap, other, base), np.where(swap, base, other)
        offsets = (places[base] - places[other]) // _BUCKET
        keys = np.stack([recordings[base], recordings[other], speeds[other], offsets], axis=1)
        found, often = np.unique(keys, axis=0, return_counts=True)
        for key, count in zip(found.tolist(), often.tolist(), strict=True):
            votes[tuple(key)] = votes.get(tuple(key), 0) + count
    return _counted(votes)


class _Sampled(NamedTuple):
    recording: int
    speed: int  # 0 as it is, n for the n-th of the other speeds
    values: Prints
    places: npt.NDArray[np.int32]


def _sampled(number: int, portrait: Portrait) -> Iterator[_Sampled]:
    for speed, row in enumerate((portrait.prints, *portrait.at_speeds)):
        chosen = np.flatnonzero(((row * _MIX) >> np.uint32(28) == 0) & (row != 0) & (row != 0xFFFFFFFF))
        yield _Sampled(number, speed, row[chosen], chosen.astype(np.int32))


def _alike(values: Prints) -> Iterator[tuple[npt.NDArray[np.int64], npt.NDArray[np.int64]]]:
    """Places of equal values in a sorted row, two by two; of values that are everywhere, none."""
    if len(values) < 2:
        return
    starts = np.flatnonzero(np.concatenate([[True], values[1:] != values[:-1]]))
    sizes = np.diff(np.append(starts, len(values)))
    wanted = np.repeat((sizes > 1) & (sizes <= _COMMON), sizes)
    for apart in range(1, min(_COMMON, len(values))):
        first = np.flatnonzero((values[apart:] == values[:-apart]) & wanted[apart:])
        if not len(first):
            return
        yield first, first + apart


def _counted(votes: dict[tuple[int, int, int, int], int]) -> list[Pair]:
    best: dict[tuple[int, int], tuple[int, int]] = {}
    for (first, second, speed, offset), count in votes.items():
        # What lies on the edge of two buckets is in both.
        together = count + votes.get((first, second, speed, offset + 1), 0)
        key = (min(first, second), max(first, second))
        if together >= _VOTES and together > best.get(key, (0, 0))[0]:
            ratio = speed if first < second or speed == 0 else -speed
            best[key] = together, ratio
    ordered = sorted(best.items(), key=lambda pair: -pair[1][0])
    return [Pair(first, second, _speed(ratio)) for (first, second), (_, ratio) in ordered]


def _speed(number: int) -> float:
    """Of the second against the first: negative numbers are of the first against the second."""
    if number == 0:
        return 1.0
    ratio = OTHER_SPEEDS[abs(number) - 1]
    return ratio if number > 0 else round(1.0 / ratio, 3)
