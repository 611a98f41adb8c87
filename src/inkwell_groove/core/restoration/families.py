"""Damage that comes back once a turn: a scratch crosses the groove at nearly the same angle, turn after turn.

The distances between clicks pile up at one turn's time, 1.8 s, 1.333 s or 0.767 s (common practice), wherever the
speed of the carrier is a little off. Clicks that follow each other at that distance are one family; what was doubtful
alone is likely in a row of its kin.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from inkwell_groove.core.tracks.turns import NOMINAL_RPM

_NOMINAL_S = tuple(60.0 / rpm for rpm in NOMINAL_RPM)
FURTHEST = 0.06
_BIN_S = 0.0004
_NEAR_S = 0.0012  # between where a turn expects a click and where it lies
_FEWEST = 4
_LEAST = (0.0, 3.0, 6.0)  # log odds of those whose distances are looked at
_DOUBTFUL = -3.0  # log odds: what is less likely than this founds no family
_BELIEVED = 3.0  # added to the log odds of a member
_SURE = 6.0  # by how many standard deviations a pile of distances must exceed chance


class Kin(NamedTuple):
    """(candidates,) of log odds and families, and the turn they share; 0 without a family."""

    odds: npt.NDArray[np.float32]
    family: npt.NDArray[np.int32]
    turn_s: float


def find(start: npt.NDArray[np.int64], end: npt.NDArray[np.int64], odds: npt.NDArray[np.float32], rate_hz: int) -> Kin:
    """Families among candidates in order of place. Without one the odds come back as they were."""
    family = np.full(len(start), -1, np.int32)
    which = np.flatnonzero(odds > _DOUBTFUL)
    at_s = start[which] / rate_hz
    turn = _turn(at_s, odds[which])
    if turn is None:
        return Kin(odds, family, 0.0)
    rows = _rows(at_s, odds[which], turn, _density(at_s))
    believed = odds.copy()
    for number, row in enumerate(rows):
        members = which[row]
        family[members] = number
        believed[members] += np.float32(_BELIEVED)
    return Kin(believed, family, turn if rows else 0.0)


def _turn(at_s: npt.NDArray[np.float64], odds: npt.NDArray[np.float32]) -> float | None:
    """The time of one turn, if the distances between clicks tell one: all likely ones, or the surest, since much
    crackle hides a scratch.
    """
    told = [one for one in (_piled(at_s[odds > least]) for least in _LEAST) if one is not None]
    return max(told)[1] if told else None


def _piled(sure: npt.NDArray[np.float64]) -> tuple[float, float] | None:
    """By how much the distances at one turn's time stand out, and that time; None where none do."""
    if len(sure) < _FEWEST:
        return None
    sure = sure[np.concatenate([[True], np.diff(sure) > _NEAR_S])]  # the same click in both channels is one
    best: tuple[float, float] | None = None
    for nominal in _NOMINAL_S:
        low, high = nominal / (1 + FURTHEST), nominal / (1 - FURTHEST)
        first, last = np.searchsorted(sure, sure + low), np.searchsorted(sure, sure + high)
        apart = np.concatenate([sure[a:b] - one for one, a, b in zip(sure, first, last, strict=True)])
        if len(apart) < _FEWEST - 1:
            continue
        counts, edges = np.histogram(apart, bins=np.arange(low, high + _BIN_S, _BIN_S))
        piled = np.convolve(counts, np.ones(3), "same")
        usual = 3.0 * len(apart) / len(counts)
        top = int(np.argmax(piled))
        stands_out = (piled[top] - usual) / np.sqrt(usual + 0.3)
        if piled[top] >= _FEWEST - 1 and stands_out > _SURE and (best is None or stands_out > best[0]):
            centre = 0.5 * (edges[top] + edges[top + 1])
            best = (float(stands_out), float(np.median(apart[np.abs(apart - centre) < 1.5 * _BIN_S])))
    return best


def _density(at_s: npt.NDArray[np.float64]) -> float:
    return len(at_s) / max(1.0, float(at_s[-1] - at_s[0])) if len(at_s) else 0.0


def _rows(
    at_s: npt.NDArray[np.float64], odds: npt.NDArray[np.float32], turn_s: float, density: float
) -> list[npt.NDArray[np.int64]]:
    """Indices of clicks that follow each other at one turn's distance; one may be missing, not two."""
    taken = np.zeros(len(at_s), bool)
    rows = []
    for first in range(len(at_s)):
        if taken[first]:
            continue
        row, missed, wanted = [first], 0, at_s[first] + turn_s
        while missed < 2 and wanted <= at_s[-1] + _NEAR_S:
            a, b = np.searchsorted(at_s, [wanted - _NEAR_S, wanted + _NEAR_S])
            here = [k for k in range(a, b) if not taken[k]]
            if here:
                row += here
                missed, wanted = 0, float(np.mean(at_s[here])) + turn_s
            else:
                missed, wanted = missed + 1, wanted + turn_s
        turns = 1 + int(np.sum(np.diff(at_s[row]) > 0.5 * turn_s))
        if 2 * int(np.sum(odds[row] > 0.0)) < len(row):
            continue  # drums come back in time too
        # So many in their places by chance, from this beginning: less than once in a thousand.
        by_chance = min(0.9, density * 2 * _NEAR_S) ** (turns - 1)
        if turns >= _FEWEST and by_chance < 1e-3:
            # The other channel's part of the first click belongs to it too.
            row += [k for k in range(len(at_s)) if abs(at_s[k] - at_s[first]) < _NEAR_S and k not in row]
            taken[row] = True
            rows.append(np.array(sorted(row)))
    return rows
