"""Integrated loudness as in ITU-R BS.1770-5 and EBU R 128: K-weighting, 400 ms blocks, two gates."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from scipy.signal import sosfilt

from inkwell_groove.core.sound import Audio

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
        self._rest = np.zeros((0, channels))
        self._powers: list[npt.NDArray[np.float64]] = []

    def feed(self, audio: Audio) -> None:
        weighted, self._state = sosfilt(self._sos, audio, axis=0, zi=self._state)
        joined = np.concatenate((self._rest, weighted))
        whole = len(joined) // self._step * self._step
        if whole:
            steps = (joined[:whole] ** 2).reshape(-1, self._step, joined.shape[1])
            self._powers.append(steps.mean(axis=1).sum(axis=1))
        self._rest = joined[whole:]

    def integrated_lufs(self) -> float | None:
        """Loudness of the whole in LUFS; none under 400 ms or where everything lies below the absolute gate."""
        steps = np.concatenate(self._powers) if self._powers else np.zeros(0)
        if len(steps) < _STEPS:
            return None
        blocks = np.convolve(steps, np.full(_STEPS, 1.0 / _STEPS), mode="valid")
        loud = blocks[_lufs(blocks) > _ABSOLUTE_GATE_LUFS]
        if not len(loud):
            return None
        gate = float(_lufs(loud.mean())) + _RELATIVE_GATE_LU
        return float(_lufs(loud[_lufs(loud) > gate].mean()))


def _lufs(power: npt.NDArray[np.float64] | np.floating) -> npt.NDArray[np.float64]:
    return np.asarray(-0.691 + 10.0 * np.log10(np.maximum(power, 1e-30)))
