"""A release's track list laid on the tracks that are there: by length, title and number, in order, none twice.

The pairing is the one with the best sum of log likelihood ratios, found by dynamic programming (Needleman and Wunsch, A
general method applicable to the search for similarities, 1970): each pair is worth how much likelier its lengths and
titles are if they are the same track than if they are any two, each track without a partner costs.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.matching.texts import likeness

SIGMA_S = 1.5  # sleeves round to the second, and differ in where a track ends
_ANY_S = 160.0  # lengths of tracks spread over some minutes: one per so many seconds
_ALONE = -3.0  # a track without a partner, on either side
_LEAST_SPEED, _MOST_SPEED = 0.94, 1.06


class Known(BaseModel):
    """What is known of one track that is there; nothing is fine."""

    model_config = ConfigDict(frozen=True)

    duration_s: float | None = None
    title: str = ""


class Pair(BaseModel):
    """A track that is there and one of the release, by their places from 0; one of them may be missing."""

    model_config = ConfigDict(frozen=True)

    here: int | None
    listed: int | None
    difference_s: float | None = Field(default=None, description="By how much the one here is longer, speed undone.")
    worth: float = Field(default=0.0, description="Log likelihood ratio: above 0 it speaks for the pair.")


def laid_on(
    here: Sequence[Known], listed: Sequence[Known], *, speed_ratio: float | None = 1.0
) -> tuple[tuple[Pair, ...], float]:
    """The pairs in order, and the speed they were found with.

    `speed_ratio` is how much too fast what is here ran; none where that is not known, and then it is told by the
    lengths themselves, within 6 %.
    """
    if speed_ratio is not None:
        return _pairs(here, listed, speed_ratio), speed_ratio
    best: tuple[float, tuple[Pair, ...], float] | None = None
    for speed in (1.0, *_speeds(here, listed)):
        pairs = _pairs(here, listed, speed)
        # A speed of its own must be earned: it is one more thing that could fit by chance.
        worth = sum(pair.worth for pair in pairs) - (2.0 if speed != 1.0 else 0.0)
        if best is None or worth > best[0]:
            best = worth, pairs, speed
    assert best is not None
    return best[1], best[2]


def _speeds(here: Sequence[Known], listed: Sequence[Known]) -> list[float]:
    """Speeds worth trying: that of all tracks together, and those of tracks in the same place."""
    ratios = []
    for one, other in zip(here, listed, strict=False):
        if one.duration_s and other.duration_s:
            ratios.append(other.duration_s / one.duration_s)
    told = [float(np.median(ratios))] if ratios else []
    if here and len(here) == len(listed) and all(one.duration_s for one in (*here, *listed)):
        told.append(sum(one.duration_s or 0 for one in listed) / sum(one.duration_s or 0 for one in here))
    return sorted({round(one, 4) for one in [*told, *ratios] if _LEAST_SPEED <= one <= _MOST_SPEED})


def _pairs(here: Sequence[Known], listed: Sequence[Known], speed: float) -> tuple[Pair, ...]:
    rows, columns = len(here), len(listed)
    worth = np.array([[_worth(one, other, speed) for other in listed] for one in here]).reshape(rows, columns)
    best = np.zeros((rows + 1, columns + 1))
    best[1:, 0] = _ALONE * np.arange(1, rows + 1)
    best[0, 1:] = _ALONE * np.arange(1, columns + 1)
    for i in range(1, rows + 1):
        for j in range(1, columns + 1):
            best[i, j] = max(best[i - 1, j - 1] + worth[i - 1, j - 1], best[i - 1, j] + _ALONE, best[i, j - 1] + _ALONE)
    pairs: list[Pair] = []
    i, j = rows, columns
    while i or j:
        if i and j and math.isclose(best[i, j], best[i - 1, j - 1] + worth[i - 1, j - 1], abs_tol=1e-9):
            i, j = i - 1, j - 1
            difference = _difference(here[i], listed[j], speed)
            pairs.append(Pair(here=i, listed=j, difference_s=difference, worth=float(worth[i, j])))
        elif i and math.isclose(best[i, j], best[i - 1, j] + _ALONE, abs_tol=1e-9):
            i -= 1
            pairs.append(Pair(here=i, listed=None, worth=_ALONE))
        else:
            j -= 1
            pairs.append(Pair(here=None, listed=j, worth=_ALONE))
    return tuple(reversed(pairs))


def _difference(one: Known, other: Known, speed: float) -> float | None:
    if one.duration_s is None or other.duration_s is None:
        return None
    return one.duration_s * speed - other.duration_s


def _worth(one: Known, other: Known, speed: float) -> float:
    worth = 0.3  # standing in the same order is worth a little by itself
    difference = _difference(one, other, speed)
    if difference is not None:
        # A normal difference against any length at all, with a floor: a wrong time in a catalogue is nothing rare.
        same = math.exp(-0.5 * (difference / SIGMA_S) ** 2) / (SIGMA_S * math.sqrt(2 * math.pi))
        worth += math.log(max(0.97 * same + 0.03 / (4 * _ANY_S), 1e-12) * _ANY_S)
    if one.title and other.title:
        like = likeness(one.title, other.title)
        worth += 3.0 if like > 0.9 else 8.0 * (like - 0.6)
    return worth
