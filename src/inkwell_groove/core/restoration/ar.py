"""Autoregressive models of sound: estimated, used to predict, and used to look at what prediction cannot explain.

A frame of sound x follows x[n] = -a[1] x[n-1] - ... - a[p] x[n-p] + e[n]; e is its excitation. Music's excitation is
small and steady, a click is excitation and nothing else (Godsill and Rayner, Digital Audio Restoration, 1998, ch. 5).
Filters are stored with a[0] = 1.
"""

from __future__ import annotations

import numba
import numpy as np
import numpy.typing as npt
from scipy.fft import irfft, next_fast_len, rfft

Vector = npt.NDArray[np.float64]
Matrix = npt.NDArray[np.float64]
_SUMMED_ORDER = 64  # up to which summing is quicker than a transform


def autocorrelation(sound: Matrix, order: int) -> Matrix:
    """(frames, samples) to (frames, order + 1): the sums of products at lags 0 to `order`.

    Few lags are summed as they stand, many by FFT.
    """
    if order <= _SUMMED_ORDER:
        return np.asarray(lags(np.ascontiguousarray(sound), order))
    size = next_fast_len(sound.shape[-1] + order + 1, real=True)
    spectrum = rfft(sound, size, axis=-1)
    power = spectrum.real**2 + spectrum.imag**2
    return np.ascontiguousarray(irfft(power, size, axis=-1)[..., : order + 1])


@numba.njit(nogil=True, cache=True, fastmath=True)
def lags(sound: Matrix, order: int) -> Matrix:  # pragma: no cover: compiled
    """As `autocorrelation`, summed as it stands."""
    frames, samples = sound.shape
    out = np.zeros((frames, order + 1))
    for frame in range(frames):
        one = sound[frame]
        for lag in range(min(order + 1, samples)):
            later = one[lag:]
            total = 0.0
            for n in range(samples - lag):
                total += one[n] * later[n]
            out[frame, lag] = total
    return out


@numba.njit(nogil=True, cache=True, fastmath=True)
def levinson(r: Vector, order: int) -> Vector:  # pragma: no cover: compiled
    """The prediction filter (order + 1,) of autocorrelations `r` by the Levinson-Durbin recursion.

    A silent frame (r[0] of 0) gives the filter that predicts nothing. The recursion stops where rounding would make
    the model unstable, and the filter is then of a lower order.
    """
    a = np.zeros(order + 1)
    a[0] = 1.0
    error = r[0]
    if error <= 0.0:
        return a
    mirrored = np.zeros(order + 1)
    for k in range(1, order + 1):
        reached = 0.0
        for i in range(k):
            reached += a[i] * r[k - i]
        reflection = -reached / error
        if not -1.0 < reflection < 1.0:
            break
        for i in range(k + 1):
            mirrored[i] = a[k - i]
        for i in range(1, k + 1):
            a[i] += reflection * mirrored[i]
        error *= 1.0 - reflection * reflection
    return a


@numba.njit(nogil=True, cache=True, fastmath=True)
def filters_of(correlations: Matrix, order: int) -> Matrix:  # pragma: no cover: compiled
    """(frames, order + 1) autocorrelations to as many prediction filters."""
    out = np.zeros((len(correlations), order + 1))
    for frame in range(len(correlations)):
        out[frame] = levinson(correlations[frame], order)
    return out


@numba.njit(nogil=True, cache=True)
def solve_toeplitz(column: Vector, right: Vector) -> tuple[Vector, bool]:  # pragma: no cover: compiled
    """The solution (n,) of a symmetric Toeplitz system of which `column` (n,) is the first column, in n² steps, and
    whether it is to be believed: not where rounding has made the matrix indefinite.

    Levinson's recursion (Golub and Van Loan, Matrix Computations, 2013, algorithm 4.7.2).
    """
    n = len(column)
    x, y, mirrored = np.zeros(n), np.zeros(n), np.zeros(n)
    if not column[0] > 0.0:
        return x, False
    scale = 1.0 / column[0]
    reversed_ = column[::-1] * scale
    x[0] = right[0] * scale
    left, reflection = 1.0, 0.0
    for k in range(1, n):
        # `y` solves the system of size k whose right side is the column from its second row on, turned over.
        reflection = -(reversed_[n - 1 - k] + _product(reversed_[n - k : n - 1], y[: k - 1])) / left
        left *= 1.0 - reflection * reflection
        if not left > 0.0:
            return x, False
        mirrored[: k - 1] = y[: k - 1][::-1]
        _add_times(y[: k - 1], mirrored[: k - 1], reflection)
        y[k - 1] = reflection
        step = (right[k] * scale - _product(reversed_[n - 1 - k : n - 1], x[:k])) / left
        mirrored[:k] = y[:k][::-1]
        _add_times(x[:k], mirrored[:k], step)
        x[k] = step
    return x, True


@numba.njit(nogil=True, cache=True, fastmath=True)
def _product(one: Vector, other: Vector) -> float:  # pragma: no cover: compiled
    total = 0.0
    for i in range(len(one)):
        total += one[i] * other[i]
    return total


@numba.njit(nogil=True, cache=True)
def _add_times(out: Vector, other: Vector, factor: float) -> None:  # pragma: no cover: compiled
    for i in range(len(out)):
        out[i] += factor * other[i]


@numba.njit(nogil=True, cache=True, fastmath=True)
def add_filtered(out, sound, weights):  # type: ignore[no-untyped-def] # pragma: no cover: compiled
    """Adds to out[n] the sum over i of weights[i] sound[n + i]; `sound` reaches len(weights) - 1 beyond `out`."""
    samples, taps = len(out), len(weights)
    # By fours, over slices that begin at 0: that is what the compiler makes vectors of, twenty times as fast.
    i = 0
    while i + 4 <= taps:
        a, b, c, d = weights[i], weights[i + 1], weights[i + 2], weights[i + 3]
        first, second = sound[i : i + samples], sound[i + 1 : i + 1 + samples]
        third, fourth = sound[i + 2 : i + 2 + samples], sound[i + 3 : i + 3 + samples]
        for n in range(samples):
            out[n] += a * first[n] + b * second[n] + c * third[n] + d * fourth[n]
        i += 4
    while i < taps:
        a, first = weights[i], sound[i : i + samples]
        for n in range(samples):
            out[n] += a * first[n]
        i += 1


@numba.njit(nogil=True, cache=True)
def predict_error(
    sound: npt.NDArray[np.float32], filters: npt.NDArray[np.float32], hop: int
) -> npt.NDArray[np.float32]:  # pragma: no cover: compiled
    """(samples,) to the excitation (samples,): frame f's filter is used for samples [f hop, (f + 1) hop).

    The first `order` samples have no past here and are given as 0.
    """
    order = filters.shape[1] - 1
    out = np.zeros(len(sound), np.float32)
    for frame in range(filters.shape[0]):
        first, end = max(frame * hop, order), min((frame + 1) * hop, len(sound))
        if first < end:
            add_filtered(out[first:end], sound[first - order : end], filters[frame, ::-1].copy())
    return out


@numba.njit(nogil=True, cache=True)
def predict_back(
    sound: npt.NDArray[np.float32], filters: npt.NDArray[np.float32], hop: int
) -> npt.NDArray[np.float32]:  # pragma: no cover: compiled
    """The excitation (samples,) when each sample is predicted from those after it. The last `order` are given as 0."""
    order = filters.shape[1] - 1
    out = np.zeros(len(sound), np.float32)
    for frame in range(filters.shape[0]):
        first, end = frame * hop, min((frame + 1) * hop, len(sound) - order)
        if first < end:
            add_filtered(out[first:end], sound[first : end + order], filters[frame])
    return out


@numba.njit(nogil=True, cache=True)
def matched(
    excitation: npt.NDArray[np.float32], filters: npt.NDArray[np.float32], hop: int
) -> npt.NDArray[np.float32]:  # pragma: no cover: compiled
    """The excitation (samples,) run backwards through the same filters, which gathers a one-sample click where it lies.

    That is the error of predicting each sample from both sides, scaled so that white excitation of variance 1 gives
    variance 1. The last `order` samples have no future here and are given as 0.
    """
    scaled = np.empty_like(filters)
    for frame in range(filters.shape[0]):
        scaled[frame] = filters[frame] / np.sqrt((filters[frame] ** 2).sum())
    out: npt.NDArray[np.float32] = predict_back(excitation, scaled, hop)
    return out
