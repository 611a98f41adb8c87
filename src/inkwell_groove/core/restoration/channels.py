"""Two channels put right: polarity, order, delay, balance, and one channel made of two."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from inkwell_groove.core.restoration.stream import Block, GridStep, Step, Stream

_TAPS = 64  # of the fractional delay, each side
_BETA = 10.0
_FRAME = 16_384
_MOST_US = 2_000.0
_BALANCE_S = 0.05


class Matrixed(Step):
    """Each channel a weighted sum of both."""

    def __init__(self, before: Stream, weights: npt.NDArray[np.float64]) -> None:
        """`weights` (channels out, channels in)."""
        super().__init__(before)
        self._weights = weights

    def read(self, first: int, samples: int) -> Block:
        return np.asarray(self.before.read(first, samples) @ self._weights.T)


class Delayed(Step):
    """The right channel held back by a part of a sample, or the left if it is below 0."""

    def __init__(self, before: Stream, delay_samples: float) -> None:
        super().__init__(before)
        late = abs(delay_samples)
        self._channel = 1 if delay_samples > 0 else 0
        self._whole = int(np.floor(late))
        n = np.arange(-_TAPS + 1, _TAPS + 1)
        x = n - (late - self._whole)
        window = np.i0(_BETA * np.sqrt(np.maximum(0.0, 1.0 - (x / _TAPS) ** 2))) / np.i0(_BETA)
        self._taps = np.sinc(x) * window

    def read(self, first: int, samples: int) -> Block:
        block = self.before.read(first, samples)
        wide = self.before.read(first - self._whole - _TAPS, samples + 2 * _TAPS - 1)[:, self._channel]
        block[:, self._channel] = np.convolve(wide, self._taps, "valid")[:samples]
        return block


class Quieter(GridStep):
    """Mono from two channels of the same groove: of each stretch, the more of each the less its own noise.

    What the two share is the music, what they differ by is dirt. Weights are those of the least noise in the sum
    (inverse to each channel's power of what the other does not have), for every 12 ms, smoothed.
    """

    def __init__(self, before: Stream) -> None:
        super().__init__(before)
        self._hop = max(1, round(0.012 * before.rate_hz))
        self.grid = self._hop * 128

    def make(self, first: int, samples: int) -> Block:
        margin = self._hop * 8
        block = self.before.read(first - margin, samples + 2 * margin)
        steps = np.diff(block, axis=0, prepend=block[:1])  # dirt is brighter than music
        cells = len(block) // self._hop
        power = (steps[: cells * self._hop] ** 2).reshape(cells, self._hop, 2).sum(axis=1)
        shared = (steps[: cells * self._hop].prod(axis=1)).reshape(cells, self._hop).sum(axis=1)
        kernel = np.hanning(7)[1:-1]
        kernel /= kernel.sum()
        power, shared = (
            np.apply_along_axis(lambda v: np.convolve(v, kernel, "same"), 0, one) for one in (power, shared)
        )
        own = np.maximum(power - np.maximum(shared, 0.0)[:, None], 1e-3 * power + 1e-18)
        left = own[:, 1] / own.sum(axis=1)
        centre = (np.arange(cells) + 0.5) * self._hop
        weight = np.interp(np.arange(margin, margin + samples), centre, left)
        part = block[margin : margin + samples]
        return np.repeat((weight * part[:, 0] + (1 - weight) * part[:, 1])[:, None], 2, axis=1)


def delay_us(stream: Stream, *, most_us: float = _MOST_US) -> float | None:
    """By how many microseconds the right channel lags the left over the side; None where they are not alike enough.

    The slope of the cross-spectrum's phase, each frequency counting by how alike the channels are in it (Hannan and
    Thomson, 1973), after the whole samples were found by its peak in time (Knapp and Carter, 1976).
    """
    if stream.channels != 2 or stream.samples < _FRAME:
        return None
    window = np.hanning(_FRAME)
    bins = _FRAME // 2 + 1
    cross, left, right = np.zeros(bins, complex), np.zeros(bins), np.zeros(bins)
    hop = max(_FRAME, stream.samples // 400)
    for first in range(0, stream.samples - _FRAME + 1, hop):
        one, other = (np.fft.rfft(line * window) for line in stream.read(first, _FRAME).T)
        # Loud moments do not outshout all others.
        size = float(np.sqrt((np.abs(one) ** 2).sum() * (np.abs(other) ** 2).sum())) + 1e-12
        cross += one * np.conj(other) / size
        left += np.abs(one) ** 2 / size
        right += np.abs(other) ** 2 / size
    likeness = np.clip(np.abs(cross) ** 2 / (left * right + 1e-30), 0.0, 0.9999)
    hz = np.arange(bins) * stream.rate_hz / _FRAME
    used = (hz > 150) & (hz < min(16_000, 0.45 * stream.rate_hz)) & (likeness > 0.3)
    if used.sum() < 50:
        return None
    most = max(2, round(most_us * 1e-6 * stream.rate_hz))
    whitened = np.where(used, likeness * cross / (np.abs(cross) + 1e-30), 0.0)
    lags = np.fft.irfft(np.conj(whitened), 8 * _FRAME)  # in eighths of a sample
    around = np.concatenate([lags[-8 * most :], lags[: 8 * most + 1]])
    seconds = (int(np.argmax(around)) - 8 * most) / 8 / stream.rate_hz
    weight = likeness / (1.0 - likeness) * used
    for _ in range(3):
        left_over = np.angle(cross * np.exp(-2j * np.pi * hz * seconds))
        near = weight * (np.abs(left_over) < 1.5)
        seconds += float((near * hz * left_over).sum() / ((near * hz**2).sum() + 1e-30)) / (2 * np.pi)
    return 1e6 * seconds


def balance_db(stream: Stream) -> float | None:
    """By how many decibels the left channel is louder than the right in what they share; None for silence."""
    if stream.channels != 2:
        return None
    step = round(_BALANCE_S * stream.rate_hz)
    hop = max(step, stream.samples // 2_000)
    told = []
    for first in range(0, stream.samples - step, hop):
        block = stream.read(first, step)
        power = (block**2).sum(axis=0)
        if power.min() > 0:
            told.append((power.sum(), 10 * np.log10(power[0] / power[1])))
    if not told:
        return None
    loud = sorted(told)[len(told) // 2 :]
    return float(np.median([one for _, one in loud]))
