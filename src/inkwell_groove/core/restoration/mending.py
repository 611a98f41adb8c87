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
from scipy.linalg import cho_factor, cho_solve, lapack, lstsq, toeplitz

from inkwell_groove.core.restoration import ar

Vector = npt.NDArray[np.float64]

FIRST_ORDER = 32
_FIRST_CONTEXT = 512
_ROUNDS, _ROUND_SAMPLES = 12, 650  # at most so many rounds, and samples over all rounds: long clicks are strong ones
_SETTLED = 1e-4  # times the samples: the share of its likely error, in power, by which a last round moves the music
_STRENGTH_SMOOTHED = 15  # samples over which a click's strength is taken to be alike
_CLICK_ORDER = 2
_LEAST_LEARNT = 0.2  # share of a click's strength taken as measured at least: less makes the rounds leap
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
    def worth(self) -> float:
        """By how much the damage must exceed the likely error of a repair: models are surer than they ought to be.

        At high rates gaps are long in samples, few rounds are spent on each, and the likely error is still overstated.
        """
        return 5.0 if self._doubled == 1 else 1.0

    @property
    def window(self) -> int:
        return 8192 * self._doubled

    @property
    def step(self) -> int:
        return 2048 * self._doubled


def mend(sound: Vector, gaps: list[Gap], reach: Reach, from_sample: int = 0, to_sample: int | None = None) -> Vector:
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
        out[gap.start : gap.end] = _filled(sound, out, gap, filter_, error, reach)
    return out


def _filled(sound: Vector, out: Vector, gap: Gap, filter_: Vector, error: float, reach: Reach) -> Vector:
    if gap.lost:
        return lost(out, gap.start, gap.end, filter_)
    expected, column, right = _expected(out, gap.start, gap.end, filter_)
    rounds = max(1, min(_ROUNDS, _ROUND_SAMPLES // (gap.end - gap.start)))
    return _told_apart(sound[gap.start : gap.end], expected, column / error, right / error, rounds, reach.worth)


def _expected(out: Vector, start: int, end: int, filter_: Vector) -> tuple[Vector, Vector, Vector]:
    """As `lost`, by the normal equations, which are handed back too: quicker, and right to six figures or so."""
    column, right = _normal_equations(out, start, end, filter_)
    solved, believed = ar.solve_toeplitz(column, right)
    if not believed:  # a stretch so predictable that rounding undoes it
        column[0] *= 1.0 + 1e-7
        solved = lost(out, start, end, filter_)
    return solved, column, right


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
    filter_, believed = _bridge(near, start, end, order, _window(len(near)))
    if not believed:
        near[start:end] = lost(near, start, end, filter_)


@numba.njit(nogil=True, cache=True)
def _bridge(near, start, end, order, window):  # type: ignore[no-untyped-def] # pragma: no cover: compiled
    """Fills samples [start, end); returns the filter used, and whether what it gave is to be believed."""
    before = near[start - 1] if start else 0.0
    after = near[end] if end < len(near) else 0.0
    for n in range(start, end):
        near[n] = before + (after - before) * (n - start + 1) / (end - start + 1)
    if order < 1:
        return np.ones(1), True
    filter_ = ar.levinson(_floored(ar.lags((near * window).reshape(1, -1), order)[0], len(near)), order)
    column, right = _normal_equations(near, start, end, filter_)
    solved, believed = ar.solve_toeplitz(column, right)
    if believed:
        near[start:end] = solved
    return filter_, believed


@numba.njit(nogil=True, cache=True)
def _floored(r, samples):  # type: ignore[no-untyped-def] # pragma: no cover: compiled
    r[0] += r[0] * 1e-9 + _TINY * samples
    return r


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


@lru_cache(maxsize=512)
def _window(samples: int) -> Vector:
    return np.asarray(np.hanning(samples + 2)[1:-1])


def model_of(sound: Vector, order: int) -> tuple[Vector, float]:
    """The prediction filter of a stretch, and the variance of its excitation, never 0."""
    shape = _window(len(sound))
    r = _floored(ar.autocorrelation((sound * shape)[None], order)[0], len(sound))
    filter_ = ar.levinson(r, order)
    return filter_, max(float(filter_ @ r) / float((shape**2).sum()), _TINY)


def solve_gap(
    sound: Vector, start: int, end: int, filter_: Vector, held: npt.NDArray[np.bool_], value: Vector
) -> Vector:
    """As `lost`, where some samples of the gap are `held` at their `value`."""
    column, right = _normal_equations(sound, start, end, filter_)
    matrix = toeplitz(column)
    out = value.copy()
    free = ~held
    if free.any():
        known = right[free] - matrix[np.ix_(free, held)] @ value[held]
        out[free] = cho_solve(cho_factor(matrix[np.ix_(free, free)]), known)
    return out


@numba.njit(nogil=True, cache=True)
def _excitation_near(sound, start, end, filter_):  # type: ignore[no-untyped-def] # pragma: no cover: compiled
    """The variance of the excitation in the samples next to a gap, of the side where it is larger.

    Beside the attack of a note the model of the whole stretch is surer of itself than it should be.
    """
    order = len(filter_) - 1
    reversed_ = filter_[::-1].copy()
    most = 0.0
    for first in (start - _NEAR, end):
        a, b = max(order, first), min(len(sound), first + _NEAR)
        if b - a < 32:
            continue
        excitation = np.zeros(b - a)
        ar.add_filtered(excitation, sound[a - order : b], reversed_)
        most = max(most, (excitation * excitation).sum() / (b - a))
    return most


@numba.njit(nogil=True, cache=True)
def _normal_equations(sound, start, end, filter_):  # type: ignore[no-untyped-def] # pragma: no cover: compiled
    """(gap,) and (gap,): the first column of the symmetric Toeplitz matrix, and the right side, whose solution makes
    the excitation smallest.
    """
    order, gap = len(filter_) - 1, end - start
    own = np.zeros(order + 1)
    ar.add_filtered(own, np.concatenate((filter_, np.zeros(order))), filter_)
    column = np.zeros(gap)
    reach = min(gap, order + 1)
    column[:reach] = own[:reach]
    column[0] *= 1.0 + 1e-12
    # What is known lies around an emptied gap, which adds nothing.
    around = sound[start - order : end + order].copy()
    around[order : order + gap] = 0.0
    right = np.zeros(gap)
    ar.add_filtered(right, around, -np.concatenate((own[:0:-1], own)))
    return column, right


def _told_apart(measured: Vector, expected: Vector, column: Vector, right: Vector, rounds: int, worth: float) -> Vector:
    """The music in a gap, given what was measured there and what is expected of the music alone.

    Click and music are estimated by turns: the strength and colour of the one from what is left by the other.
    """
    precision = toeplitz(column)
    spread = np.zeros((_CLICK_ORDER + 1, len(measured)))
    strength = np.full(len(measured), np.inf)
    music = expected
    for _ in range(rounds):
        both, wanted = precision.copy(), right.copy()
        strength = _add_click(measured, music, spread, strength, both, wanted)
        factor, failed = lapack.dpotrf(both.T, lower=1, clean=0, overwrite_a=1)
        if failed:
            return expected
        before = music
        music, _ = lapack.dpotrs(factor, wanted, lower=1)
        spread = _band_of_inverse(lapack.dtrtri(factor, lower=1, overwrite_c=1)[0].T)
        if ((music - before) ** 2).sum() < _SETTLED * len(measured) * spread[0].sum():
            break
    # Where the guess is likely further from the music than the damage is, the damage stays.
    click = measured - music
    return music if worth * spread[0].sum() < (click * click).sum() else measured


@numba.njit(nogil=True, cache=True, fastmath=True)
def _band_of_inverse(factor):  # type: ignore[no-untyped-def] # pragma: no cover: compiled
    """The diagonals of a symmetric matrix's inverse, from the middle one up, from the inverse of its Cholesky factor,
    handed in turned over, so that its columns are rows.
    """
    samples = len(factor)
    band = np.zeros((_CLICK_ORDER + 1, samples))
    for lag in range(_CLICK_ORDER + 1):
        for i in range(samples - lag):
            one, other = factor[i, i + lag :], factor[i + lag, i + lag :]
            total = 0.0
            for k in range(len(one)):
                total += one[k] * other[k]
            band[lag, i] = total
    return band


@numba.njit(nogil=True, cache=True)
def _add_click(measured, music, spread, before, precision, right):  # type: ignore[no-untyped-def] # pragma: no cover: compiled
    """Adds to the equations of the music what is known of the click on it, from the last guess of both.

    Returns the click's strength (samples,), that of the round before being handed in: how much of it was learnt from
    what was measured tells how far to go, which takes a fraction of the rounds that the mean of the squares would
    (MacKay, Bayesian interpolation, 1992).
    """
    samples = len(measured)
    click = measured - music
    width = min(_STRENGTH_SMOOTHED, max(1, samples // _SHARE))
    learnt = _smoothed(1.0 - spread[0] / before, width)
    strength = _smoothed(click * click, width) / np.maximum(learnt, _LEAST_LEARNT)
    band = np.zeros((_CLICK_ORDER + 1, samples))  # of the click's precision: its diagonals from the middle one up
    if samples > 2 * _CLICK_ORDER:
        _coloured(click, spread, 1.0 / np.sqrt(strength), band)
    else:
        band[0] = 1.0 / strength
    for lag in range(_CLICK_ORDER + 1):
        for i in range(samples - lag):
            precision[i, i + lag] += band[lag, i]
            right[i] += band[lag, i] * measured[i + lag]
            if lag:
                precision[i + lag, i] += band[lag, i]
                right[i + lag] += band[lag, i] * measured[i]
    return strength


@numba.njit(nogil=True, cache=True, fastmath=True)
def _coloured(click, spread, weight, band):  # type: ignore[no-untyped-def] # pragma: no cover: compiled
    """Writes into `band` the precision of a click of the given strength and of its own short correlation."""
    samples = len(click)
    r = np.zeros(_CLICK_ORDER + 1)
    for lag in range(_CLICK_ORDER + 1):
        for i in range(samples - lag):
            r[lag] += (click[i] * click[i + lag] + spread[lag, i]) * weight[i] * weight[i + lag]
    r /= samples
    r[0] *= 1.05 + 4.0 / samples
    filter_ = ar.levinson(r, _CLICK_ORDER)
    left = 0.0
    for lag in range(_CLICK_ORDER + 1):
        left += filter_[lag] * r[lag]
    scale = r[0] / left
    for n in range(samples):
        for i in range(min(n, _CLICK_ORDER) + 1):
            for j in range(i + 1):
                band[i - j, n - i] += filter_[i] * filter_[j] * weight[n - i] * weight[n - j] * scale


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
