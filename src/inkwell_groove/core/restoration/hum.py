"""Mains hum: followed through the whole side, and taken off as what it is, a few slow tones.

Every harmonic of the mains is turned down to zero frequency and averaged; how fast the averages turn tells how far the
mains is off, and once they stand still they are the hum's own amplitude and phase. These are followed over many
seconds, by the median of what many short stretches say, so that a note on a harmonic, which comes and goes, is not
taken for hum: it is outvoted. What is taken off is those tones and nothing beside them; no frequency is cut out.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numba
import numpy as np
import numpy.typing as npt
from scipy.linalg import solveh_banded
from scipy.ndimage import median_filter

from inkwell_groove.core.restoration.stream import Block, Step, Stream, lowered

MAINS_HZ = (50.0, 60.0)
HARMONICS = 24
_STEP_S = 0.25  # between the places at which the hum is known
_LOW_RATE_HZ = 4_000
_VOTES_S = 30.0  # over which a harmonic's amplitude is followed
_LOOSER = 0.03  # by which the log of what does not stand still must be less on a looser line
_STEADY, _ALIKE = 25.0, 0.4  # see `_steady`; clean music is taken for hum in one of ten excerpts
_FURTHEST = 0.012  # from the mains' frequency; the notes G1 and B flat 1 lie 2 and 3 % off
_LEAST_S = 4.0  # in less nothing can be said to be steady


@dataclass(frozen=True)
class HumTrack:
    """The hum of a side: its phase, and each harmonic's amplitude, every quarter of a second."""

    rate_hz: int
    step: int  # samples between two knots
    turns: npt.NDArray[np.float64]  # (knots,): the phase of the fundamental, in whole turns
    amplitudes: npt.NDArray[np.complex128]  # (channels, harmonics, knots), full scale 1

    @property
    def hz(self) -> npt.NDArray[np.float64]:
        """(knots - 1,): the frequency between two knots."""
        return np.asarray(np.diff(self.turns) * self.rate_hz / self.step)

    @property
    def level_dbfs(self) -> float | None:
        """The root mean square of all harmonics together, of the louder channel."""
        power = float((np.abs(self.amplitudes) ** 2 / 2).sum(axis=1).mean(axis=1).max(initial=0.0))
        return 10 * float(np.log10(power)) if power > 0 else None


def follow(stream: Stream, *, mains_hz: float | None = None, harmonics: int = HARMONICS) -> HumTrack | None:
    """The hum of a stream; None where there is none. `mains_hz` is 50 or 60 where that is known.

    A side played at the wrong speed has its hum all the same at the mains' own frequency: it came in at the preamp.
    Hum that was recorded with the music is looked for within 1.2 % of the mains.
    """
    low, factor = lowered(stream, _LOW_RATE_HZ)
    rate = stream.rate_hz / factor
    if len(low) < _LEAST_S * rate:
        return None
    step_low = max(1, round(_STEP_S * rate))
    base = _base_hz(low, rate, (mains_hz,) if mains_hz else MAINS_HZ)
    if base is None:
        return None
    knots = len(low) // step_low + 2
    turns = np.arange(knots) * step_low / rate * base
    harmonics = min(harmonics, int(0.45 * rate / base))
    turns = _line_of_turns(low, turns, step_low, harmonics)
    voices = _voices(low, turns, step_low, harmonics)
    steady = _steady(voices[:, :, : len(low) // step_low])
    if steady[:3].sum() < 1 or steady.sum() < 2:
        return None
    amplitudes = _followed(voices, _VOTES_S / _STEP_S)[0] * steady[None, :, None]
    if not amplitudes.any():
        return None
    return HumTrack(stream.rate_hz, step_low * factor, turns, amplitudes)


def _line_of_turns(low: Block, turns: npt.NDArray[np.float64], step: int, harmonics: int) -> npt.NDArray[np.float64]:
    """The phase of the mains, in turns, on the stiffest line that holds.

    Where loud music disturbs, a stiff line is led astray the least. A looser one, and one that was followed roughly
    before, must show that the tones stand stiller on it: each counts alike, however loud it is.
    """
    lines: list[npt.NDArray[np.float64]] = []
    held = np.inf
    for roughly, over_s in (
        (0, (10.0, 25.0, 80.0)),
        (0, (10.0, 25.0)),
        (0, (10.0, 10.0)),
        (3, (10.0, 25.0)),
        (3, (4.0,)),
    ):
        own = turns.copy()
        for _ in range(roughly):
            own += _rough_drift(_voices(low, own, step, harmonics))
        for over in over_s:
            for _ in range(2):
                own += _drift(_voices(low, own, step, harmonics), over / _STEP_S)
        voices = _voices(low, own, step, harmonics)
        line, _ = _followed(voices, _VOTES_S / _STEP_S)
        off = np.median(np.abs(voices - line) ** 2, axis=2).sum(axis=0)
        unsteady = float(np.log(off + 1e-24).mean())
        if unsteady < held - _LOOSER:
            lines, held = [own], unsteady
    return lines[0]


class HumFree(Step):
    """A stream less its hum."""

    def __init__(self, before: Stream, track: HumTrack) -> None:
        super().__init__(before)
        self._track = track

    def read(self, first: int, samples: int) -> Block:
        block = self.before.read(first, samples)
        a, b = max(first, 0), min(first + samples, self.samples)
        if a < b:
            block = block.copy()
            track = self._track
            _take_off(block, first, a, b, track.step, track.turns, track.amplitudes)
        return block


def _base_hz(low: Block, rate: float, mains: tuple[float, ...]) -> float | None:
    """The frequency whose harmonics stand out of the side most; None where none do."""
    size = 1 << int(np.ceil(np.log2(8 * rate)))
    if len(low) < size:
        size = 1 << int(np.floor(np.log2(len(low))))
    shape = np.hanning(size)
    spectra = []
    for first in range(0, len(low) - size + 1, size // 2):
        spectra.append(np.abs(np.fft.rfft(low[first : first + size].T * shape, axis=-1)) ** 2)
    power = np.quantile(np.array(spectra), 0.3, axis=0).max(axis=0) + 1e-30
    bin_hz = rate / size
    best: tuple[float, float] | None = None
    for nominal in mains:
        for hz in np.arange(nominal * (1 - _FURTHEST), nominal * (1 + _FURTHEST), bin_hz / 6):
            told = []
            for n in range(1, min(9, int(0.4 * rate / hz))):
                k = round(n * hz / bin_hz)
                beside = np.median(np.concatenate([power[max(1, k - 14) : k - 4], power[k + 5 : k + 15]]))
                peak = power[k - 1 : k + 2].max()
                told.append(min(40.0, max(0.0, 10 * np.log10(peak / beside) - 3.0)))
            # Two harmonics at least: one steady tone may be music. Nearer to the mains is likelier.
            told.sort(reverse=True)
            score = sum(told[:5]) - 40.0 * abs(hz / nominal - 1.0) if len(told) > 1 and told[1] > 4.0 else 0.0
            if score > 16.0 and (best is None or score > best[0]):
                best = (score, float(hz))
    return None if best is None else best[1]


def _voices(low: Block, turns: npt.NDArray[np.float64], step: int, harmonics: int) -> npt.NDArray[np.complex128]:
    """(channels, harmonics, knots): each harmonic turned down to zero frequency, and its mean from knot to knot."""
    out = np.zeros((low.shape[1], harmonics, len(turns)), complex)
    whole = len(low) // step
    _turn_down(low, turns, step, whole, out)
    out[:, :, whole:] = out[:, :, whole - 1 : whole]
    return out


@numba.njit(nogil=True, cache=True, fastmath=True)
def _turn_down(low, turns, step, whole, out):  # type: ignore[no-untyped-def] # pragma: no cover: compiled
    channels, harmonics = out.shape[0], out.shape[1]
    a, b, c, d = np.empty(step), np.empty(step), np.empty(step), np.empty(step)
    for knot in range(whole):
        slope = (turns[min(knot + 1, len(turns) - 1)] - turns[knot]) / step
        for k in range(step):
            phase = -2.0 * np.pi * (turns[knot] + slope * k)
            a[k], b[k] = np.cos(phase), np.sin(phase)
            c[k], d[k] = 2.0 / step, 0.0
        here = low[knot * step : (knot + 1) * step]
        for harmonic in range(harmonics):
            for k in range(step):
                c[k], d[k] = c[k] * a[k] - d[k] * b[k], c[k] * b[k] + d[k] * a[k]
            for channel in range(channels):
                real, imaginary = 0.0, 0.0
                for k in range(step):
                    real += here[k, channel] * c[k]
                    imaginary += here[k, channel] * d[k]
                out[channel, harmonic, knot] = real + 1j * imaginary


def _followed(
    voices: npt.NDArray[np.complex128], over: float
) -> tuple[npt.NDArray[np.complex128], npt.NDArray[np.float64]]:
    """Each line of means followed over some `over` knots, and how much what is not hum disturbs each of them.

    Where notes disturb, little is believed: each mean counts by the inverse of the power by which those around it
    stray from the line, found by turns.
    """
    shape = voices.shape
    lines = voices.reshape(-1, shape[-1])
    line = np.stack([_median_around(one, max(3, round(over))) for one in lines])
    stray = np.abs(lines - line) ** 2
    for _ in range(4):
        around = np.stack([np.convolve(one, np.ones(9) / 9, "same") for one in stray])
        around = np.maximum(around, 0.02 * np.median(stray, axis=1, keepdims=True) + 1e-24)
        # A single wild one counts by how wild it is itself.
        counts = 1.0 / (around + stray)
        line = np.stack([_smooth(one, weight, over) for one, weight in zip(lines, counts, strict=True)])
        stray = np.abs(lines - line) ** 2
    return line.reshape(shape), (1.0 / counts).reshape(shape)


def _smooth(
    values: npt.NDArray[np.complex128], counts: npt.NDArray[np.float64], over: float
) -> npt.NDArray[np.complex128]:
    """The line of least curvature through weighted values (Whittaker, 1923), which bends over some `over` of them."""
    knots = len(values)
    weight = counts / counts.mean()
    if knots < 4:
        return np.full(knots, np.average(values, weights=weight))
    stiff = (over / (2 * np.pi)) ** 4
    banded = np.zeros((3, knots))
    banded[0] = weight + stiff * np.concatenate([[1.0, 5.0], np.full(knots - 4, 6.0), [5.0, 1.0]])
    banded[1, :-1] = stiff * np.concatenate([[-2.0], np.full(knots - 3, -4.0), [-2.0]])
    banded[2, :-2] = stiff
    out = solveh_banded(banded, np.stack([(weight * values).real, (weight * values).imag], axis=1), lower=True)
    return np.asarray(out[:, 0] + 1j * out[:, 1])


def _rough_drift(voices: npt.NDArray[np.complex128]) -> npt.NDArray[np.float64]:
    """As `_drift`, from one second's means alone, however they are disturbed."""
    shape = np.hanning(8)[1:-1]
    near = np.apply_along_axis(lambda line: np.convolve(line, shape, "same"), 2, voices)
    steps = near[:, :, 1:] * np.conj(near[:, :, :-1])
    n = np.arange(1, voices.shape[1] + 1)[None, :, None]
    strength = np.minimum(np.abs(steps), 2 * np.median(np.abs(steps), axis=2, keepdims=True))
    strength = strength * n * (np.abs(np.angle(steps)) < 2.0)
    mass = np.convolve(strength.sum(axis=(0, 1)), shape, "same")
    rate = np.convolve((np.angle(steps) / n * strength).sum(axis=(0, 1)), shape, "same") / np.maximum(mass, 1e-30)
    return np.concatenate([[0.0], np.cumsum(rate)]) / (2 * np.pi)


def _drift(voices: npt.NDArray[np.complex128], over: float) -> npt.NDArray[np.float64]:
    """By how much the phase of the fundamental runs ahead of what was assumed, at each knot, in turns."""
    line, disturbed = _followed(voices, over)
    steps = line[:, :, 1:] * np.conj(line[:, :, :-1])
    n = np.arange(1, voices.shape[1] + 1)[None, :, None]
    # Harmonic n turns n times as fast, and tells it n times as well, as far as it stands above what disturbs it.
    sure = n**2 * np.minimum(np.abs(steps) / (disturbed[:, :, 1:] + disturbed[:, :, :-1]), 1e4)
    sure = np.where(np.abs(np.angle(steps)) < 2.0, sure, 0.0)
    total = sure.sum(axis=(0, 1)) + 1e-9
    ahead = (np.angle(steps) / n * sure).sum(axis=(0, 1)) / total
    rate = _smooth(ahead.astype(complex), np.minimum(total, 50.0 * np.median(total)), over).real
    return np.concatenate([[0.0], np.cumsum(rate)]) / (2 * np.pi)


def _steady(voices: npt.NDArray[np.complex128]) -> npt.NDArray[np.bool_]:
    """(harmonics,): which stand still over the whole side: their mean is far larger than means of what comes and goes.

    For a thing of random phase in each of N stretches the square of the mean is about a Nth of the mean square; notes
    hold for some stretches, so that it must be _STEADY times that. And in each third of the side it must point the
    same way.
    """
    stretches = voices.shape[2]
    mean = voices.mean(axis=2)
    stray = np.mean(np.abs(voices - mean[:, :, None]) ** 2, axis=2) + 1e-24
    ratio = stretches * np.abs(mean) ** 2 / stray
    parts = [part.mean(axis=2) for part in np.array_split(voices, 3, axis=2)]
    alike = np.min([(part * np.conj(mean)).real / (np.abs(mean) ** 2 + 1e-24) for part in parts], axis=0)
    return np.asarray(((ratio > _STEADY) & (alike > _ALIKE)).any(axis=0))


def _median_around(line: npt.NDArray[np.complex128], width: int) -> npt.NDArray[np.complex128]:
    """The medians of real and imaginary part over `width` knots around each."""
    mode: Literal["mirror", "nearest"] = "mirror" if len(line) > width // 2 else "nearest"
    real, imaginary = (median_filter(one, width // 2 * 2 + 1, mode=mode) for one in (line.real, line.imag))
    return np.asarray(real + 1j * imaginary)


@numba.njit(nogil=True, cache=True, fastmath=True)
def _take_off(block, first, a, b, step, turns, amplitudes):  # type: ignore[no-untyped-def] # pragma: no cover: compiled
    channels, harmonics, knots = amplitudes.shape
    for n in range(a, b):
        k = min(n // step, knots - 2)
        share = (n - k * step) / step
        phase = 2.0 * np.pi * (turns[k] + share * (turns[k + 1] - turns[k]))
        # Amplitudes are means from knot to knot and belong to the middle between.
        m = min(max(int((n - step // 2) // step), 0), knots - 2)
        share = min(max((n - step / 2 - m * step) / step, 0.0), 1.0)
        real, imag = np.cos(phase), np.sin(phase)
        c, s = real, imag
        for h in range(harmonics):
            for channel in range(channels):
                one, two = amplitudes[channel, h, m], amplitudes[channel, h, m + 1]
                block[n - first, channel] -= (one.real + share * (two.real - one.real)) * c - (
                    one.imag + share * (two.imag - one.imag)
                ) * s
            c, s = c * real - s * imag, c * imag + s * real
