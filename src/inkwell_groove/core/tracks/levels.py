"""How loud a side is from moment to moment, as music is loud and clicks are not."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import numpy.typing as npt
from pydantic import BaseModel, ConfigDict
from scipy.signal import butter, sosfilt

from inkwell_groove.core.sound import SoundReader, to_float

HOP_S = 0.01
_PARTS = 5  # powers of 2 ms each within a hop
_WINDOW_PARTS = 25  # the median over 50 ms: clicks that fill less than half of it leave no trace
_BAND_HZ = (120.0, 7_000.0)  # below lie rumble and hum, above mostly hiss
SILENCE_DBFS = -120.0

Levels = npt.NDArray[np.float64]


class LevelCurve(BaseModel):
    """Level of the louder channel in dBFS every HOP_S; digital silence is SILENCE_DBFS."""

    model_config = ConfigDict(frozen=True, arbitrary_types_allowed=True)

    level_dbfs: Levels
    hop_samples: int
    rate_hz: int
    samples: int

    def seconds(self, hops: int) -> float:
        return hops * self.hop_samples / self.rate_hz


def level_curve(
    reader: SoundReader, *, progress: Callable[[float], None] | None = None, block_hops: int = 3_000
) -> LevelCurve:
    """The level of a whole recording, streamed: memory holds a block of `block_hops` and the curve.

    Each hop is the median of the 2 ms powers in the 50 ms around it, in the band 120 Hz to 7 kHz (to 0.45 of the
    rate where that is lower). The result does not depend on `block_hops`.
    """
    form = reader.format
    hop = max(_PARTS, round(form.rate_hz * HOP_S / _PARTS) * _PARTS)
    high_hz = min(_BAND_HZ[1], 0.45 * form.rate_hz)
    sos = butter(2, [_BAND_HZ[0], high_hz], btype="bandpass", fs=form.rate_hz, output="sos")
    state = np.zeros((sos.shape[0], 2, form.channels))
    part = hop // _PARTS
    powers: list[npt.NDArray[np.float64]] = []
    block = hop * block_hops
    for first in range(0, form.samples, block):
        audio = to_float(reader.read(first, block), form.full_scale)
        filtered, state = sosfilt(sos, audio, axis=0, zi=state)
        whole = len(filtered) // part * part
        if whole:
            powers.append((filtered[:whole] ** 2).reshape(-1, part, form.channels).mean(axis=1))
        if progress:
            progress(min(1.0, (first + block) / form.samples))
    parts = np.concatenate(powers) if powers else np.zeros((1, form.channels))
    return LevelCurve(level_dbfs=_median_levels(parts), hop_samples=hop, rate_hz=form.rate_hz, samples=form.samples)


def _median_levels(parts: npt.NDArray[np.float64]) -> Levels:
    """(parts, channels) powers to one level a hop: median over the window, the louder channel, in dBFS."""
    half = _WINDOW_PARTS // 2
    padded = np.pad(parts, ((half, half), (0, 0)), mode="edge")
    windows = np.lib.stride_tricks.sliding_window_view(padded, _WINDOW_PARTS, axis=0)[_PARTS // 2 :: _PARTS]
    out = np.empty(len(windows))
    step = 20_000  # the sorted copy of the windows is the only large thing here
    for first in range(0, len(windows), step):
        out[first : first + step] = np.median(windows[first : first + step], axis=2).max(axis=1)
    return np.maximum(10.0 * np.log10(np.maximum(out, 1e-20)), SILENCE_DBFS)


def smooth(level_dbfs: Levels, hops: int) -> Levels:
    """Running median over an odd number of hops; bursts shorter than half of it vanish."""
    hops |= 1
    padded = np.pad(level_dbfs, hops // 2, mode="edge")
    windows = np.lib.stride_tricks.sliding_window_view(padded, hops)
    out = np.empty(len(level_dbfs))
    step = 50_000
    for first in range(0, len(windows), step):
        out[first : first + step] = np.median(windows[first : first + step], axis=1)
    return out
