"""The quietest moment near a place, and the nearest sample at which a cut makes no step."""

from __future__ import annotations

from typing import Literal

import numpy as np
from scipy.ndimage import uniform_filter1d

from inkwell_groove.core.audio.sound import SoundReader, to_float

SnapTo = Literal["quietest moment", "zero crossing"]
_QUIET_REACH_S, _QUIET_WINDOW_S = 0.5, 0.01
_ZERO_REACH_S = 0.02


def snapped(reader: SoundReader, sample: int, to: SnapTo, low: int, high: int) -> int:
    """The sample in [low, high] nearest to the wish: the quietest 10 ms within half a second, or the zero crossing of
    the channels' sum within 20 ms, where there is one.
    """
    rate_hz = reader.format.rate_hz
    reach = round((_QUIET_REACH_S if to == "quietest moment" else _ZERO_REACH_S) * rate_hz)
    first, last = max(low, sample - reach, 0), min(high, sample + reach, reader.format.samples)
    if last - first < 2:
        return sample
    mono = to_float(reader.read(first, last - first), reader.format.full_scale).sum(axis=1)
    if to == "quietest moment":
        power = uniform_filter1d(mono**2, size=max(1, round(_QUIET_WINDOW_S * rate_hz)), mode="nearest")
        return first + int(np.argmin(power))
    crossings = np.flatnonzero(np.signbit(mono[1:]) != np.signbit(mono[:-1])) + 1
    if not len(crossings):
        return sample
    return first + int(crossings[np.argmin(np.abs(crossings + first - sample))])
