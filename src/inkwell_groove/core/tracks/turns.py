"""The speed of a disc from its own turns: a locked groove ticks once each, wherever the needle is.

No tachometer and no catalogue is needed: 33 1/3 turns take 1.8 s, 45 take 1.333 s, 78.26 take 0.7667 s (common
practice), and what the ticks' period differs from the nearest of these is by how much the disc ran fast or slow.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import numpy.typing as npt

NOMINAL_RPM = (100 / 3, 45.0, 78.26)
FURTHEST = 0.06  # off its speed that a turntable still in use runs
_JITTER_S = 0.0012  # between the loudest moments of the same tick on two turns
_LOUD = 2.5  # times what the finder takes for a click: fine crackle has no period
_SURE_CHANCE = 0.003


class Turns(NamedTuple):
    """How fast a disc ran, 1 being its nominal speed, and how likely its ticks fell into place by chance."""

    speed: float
    chance: float


def turns_in(
    clicks_s: npt.NDArray[np.float64],
    heights: npt.NDArray[np.float32],
    from_s: float,
    to_s: float,
    *,
    rpm: float | None = None,
) -> Turns | None:
    """The turns that the clicks between two moments tell; None where they do not.

    `rpm` is the carrier's own speed where it is known. Of all ways to read three or more ticks as turns the one with
    the most ticks wins, if so many would fall into place by chance less often than three times in a thousand.
    """
    loud = clicks_s[(clicks_s >= from_s) & (clicks_s <= to_s) & (heights > _LOUD)]
    if not 3 <= len(loud) <= 2_000:
        return None
    span = loud[-1] - loud[0]
    density = len(loud) / max(span, 1.0)
    best: Turns | None = None
    for nominal in NOMINAL_RPM if rpm is None else (rpm,):
        turn = 60.0 / nominal
        for i, first in enumerate(loud):
            later = loud[i + 1 :]
            for second in later[(later > first + turn / (1 + FURTHEST)) & (later < first + turn / (1 - FURTHEST))]:
                hits, missed, period = _follow(loud, first, second)
                if hits < 3:
                    continue
                # Pairs to begin with, times the chance that each further turn finds a click in its place.
                per_turn = min(0.9, density * 2 * _JITTER_S * 1.5)
                pairs = len(loud) * max(0.3, density * turn * 2 * FURTHEST) * len(NOMINAL_RPM)
                chance = pairs * per_turn ** (hits - 2) * 2.0**missed
                if best is None or chance < best.chance:
                    best = Turns(turn / period, chance)
    return best if best is not None and best.chance <= _SURE_CHANCE else None


def _follow(clicks: npt.NDArray[np.float64], first: float, second: float) -> tuple[int, int, float]:
    """From two ticks on: how many fall into place, how many are missing between, and the period they agree on."""
    at, turns = [first, second], [0, 1]
    period, missed, gap = second - first, 0, 0
    while True:
        turn = turns[-1] + 1 + gap
        wanted = at[0] + turn * period
        if wanted > clicks[-1] + _JITTER_S or gap > 1:
            return len(at), missed, period
        nearest = clicks[np.argmin(np.abs(clicks - wanted))]
        allowed = _JITTER_S * (1 + turn / turns[-1] if turns[-1] < 3 else 1.5)
        if abs(nearest - wanted) <= allowed:
            at.append(float(nearest))
            turns.append(turn)
            period = float(np.polyfit(turns, at, 1)[0])
            missed, gap = missed + gap, 0
        else:
            gap += 1
