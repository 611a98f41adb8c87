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


def autocorrelation(sound: Matrix, order: int) -> Matrix:
    """(frames, samples) to (frames, order + 1): the sums of products at lags 0 to `order`, by FFT."""
    size = next_fast_len(sound.shape[-1] + order + 1, real=True)
    spectrum = rfft(sound, size, axis=-1)
    power = spectrum.real**2 + spectrum.imag**2
    return np.ascontiguousarray(irfft(power, size, axis=-1)[..., : order + 1])


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


@numba.njit(nogil=True, cache=True, fastmath=True)
def predict_error(
    sound: npt.NDArray[np.float32], filters: npt.NDArray[np.float32], hop: int
) -> npt.NDArray[np.float32]:  # pragma: no cover: compiled
    """(samples,) to the excitation (samples,): frame f's filter is used for samples [f hop, (f + 1) hop).

    The first `order` samples have no past here and are given as 0.
    """
    order = filters.shape[1] - 1
    samples = len(sound)
    out = np.zeros(samples, np.float32)
    for frame in range(filters.shape[0]):
        first = max(frame * hop, order)
        end = min((frame + 1) * hop, samples)
        for i in range(order + 1):
            weight = filters[frame, i]
            for n in range(first, end):
                out[n] += weight * sound[n - i]
    return out


@numba.njit(nogil=True, cache=True, fastmath=True)
def predict_back(
    sound: npt.NDArray[np.float32], filters: npt.NDArray[np.float32], hop: int
) -> npt.NDArray[np.float32]:  # pragma: no cover: compiled
    """The excitation (samples,) when each sample is predicted from those after it. The last `order` are given as 0."""
    order = filters.shape[1] - 1
    out = np.zeros(len(sound), np.float32)
    for frame in range(filters.shape[0]):
        first = frame * hop
        end = min((frame + 1) * hop, len(sound) - order)
        for i in range(order + 1):
            weight = filters[frame, i]
            for n in range(first, end):
                out[n] += weight * sound[n + i]
    return out


@numba.njit(nogil=True, cache=True, fastmath=True)
def matched(
    excitation: npt.NDArray[np.float32], filters: npt.NDArray[np.float32], hop: int
) -> npt.NDArray[np.float32]:  # pragma: no cover: compiled
    """The excitation (samples,) run backwards through the same filters, which gathers a one-sample click where it lies.

    That is the error of predicting each sample from both sides, scaled so that white excitation of variance 1 gives
    variance 1. The last `order` samples have no future here and are given as 0.
    """
    order = filters.shape[1] - 1
    samples = len(excitation)
    out = np.zeros(samples, np.float32)
    for frame in range(filters.shape[0]):
        first = frame * hop
        end = min((frame + 1) * hop, samples - order)
        norm = np.float32(0.0)
        for i in range(order + 1):
            norm += filters[frame, i] ** 2
        scale = np.float32(1.0) / np.sqrt(norm)
        for i in range(order + 1):
            weight = filters[frame, i] * scale
            for n in range(first, end):
                out[n] += weight * excitation[n + i]
    return out
