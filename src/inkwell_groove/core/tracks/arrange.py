"""Fitting what was heard to what is known: a number of tracks, or the durations a catalogue gives."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import numpy.typing as npt

from inkwell_groove.core.tracks.gaps import GapSettings, Stretch, gap_confidence
from inkwell_groove.core.tracks.levels import HOP_S, LevelCurve, smooth

SEGUE_CONFIDENCE = 0.2
_RATIOS = np.arange(0.95, 1.0501, 0.0025)  # no turntable in use is further off its speed
_SLACK_S = 1.5  # by how much a printed duration is usually off
_SEGUE_COST = 3.0
_MAX_COST = 16.0  # a duration that is off by more than four times the slack is disbelieved, not followed


@dataclass(frozen=True)
class Join:
    """A place where one track may end (hop `end`) and the next begin (hop `start`)."""

    end: int
    start: int
    confidence: float


@dataclass(frozen=True)
class Arrangement:
    joins: tuple[Join, ...]
    speed_ratio: float | None


def joins_of(stretches: Sequence[Stretch]) -> list[Join]:
    """Every gap as a possible join."""
    joins = []
    for before, after in pairwise(stretches):
        contrast = min(before.contrast_db, after.contrast_db)
        joins.append(Join(before.end, after.start, gap_confidence((after.start - before.end) * HOP_S, contrast)))
    return joins


def by_gaps(stretches: Sequence[Stretch], settings: GapSettings) -> Arrangement:
    """Nothing known: every gap is a join, the least sure given up while a track would be too short."""
    joins = joins_of(stretches)
    first, last = stretches[0].start, stretches[-1].end
    while joins:
        starts = [first, *(join.start for join in joins)]
        ends = [*(join.end for join in joins), last]
        short = [i for i in range(len(starts)) if (ends[i] - starts[i]) * HOP_S < settings.min_track_s]
        beside = {j for i in short for j in (i - 1, i) if 0 <= j < len(joins)}
        if not beside:
            break
        joins.pop(min(beside, key=lambda j: joins[j].confidence))
    return Arrangement(tuple(joins), None)


def by_count(stretches: Sequence[Stretch], count: int, curve: LevelCurve) -> Arrangement:
    """A known number of tracks: the surest gaps, and where they do not suffice the deepest dip of the longest track."""
    joins = sorted(joins_of(stretches), key=lambda join: -join.confidence)[: max(0, count - 1)]
    joins.sort(key=lambda join: join.start)
    first, last = stretches[0].start, stretches[-1].end
    steady = smooth(curve.level_dbfs, round(0.5 / HOP_S))
    while len(joins) < count - 1:
        starts = [first, *(join.start for join in joins)]
        ends = [*(join.end for join in joins), last]
        longest = max(range(len(starts)), key=lambda i: ends[i] - starts[i])
        start, end = starts[longest], ends[longest]
        margin = (end - start) // 4
        dip = start + margin + int(np.argmin(steady[start + margin : end - margin])) if end - start > 8 else start + 1
        joins.insert(longest, Join(dip, dip, SEGUE_CONFIDENCE))
    return Arrangement(tuple(joins), None)


def by_durations(stretches: Sequence[Stretch], durations_s: Sequence[float | None], curve: LevelCurve) -> Arrangement:
    """Known durations: all joins placed together by a dynamic programme under one speed ratio for the side.

    Candidates are the gaps, and at a price the dips of the level where two tracks may run into each other. Each
    track's length, with or without the gap after it, is held against its duration; a missing one costs nothing.
    """
    candidates = sorted([*joins_of(stretches), *_dips(stretches, curve)], key=lambda join: join.start)
    wanted = len(durations_s) - 1
    if wanted < 1 or len(candidates) < wanted:
        return by_count(stretches, len(durations_s), curve)
    best: tuple[float, list[int], float] | None = None
    for ratio in _RATIOS:
        cost, chosen = _place(candidates, stretches[0].start, stretches[-1].end, durations_s, float(ratio))
        if best is None or cost < best[0]:
            best = (cost, chosen, float(ratio))
    assert best is not None
    joins = [candidates[i] for i in best[1]]
    ratio = _refined_ratio(joins, stretches[0].start, stretches[-1].end, durations_s)
    return Arrangement(tuple(joins), ratio if ratio is not None else best[2])


def _dips(stretches: Sequence[Stretch], curve: LevelCurve) -> list[Join]:
    """The quietest half-second of every 2 s of music."""
    steady = smooth(curve.level_dbfs, round(0.5 / HOP_S))
    span = round(2.0 / HOP_S)
    dips = []
    for stretch in stretches:
        for first in range(stretch.start + span, stretch.end - span, span):
            at = first + int(np.argmin(steady[first : first + span]))
            dips.append(Join(at, at, SEGUE_CONFIDENCE))
    return dips


def _track_cost(
    start: npt.NDArray[np.int64],
    end: npt.NDArray[np.int64],
    next_start: npt.NDArray[np.int64],
    duration_s: float,
    ratio: float,
) -> npt.NDArray[np.float64]:
    without = np.abs((end - start) * HOP_S * ratio - duration_s)
    with_gap = np.abs((next_start - start) * HOP_S * ratio - duration_s)
    return np.asarray(np.minimum((np.minimum(without, with_gap) / _SLACK_S) ** 2, _MAX_COST))


def _place(
    candidates: Sequence[Join], first: int, last: int, durations_s: Sequence[float | None], ratio: float
) -> tuple[float, list[int]]:
    """The cheapest increasing choice of candidates for all joins at one speed ratio: (cost, indices)."""
    starts = np.array([join.start for join in candidates])
    ends = np.array([join.end for join in candidates])
    own = np.array(
        [_SEGUE_COST if join.confidence <= SEGUE_CONFIDENCE else 1.0 - join.confidence for join in candidates]
    )
    wanted, n = len(durations_s) - 1, len(candidates)
    allowed = starts[:, None] < ends[None, :]  # from candidate i to the later candidate j
    duration = durations_s[0]
    cost = own.copy()
    if duration is not None:
        cost += _track_cost(np.full(n, first), ends, starts, duration, ratio)
    back: list[npt.NDArray[np.int64]] = []
    for track in range(1, wanted):
        duration = durations_s[track]
        step = np.zeros((n, n))
        if duration is not None:
            step = _track_cost(starts[:, None], ends[None, :], starts[None, :], duration, ratio)
        total = np.where(allowed, cost[:, None] + step, np.inf)
        back.append(np.argmin(total, axis=0))
        cost = np.min(total, axis=0) + own
    duration = durations_s[-1]
    if duration is not None:
        cost = cost + _track_cost(starts, np.full(n, last), np.full(n, last), duration, ratio)
    at = int(np.argmin(cost))
    chosen = [at]
    for step_back in reversed(back):
        chosen.insert(0, int(step_back[chosen[0]]))
    return float(cost[at]), chosen


def _refined_ratio(joins: Sequence[Join], first: int, last: int, durations_s: Sequence[float | None]) -> float | None:
    """Median of duration over length among the tracks that agree; none where no duration can be believed."""
    starts = [first, *(join.start for join in joins)]
    ends = [*(join.end for join in joins), last]
    next_starts = [*starts[1:], last]
    ratios = []
    for start, end, after, duration in zip(starts, ends, next_starts, durations_s, strict=True):
        if duration:
            both = [duration / ((stop - start) * HOP_S) for stop in (end, after)]
            ratios.append(min(both, key=lambda ratio: abs(ratio - 1)))
    near = [ratio for ratio in ratios if 0.94 < ratio < 1.06]
    return float(np.median(near)) if near else None
