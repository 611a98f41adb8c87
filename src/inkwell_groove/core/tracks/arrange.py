"""Fitting what was heard to what is known, all joins together.

A side is a path through the places at which a join may be, each track a step from one place to a later one. A step's
likelihood is that of the track's length under the catalogue's duration, one speed for the whole side and either all
durations with the gap after the track or none; a place's is its own odds to be a join. The best path is found by
dynamic programming for every speed; how sure a place is, by the sum over all paths through it (the forward-backward
algorithm: Rabiner, Proceedings of the IEEE, 1989).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise
from typing import Any

import numpy as np
import numpy.typing as npt

from inkwell_groove.core.tracks.candidates import Join
from inkwell_groove.core.tracks.found import FixedJoin, Settings

Floats64 = npt.NDArray[np.float64]

_SCALE_S = 0.7  # by how much a printed duration is usually off: it is rounded to seconds, and people count pauses
_BELIEVED = 0.94  # the share of durations that mean the track they stand beside
_ANY_S = 150.0  # over how many seconds a duration that is wrong may be wrong
_SKIP = -9.0  # log-odds that the catalogue lists a track that is not there
_SKIP_BLOCK = -14.0  # that it lists all of another side before or after
_EXTRA = -8.0  # that the side has a track the catalogue does not list
_REORDERED = -6.0
_COUNTS_GAP = -1.0  # that durations are told with the gap
_CLEARLY = 3.0
_RING_S = 0.3
_SPEED_SPREAD = 0.008
_MEASURED_SPREAD = 0.0006
_SPEEDS = np.arange(0.94, 1.0601, 0.003)
_NEVER = -1e9


@dataclass(frozen=True)
class Known:
    """What is known of a side: durations (None where one is missing), or a count, or nothing. `speed` is measured
    from a disc's turns.
    """

    durations_s: tuple[float | None, ...] | None = None
    count: int | None = None
    speed: float | None = None
    settings: Settings = field(default_factory=Settings)
    fixed: tuple[FixedJoin, ...] = ()


@dataclass(frozen=True)
class Arrangement:
    """The joins, first and last edge left out; for each how likely it is that there is a join; for each track which
    of the catalogue's it is (None: none of them); the speed, and how far it may be off.
    """

    joins: tuple[Join, ...]
    sure: tuple[float, ...]
    listed: tuple[int | None, ...]
    speed: float | None
    speed_spread: float
    counts_gap: bool
    score: float


def arrange(joins: Sequence[Join], first_s: float, last_s: float, known: Known) -> Arrangement:
    """The likeliest arrangement of a side whose music lasts from `first_s` to `last_s`."""
    if known.durations_s is None and known.count is None:
        return _Paths(joins, first_s, last_s, known).free()
    if known.durations_s is None:
        return _counted(joins, first_s, last_s, known)
    paths = _Paths(joins, first_s, last_s, known)
    best = paths.listed(tuple(range(len(known.durations_s))))
    other = _other_order(best, first_s, last_s, known.durations_s)
    if other is not None:
        again = paths.listed(other)
        if again.score + _REORDERED > best.score:
            return again
    return best


def _counted(joins: Sequence[Join], first_s: float, last_s: float, known: Known) -> Arrangement:
    assert known.count is not None
    blank = replace(known, durations_s=(None,) * known.count)
    found = _Paths(joins, first_s, last_s, blank).listed(tuple(range(known.count)), exactly=True)
    return Arrangement(found.joins, found.sure, found.listed, known.speed, found.speed_spread, False, found.score)


def _other_order(
    found: Arrangement, first_s: float, last_s: float, durations: Sequence[float | None]
) -> tuple[int, ...] | None:
    """Another order of the catalogue's tracks in which their durations fit the lengths found better."""
    from scipy.optimize import linear_sum_assignment  # 20 MB that a side without durations needs not

    starts = [first_s, *(join.start_s for join in found.joins)]
    ends = [*(join.end_s for join in found.joins), last_s]
    if len(starts) != len(durations) or any(value is None for value in durations):
        return None
    lengths = np.array(ends) - np.array(starts)
    speed = found.speed or 1.0
    off = np.abs(lengths[:, None] * speed - np.array([value or 0.0 for value in durations])[None, :])
    _, order = linear_sum_assignment(np.minimum(off, 20.0))
    return None if list(order) == list(range(len(order))) else tuple(int(one) for one in order)


class _Paths:
    """All paths through the places of one side."""

    def __init__(self, joins: Sequence[Join], first_s: float, last_s: float, known: Known) -> None:
        self._joins = list(joins)
        self._known = known
        # Node 0 is the first start, the last node the last end.
        self._starts = np.array([first_s, *(join.start_s for join in joins), last_s])
        self._ends = np.array([first_s, *(join.end_s for join in joins), last_s])
        self._odds = np.array([0.0, *(join.log_odds for join in joins), 0.0])
        gaps = [join.length_s for join in joins if join.kind == "gap" and join.log_odds > 0]
        usual_gap = float(np.median(gaps)) if gaps else 2.0
        follow = self._starts.copy()
        follow[-1] += usual_gap
        self._lengths = self._ends[None, :] - self._starts[:, None]
        self._lengths_with_gap = follow[None, :] - self._starts[:, None]
        self._later = self._lengths > 1.0

    def free(self) -> Arrangement:
        """Nothing known: any number of tracks, none shorter than the settings allow, parted by gaps long enough."""
        settings = self._known.settings
        own = self._odds + 2.0 * np.log(settings.sensitivity)
        for node, join in enumerate(self._joins, start=1):
            if join.kind in ("gap", "change") and join.length_s < settings.min_gap_s:
                own[node] = _NEVER
        step = np.where(self._later & (self._lengths >= settings.min_track_s), 0.0, _NEVER)
        step[0, -1] = max(step[0, -1], -20.0)  # music shorter than any track is still one
        n = len(own)
        forward, back, best = np.full(n, _NEVER), np.zeros(n, int), np.full(n, _NEVER)
        forward[0] = best[0] = 0.0
        for node in range(1, n):
            come = best[:node] + step[:node, node]
            back[node] = int(np.argmax(come))
            best[node] = come[back[node]] + own[node]
            forward[node] = _log_sum(forward[:node] + step[:node, node]) + own[node]
        behind = np.full(n, _NEVER)
        behind[-1] = 0.0
        for node in range(n - 2, -1, -1):
            behind[node] = _log_sum(step[node, node + 1 :] + own[node + 1 :] + behind[node + 1 :])
        path: list[int] = []
        at = int(back[-1])
        while at > 0:
            path.insert(0, at)
            at = int(back[at])
        sure = np.exp(np.minimum(0.0, forward + behind - forward[-1]))
        return Arrangement(
            tuple(self._joins[node - 1] for node in path),
            tuple(self._near(sure, node) for node in path),
            (None,) * (len(path) + 1),
            self._known.speed,
            _MEASURED_SPREAD if self._known.speed else 1.0,
            False,
            float(best[-1]),
        )

    def listed(self, order: tuple[int, ...], *, exactly: bool = False) -> Arrangement:
        """Tracks with durations, in this order of the catalogue's."""
        durations = [self._known.durations_s[index] for index in order] if self._known.durations_s else []
        told = any(value is not None for value in durations)
        modes = (False, True) if told else (False,)
        scored = []
        for speed in self._speeds() if told else [self._known.speed or 1.0]:
            for mode in modes:
                scored.append((self._quick(durations, speed, mode, exactly) + self._prior(speed, mode), speed, mode))
        top = max(scored)
        if told and self._known.speed is None:
            finer = [top[1] + by for by in np.arange(-0.0025, 0.0026, 0.0005)]
            scored += [
                (self._quick(durations, speed, top[2], exactly) + self._prior(speed, top[2]), speed, top[2])
                for speed in finer
            ]
            top = max(scored)
        _, speed, mode = top
        score, path, listed = self._best(durations, speed, mode, exactly)
        score += self._prior(speed, mode)
        sure = self._marginals(durations, speed, mode, exactly)
        refined, spread = self._speed(path, listed, durations, mode)
        if told and self._known.speed is None:
            # Durations that count the gap look like a carrier that ran slow: if both readings are likely, none is told.
            other = max(one[0] for one in scored if one[2] != mode)
            if top[0] - other < _CLEARLY:
                spread = 1.0
        measured = self._known.speed
        return Arrangement(
            joins=tuple(self._joins[node - 1] for node in path[1:-1]),
            sure=tuple(self._near(sure, node) for node in path[1:-1]),
            listed=tuple(None if index is None else order[index] for index in listed),
            speed=measured if measured is not None else refined,
            speed_spread=_MEASURED_SPREAD if measured is not None else spread,
            counts_gap=mode,
            score=score,
        )

    def _speeds(self) -> list[float]:
        measured = self._known.speed
        return [float(speed) for speed in _SPEEDS] if measured is None else [measured]

    def _prior(self, speed: float, counts_gap: bool) -> float:
        if self._known.speed is None:
            off = (speed - 1.0) / _SPEED_SPREAD
            return -1.5 * float(np.log1p(off * off / 2.0)) + (_COUNTS_GAP if counts_gap else 0.0)
        return _COUNTS_GAP if counts_gap else 0.0

    def _steps(self, duration_s: float | None, speed: float, counts_gap: bool, count: int) -> Floats64:
        """(nodes, nodes): log-likelihood that a track of this duration goes from one place to another."""
        lengths = (self._lengths_with_gap if counts_gap else self._lengths) * speed
        if duration_s is None:
            usual = max(20.0, (self._ends[-1] - self._starts[0]) / max(1, count))
            away = np.log(np.maximum(lengths, 0.5) / usual)
            like = -0.5 * (away / 0.8) ** 2 - np.log(2.0 * usual)
        else:
            off = (lengths - duration_s) / (_SCALE_S + 0.002 * duration_s)
            student = -2.0 * np.log1p(off * off / 3.0) - np.log(2.7 * _SCALE_S)  # three degrees of freedom
            wrong = -np.abs(lengths - duration_s) / _ANY_S - np.log(2 * _ANY_S)
            like = np.logaddexp(np.log(_BELIEVED) + student, np.log(1 - _BELIEVED) + wrong)
        return np.where(self._later, like, _NEVER)

    def _tables(
        self, durations: Sequence[float | None], speed: float, counts_gap: bool, exactly: bool
    ) -> tuple[list[Floats64], Floats64]:
        memo: dict[float | None, Floats64] = {}
        for value in durations:
            if value not in memo:
                memo[value] = self._steps(value, speed, counts_gap, len(durations))
        extra = self._steps(None, speed, counts_gap, len(durations)) + (_NEVER if exactly else _EXTRA)
        return [memo[value] for value in durations], extra

    def _quick(self, durations: Sequence[float | None], speed: float, counts_gap: bool, exactly: bool) -> float:
        """The score of the best path on which every track is one of the catalogue's: enough to compare speeds."""
        memo = {value: self._steps(value, speed, counts_gap, len(durations)) for value in set(durations)}
        k = len(durations)
        skip = _NEVER if exactly else _SKIP
        best = np.full(len(self._odds), _NEVER)
        best[0] = 0.0
        ended = best[-1] + (_NEVER if exactly else _block(k))
        for level, value in enumerate(durations, start=1):
            come = (best[:, None] + memo[value]).max(axis=0) + self._odds
            best = np.maximum(come, best + skip)
            best[0] = _NEVER if exactly else _block(level)
            ended = max(ended, best[-1] + (_block(k - level) if level == k or not exactly else _NEVER))
        return float(ended)

    def _best(
        self, durations: Sequence[float | None], speed: float, counts_gap: bool, exactly: bool
    ) -> tuple[float, list[int], list[int | None]]:
        """The best path: its score, its nodes, and which of the durations each step is."""
        tables, extra = self._tables(durations, speed, counts_gap, exactly)
        k, n = len(durations), len(self._odds)
        best = np.full((k + 1, n), _NEVER)
        came = np.full((k + 1, n, 2), -1)
        best[:, 0] = [0.0 if level == 0 else _NEVER if exactly else _block(level) for level in range(k + 1)]
        for level in range(k + 1):
            if level:
                step = best[level - 1][:, None] + tables[level - 1]
                _take(best, came, level, step, level - 1, self._odds)
                if not exactly:
                    skipped = best[level - 1] + _SKIP
                    better = skipped > best[level]
                    best[level][better] = skipped[better]
                    came[level][better] = np.stack([np.full(n, level - 1), np.arange(n)], axis=1)[better]
            if not exactly:
                # Tracks the catalogue does not list: within a level, from earlier places to later ones.
                for node in range(1, n):
                    come = best[level][:node] + extra[:node, node] + self._odds[node]
                    at = int(np.argmax(come))
                    if come[at] > best[level][node]:
                        best[level][node] = come[at]
                        came[level][node] = (level, at)
        ends = [
            best[level, -1] + (_block(k - level) if level == k or not exactly else _NEVER) for level in range(k + 1)
        ]
        level = int(np.argmax(ends))
        score, node = float(ends[level]), n - 1
        path = [node]
        listed: list[int | None] = []
        while node > 0 and came[level, node, 0] >= 0:
            before_level, before = (int(value) for value in came[level, node])
            if before != node:
                path.insert(0, before)
                listed.insert(0, before_level if before_level < level else None)
            level, node = before_level, before
        return score, path, listed

    def _marginals(self, durations: Sequence[float | None], speed: float, counts_gap: bool, exactly: bool) -> Floats64:
        """(nodes,): how likely each place is a join, over all paths."""
        tables, extra = self._tables(durations, speed, counts_gap, exactly)
        k, n = len(durations), len(self._odds)
        forward, behind = np.full((k + 1, n), _NEVER), np.full((k + 1, n), _NEVER)
        for level in range(k + 1):
            forward[level, 0] = 0.0 if level == 0 else _NEVER if exactly else _block(level)
            if level:
                step = _log_sum(forward[level - 1][:, None] + tables[level - 1], axis=0) + self._odds
                forward[level] = np.logaddexp(forward[level], step)
                if not exactly:
                    forward[level, 1:] = np.logaddexp(forward[level, 1:], forward[level - 1, 1:] + _SKIP)
            for node in range(1, n if not exactly else 0):
                come = _log_sum(forward[level][:node] + extra[:node, node]) + self._odds[node]
                forward[level][node] = np.logaddexp(forward[level][node], come)
        for level in range(k, -1, -1):
            behind[level, -1] = 0.0 if level == k else _NEVER if exactly else _block(k - level)
            if level < k:
                ahead = behind[level + 1] + self._odds
                behind[level] = np.logaddexp(behind[level], _log_sum(tables[level] + ahead[None, :], axis=1))
                if not exactly:
                    behind[level, :-1] = np.logaddexp(behind[level, :-1], behind[level + 1, :-1] + _SKIP)
            for node in range(n - 2 if not exactly else -1, -1, -1):
                go = _log_sum(extra[node, node + 1 :] + self._odds[node + 1 :] + behind[level][node + 1 :])
                behind[level][node] = np.logaddexp(behind[level][node], go)
        total = _log_sum(forward[:, -1] + behind[:, -1])
        return np.asarray(np.exp(np.minimum(0.0, _log_sum(forward + behind, axis=0) - total)))

    def _near(self, sure: Floats64, node: int) -> float:
        """The chance of a join within half a second of a place."""
        near = (np.abs(self._starts - self._starts[node]) < 0.5) | (np.abs(self._ends - self._ends[node]) < 0.5)
        near[[0, -1]] = False
        return float(min(1.0, sure[near].sum()))

    def _speed(
        self, path: Sequence[int], listed: Sequence[int | None], durations: Sequence[float | None], counts_gap: bool
    ) -> tuple[float | None, float]:
        """The speed the believed durations agree on, and its standard error."""
        lengths = self._lengths_with_gap if counts_gap else self._lengths
        pairs = []
        for (before, after), index in zip(pairwise(path), listed, strict=True):
            value = None if index is None else durations[index]
            if value is not None and abs(lengths[before, after] / value - 1) < 0.08:
                pairs.append((lengths[before, after], value))
        if len(pairs) < 2:
            return None, 1.0
        found, told = np.array(pairs).T
        speed = float(np.median(told / found))
        for _ in range(5):
            off = found * speed - told
            weight = 1 / (1 + (off / (2 * _SCALE_S)) ** 2)
            speed = float((weight * told * found).sum() / (weight * found * found).sum())
        off = found * speed - told
        weight = 1 / (1 + (off / (2 * _SCALE_S)) ** 2)
        scatter = max(0.35, float(np.sqrt((weight * off**2).sum() / max(0.5, weight.sum() - 1))))
        spread = scatter / float(np.sqrt((weight * found**2).sum()))
        # What rings on under the noise is on the sleeve and not in the length found, the same way on every track.
        spread = float(np.hypot(spread, _RING_S / np.average(found, weights=weight)))
        return speed, spread


def _log_sum(values: Floats64, axis: int | None = None) -> Any:
    """log of the sum of exp, as scipy's logsumexp but without the checks that cost ten times the sum."""
    top = values.max(axis=axis, keepdims=True)
    return (np.log(np.exp(values - top).sum(axis=axis, keepdims=True)) + top).squeeze(axis)[()]


def _block(tracks: int) -> float:
    """Log-odds that so many tracks at one end of the list belong elsewhere: one too many, or a whole side's."""
    return max(tracks * _SKIP, _SKIP_BLOCK - 0.3 * tracks) if tracks else 0.0


def _take(
    best: Floats64, came: npt.NDArray[np.int64], level: int, step: Floats64, from_level: int, odds: Floats64
) -> None:
    at = np.argmax(step, axis=0)
    value = step[at, np.arange(len(odds))] + odds
    better = value > best[level]
    best[level][better] = value[better]
    came[level][better, 0] = from_level
    came[level][better, 1] = at[better]
