"""Integrated loudness as in ITU-R BS.1770-5 and EBU R 128: K-weighting, 400 ms blocks, two gates."""

from __future__ import annotations

from collections.abc import Sequence

import numba
import numpy as np
import numpy.typing as npt
from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.audio.sound import Audio

_BLOCK_S, _STEPS = 0.4, 4
_ABSOLUTE_GATE_LUFS, _RELATIVE_GATE_LU = -70.0, -10.0


def k_weighting(rate_hz: int) -> npt.NDArray[np.float64]:
    """Second-order sections of the K-weighting at any rate.

    BS.1770 tabulates coefficients for 48 kHz only; these come from the analogue prototypes behind them (shelf of
    +4 dB at 1681.97 Hz, high-pass at 38.14 Hz), which give the table back at 48 kHz.
    """
    gain_db, quality, centre_hz = 3.999843853973347, 0.7071752369554196, 1681.974450955533
    k = np.tan(np.pi * centre_hz / rate_hz)
    high, band = 10 ** (gain_db / 20), (10 ** (gain_db / 20)) ** 0.4996667741545416
    a0 = 1 + k / quality + k * k
    shelf = [
        (high + band * k / quality + k * k) / a0,
        2 * (k * k - high) / a0,
        (high - band * k / quality + k * k) / a0,
        1.0,
        2 * (k * k - 1) / a0,
        (1 - k / quality + k * k) / a0,
    ]
    quality, centre_hz = 0.5003270373238773, 38.13547087602444
    k = np.tan(np.pi * centre_hz / rate_hz)
    a0 = 1 + k / quality + k * k
    highpass = [1.0, -2.0, 1.0, 1.0, 2 * (k * k - 1) / a0, (1 - k / quality + k * k) / a0]
    return np.array([shelf, highpass])


class Loudness:
    """Gated loudness of a mono or stereo programme (further channels count like the first two)."""

    def __init__(self, channels: int, *, rate_hz: int) -> None:
        self._sos = k_weighting(rate_hz)
        self._state = np.zeros((2, 2, channels))
        self._step = round(rate_hz * _BLOCK_S / _STEPS)
        self._begun = np.zeros(2)  # the power of the step that has begun, and how many samples of it were heard
        self._powers: list[npt.NDArray[np.float64]] = []

    def feed(self, audio: Audio) -> None:
        powers = np.empty(len(audio) // self._step + 1)
        count = _step_powers(np.ascontiguousarray(audio), self._sos, self._state, self._begun, self._step, powers)
        self._powers.append(powers[:count].copy())

    def steps(self) -> npt.NDArray[np.float64]:
        """The weighted power of each 100 ms so far, (steps,)."""
        return np.concatenate(self._powers) if self._powers else np.zeros(0)

    def integrated_lufs(self) -> float | None:
        """Loudness of the whole in LUFS; none under 400 ms or where everything lies below the absolute gate."""
        return gated_lufs(self.steps())


def gated_lufs(steps: npt.NDArray[np.float64]) -> float | None:
    """Loudness by the powers of 100 ms steps, of several programmes one behind the other too; none as above."""
    if len(steps) < _STEPS:
        return None
    powers = _block_powers(steps)
    loud = powers[_lufs(powers) > _ABSOLUTE_GATE_LUFS]
    if not len(loud):
        return None
    gate = float(_lufs(loud.mean())) + _RELATIVE_GATE_LU
    return float(_lufs(loud[_lufs(loud) > gate].mean()))


class Blocks(BaseModel):
    """How many 400 ms blocks are how loud, above the absolute gate: what an album's loudness needs of each track.

    Counted in tenths of a LU, so that an album's loudness comes out within 0.05 LU of what its samples give.
    """

    model_config = ConfigDict(frozen=True)

    lowest: int = Field(default=0, description="Of the first count, in tenths of a LU, rounded: -234 is -23.4 LUFS.")
    counts: tuple[int, ...] = ()

    @classmethod
    def of(cls, steps: npt.NDArray[np.float64]) -> Blocks:
        """By the powers of 100 ms steps, (steps,)."""
        if len(steps) < _STEPS:
            return cls()
        levels = _lufs(_block_powers(steps))
        tenths = np.rint(10 * levels[levels > _ABSOLUTE_GATE_LUFS]).astype(np.int64)
        if not len(tenths):
            return cls()
        counts = np.bincount(tenths - tenths.min())
        return cls(lowest=int(tenths.min()), counts=tuple(counts.tolist()))


def lufs_of_blocks(programmes: Sequence[Blocks]) -> float | None:
    """Loudness of several programmes one behind the other, but for blocks across their joins; none for silence."""
    levels = np.array([one.lowest + at for one in programmes for at in range(len(one.counts))], np.float64) / 10
    counts = np.array([count for one in programmes for count in one.counts], np.float64)
    if not counts.sum():
        return None
    powers = 10 ** ((levels + 0.691) / 10)
    loud = levels > float(_lufs((powers * counts).sum() / counts.sum())) + _RELATIVE_GATE_LU
    return float(_lufs((powers * counts)[loud].sum() / counts[loud].sum()))


def _block_powers(steps: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    return np.convolve(steps, np.full(_STEPS, 1.0 / _STEPS), mode="valid")


def _lufs(power: npt.NDArray[np.float64] | np.floating) -> npt.NDArray[np.float64]:
    return np.asarray(-0.691 + 10.0 * np.log10(np.maximum(power, 1e-30)))


@numba.njit(nogil=True, cache=True)
def _step_powers(audio, sos, state, begun, step, powers):  # type: ignore[no-untyped-def] # pragma: no cover: compiled
    """Both sections over (samples, channels), going on from `state`, and the mean square of each whole step.

    `begun` is carried from block to block; how many steps ended in this one.
    """
    a0, a1, a2, a3, a4 = sos[0, 0], sos[0, 1], sos[0, 2], sos[0, 4], sos[0, 5]
    b0, b1, b2, b3, b4 = sos[1, 0], sos[1, 1], sos[1, 2], sos[1, 4], sos[1, 5]
    total, heard, count = begun[0], int(begun[1]), 0
    for n in range(audio.shape[0]):
        for c in range(audio.shape[1]):
            x = audio[n, c]
            y = a0 * x + state[0, 0, c]
            state[0, 0, c] = a1 * x - a3 * y + state[0, 1, c]
            state[0, 1, c] = a2 * x - a4 * y
            z = b0 * y + state[1, 0, c]
            state[1, 0, c] = b1 * y - b3 * z + state[1, 1, c]
            state[1, 1, c] = b2 * y - b4 * z
            total += z * z
        heard += 1
        if heard == step:
            powers[count] = total / step
            count += 1
            total, heard = 0.0, 0
    begun[0], begun[1] = total, heard
    return count
