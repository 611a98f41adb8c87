"""What was there before the click: damaged samples put back from what lies around them.

The music around a gap is taken for an autoregressive process of high order, estimated over a tenth of a second on
either side, and the gap is filled with what that process most likely did (Janssen, Veldhuis and Vries, 1986: the
least-squares interpolator, its model estimated again with the gap filled). Damaged samples are not lost ones, though: a
click is added to the music, and where it is small the sample still tells most of it. So the click is modelled too, as
noise of its own strength at each sample and its own colour, and both are told apart by what each is likely to be
(Godsill and Rayner, Digital Audio Restoration, 1998, section 5.5, there for white noise of one strength).
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import NamedTuple

import numba
import numpy as np
import numpy.typing as npt
from scipy.linalg import cho_factor, cho_solve, lstsq

from inkwell_groove.core.restoration import ar

Vector = npt.NDArray[np.float64]

FIRST_ORDER = 32
_FIRST_CONTEXT = 512
_ROUNDS = 4
_STRENGTH_SMOOTHED = 15  # samples over which a click's strength is taken to be alike
_CLICK_ORDER = 2
_WORTH = 1.0  # of the likely error of a repair, against the damage it takes away
_NEAR = 192  # samples beside a gap in which the excitation is measured again
_SWINGS, _STILL = 1.5, 1.0  # times the power of the music around
_SHARE = 4  # of a short gap, over which its strength is smoothed instead
_TINY = 1e-16  # far under the finest step of any take


class Gap(NamedTuple):
    """Damaged samples [start, end) of one channel. `lost` when nothing of what was measured there is to be believed."""

    start: int
    end: int
    lost: bool = False


@dataclass(frozen=True)
class Reach:
    """How far one looks for what belongs into a gap: a model of `order`, from `window` samples, for each `step`."""

    rate_hz: int

    @property
    def _doubled(self) -> int:
        return 1 if self.rate_hz <= 50_000 else 2 if self.rate_hz <= 100_000 else 4

    @property
    def order(self) -> int:
        return 400 * self._doubled

    @property
    def window(self) -> int:
        return 8192 * self._doubled

    @property
    def step(self) -> int:
        return 2048 * self._doubled


def mend(
    sound: Vector, gaps: list[Gap], reach: Reach, from_sample: int = 0, to_sample: int | None = None,
    *, rounds: int = _ROUNDS,
) -> Vector:  # fmt: skip
    """One channel (samples,) with its gaps filled; all samples outside them are as they were.

    Gaps are in order and do not touch. Those that begin in [from_sample, to_sample) are filled with all care, the
    others just well enough not to disturb them. The models lie on a grid that begins at `from_sample`, so the same
    stretch with the same context always gives the same.
    """
    out = sound.copy()
    for gap in gaps:
        _fill_first(out, gap)
    models: dict[int, tuple[Vector, float]] = {}
    for gap in gaps:
        if not from_sample <= gap.start < (len(sound) if to_sample is None else to_sample):
            continue
        cell = (gap.start - from_sample) // reach.step
        if cell not in models:
            centre = from_sample + cell * reach.step + reach.step // 2
            around = out[max(0, centre - reach.window // 2) : centre + reach.window // 2]
            models[cell] = model_of(around, max(1, min(reach.order, len(around) // 4)))
        filter_, error = models[cell]
        known = min(gap.start, len(out) - gap.end)
        if known < len(filter_) - 1:
            filter_, error = model_of(out, max(1, min(known, reach.order))) if known else (np.ones(1), error)
        error = max(error, _excitation_near(out, gap.start, gap.end, filter_))
        out[gap.start : gap.end] = _filled(sound, out, gap, filter_, error, rounds)
    return out


def _filled(sound: Vector, out: Vector, gap: Gap, filter_: Vector, error: float, rounds: int) -> Vector:
    if gap.lost:
        return lost(out, gap.start, gap.end, filter_)
    expected, matrix, right = _expected(out, gap.start, gap.end, filter_)
    try:
        apart = _told_apart(sound[gap.start : gap.end], expected, matrix / error, right / error, rounds)
    except np.linalg.LinAlgError:
        return expected
    return np.asarray(apart)


def _expected(out: Vector, start: int, end: int, filter_: Vector) -> tuple[Vector, npt.NDArray[np.float64], Vector]:
    """As `lost`, by the normal equations, which are handed back too: quicker, and right to six figures or so."""
    matrix, right = _normal_equations(out, start, end, filter_)
    try:
        return np.asarray(cho_solve(cho_factor(matrix), right)), matrix, right
    except np.linalg.LinAlgError:  # a stretch so predictable that rounding undoes it
        matrix[np.diag_indices(len(matrix))] *= 1.0 + 1e-7
        return lost(out, start, end, filter_), matrix, right


def swing_after(sound: Vector, start: int, end: int, room: int) -> int:
    """For how many samples after a damaged stretch, of at most `room`, what is there is too large to be music.

    It is filled along with the stretch, and what was there is held against that, part by part, and against how loud
    the music around is.
    """
    filled = sound.copy()
    to = min(len(sound), end + room)
    _fill_first(filled, Gap(start, to))
    around = filled[max(0, start - 2 * room) : to + 2 * room]
    off = (sound[end:to] - filled[end:to]) ** 2
    level = float((around**2).mean()) + _TINY
    part = max(4, room // 5)
    reached = 0
    while reached < len(off) and off[reached : reached + part].mean() > (_SWINGS if not reached else _STILL) * level:
        reached += part
    return min(reached, len(off))


def _fill_first(out: Vector, gap: Gap) -> None:
    """Fills a gap in place by a model of low order from close by, estimated with the gap bridged by a line."""
    first, last = max(0, gap.start - _FIRST_CONTEXT), min(len(out), gap.end + _FIRST_CONTEXT)
    near = out[first:last]
    start, end = gap.start - first, gap.end - first
    order = min(FIRST_ORDER, start, len(near) - end)
    edges = near[start - 1] if start else 0.0, near[end] if end < len(near) else 0.0
    near[start:end] = np.linspace(*edges, end - start + 2)[1:-1]
    if order >= 1:
        filter_, _ = model_of(near, order)
        near[start:end] = _expected(near, start, end, filter_)[0]


def lost(sound: Vector, start: int, end: int, filter_: Vector) -> Vector:
    """Samples [start, end) of `sound` as the least-squares interpolator of a known prediction filter has them.

    `sound` must reach at least the filter's order beyond the gap on both sides; what lies in the gap is not looked at.
    """
    # Solved as it stands: the normal equations would square its condition, and with it the error of rounding.
    order, gap = len(filter_) - 1, end - start
    around = sound[start - order : end + order].copy()
    around[order : order + gap] = 0.0
    rows = np.zeros((gap + order, gap))
    for lag, weight in enumerate(filter_):
        rows[np.arange(gap) + lag, np.arange(gap)] = weight
    solved, *_ = lstsq(rows, -np.convolve(around, filter_, "valid"), lapack_driver="gelsy", check_finite=False)
    return np.asarray(solved)


@lru_cache(maxsize=8)
def _window(samples: int) -> Vector:
    return np.asarray(np.hanning(samples + 2)[1:-1])


def model_of(sound: Vector, order: int) -> tuple[Vector, float]:
    """The prediction filter of a stretch, and the variance of its excitation, never 0."""
    shape = _window(len(sound))
    r = ar.autocorrelation((sound * shape)[None], order)[0]
    r[0] += r[0] * 1e-9 + _TINY * len(sound)
    filter_ = ar.levinson(r, order)
    return filter_, max(float(filter_ @ r) / float((shape**2).sum()), _TINY)


def solve_gap(
    sound: Vector, start: int, end: int, filter_: Vector, held: npt.NDArray[np.bool_], value: Vector
) -> Vector:
    """As `lost`, where some samples of the gap are `held` at their `value`."""
    matrix, right = _normal_equations(sound, start, end, filter_)
    out = value.copy()
    free = ~held
    if free.any():
        known = right[free] - matrix[np.ix_(free, held)] @ value[held]
        out[free] = cho_solve(cho_factor(matrix[np.ix_(free, free)]), known)
    return out


@numba.njit(nogil=True, cache=True, fastmath=True)
def _excitation_near(sound, start, end, filter_):  # type: ignore[no-untyped-def] # pragma: no cover: compiled
    """The variance of the excitation in the samples next to a gap, of the side where it is larger.

    Beside the attack of a note the model of the whole stretch is surer of itself than it should be.
    """
    order = len(filter_) - 1
    most = 0.0
    for first in (start - _NEAR, end):
        a, b = max(order, first), min(len(sound), first + _NEAR)
        if b - a < 32:
            continue
        total = 0.0
        for n in range(a, b):
            e = 0.0
            for i in range(order + 1):
                e += filter_[i] * sound[n - i]
            total += e * e
        most = max(most, total / (b - a))
    return most


@numba.njit(nogil=True, cache=True, fastmath=True)
def _normal_equations(sound, start, end, filter_):  # type: ignore[no-untyped-def] # pragma: no cover: compiled
    """(gap, gap) and (gap,): the matrix and right side whose solution makes the excitation smallest."""
    order, gap = len(filter_) - 1, end - start
    own = np.zeros(order + 1)
    for lag in range(order + 1):
        total = 0.0
        for i in range(order + 1 - lag):
            total += filter_[i] * filter_[i + lag]
        own[lag] = total
    matrix = np.zeros((gap, gap))
    right = np.zeros(gap)
    for i in range(gap):
        for j in range(max(0, i - order), min(gap, i + order + 1)):
            matrix[i, j] = own[abs(i - j)]
        matrix[i, i] *= 1.0 + 1e-12
        total = 0.0
        for lag in range(1, order + 1):
            before, after = start + i - lag, start + i + lag
            if before < start:
                total -= own[lag] * sound[before]
            if after >= end:
                total -= own[lag] * sound[after]
        right[i] = total
    return matrix, right


@numba.njit(nogil=True, cache=True)
def _told_apart(measured, expected, precision, right, rounds):  # type: ignore[no-untyped-def] # pragma: no cover: compiled
    """The music in a gap, given what was measured there and what is expected of the music alone.

    Click and music are estimated by turns: the strength and colour of the one from what is left by the other.
    """
    samples = len(measured)
    spread = np.zeros((samples, samples))
    music = expected.copy()
    for _ in range(rounds):
        click = measured - music
        strength = _smoothed(click * click + np.diag(spread), min(_STRENGTH_SMOOTHED, max(1, samples // _SHARE)))
        noise = np.zeros((samples, samples))
        if samples > 2 * _CLICK_ORDER:
            _coloured(click, spread, 1.0 / np.sqrt(strength), noise)
        else:
            for i in range(samples):
                noise[i, i] = 1.0 / strength[i]
        spread = np.linalg.inv(precision + noise)
        music = spread @ (right + noise @ measured)
    # Where the guess is likely further from the music than the damage is, the damage stays.
    click = measured - music
    return music if _WORTH * np.trace(spread) < (click * click).sum() else measured.copy()


@numba.njit(nogil=True, cache=True, fastmath=True)
def _coloured(click, spread, weight, noise):  # type: ignore[no-untyped-def] # pragma: no cover: compiled
    """Writes into `noise` the precision matrix of a click of the given strength and of its own short correlation."""
    samples = len(click)
    r = np.zeros(_CLICK_ORDER + 1)
    for lag in range(_CLICK_ORDER + 1):
        for i in range(samples - lag):
            r[lag] += (click[i] * click[i + lag] + spread[i, i + lag]) * weight[i] * weight[i + lag]
    r /= samples
    r[0] *= 1.05 + 4.0 / samples
    filter_ = ar.levinson(r, _CLICK_ORDER)
    left = 0.0
    for lag in range(_CLICK_ORDER + 1):
        left += filter_[lag] * r[lag]
    scale = r[0] / left
    for n in range(samples):
        for i in range(min(n, _CLICK_ORDER) + 1):
            for j in range(min(n, _CLICK_ORDER) + 1):
                noise[n - i, n - j] += filter_[i] * filter_[j] * weight[n - i] * weight[n - j] * scale


@numba.njit(nogil=True, cache=True)
def _smoothed(values, width):  # type: ignore[no-untyped-def] # pragma: no cover: compiled
    """The mean over the samples around each, the ends held on, and never quite 0."""
    half = width // 2
    out = np.empty(len(values))
    for i in range(len(values)):
        total = 0.0
        for j in range(i - half, i + half + 1):
            total += values[min(max(j, 0), len(values) - 1)]
        out[i] = total / (2 * half + 1) + _TINY
    return out
