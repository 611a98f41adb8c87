"""How loud the quiet groove of a side is, followed through the side."""

from __future__ import annotations

import numpy as np
from scipy.ndimage import percentile_filter, uniform_filter1d

from inkwell_groove.core.tracks.levels import HOP_S, LevelCurve, Levels, smooth

_DIGITAL_SILENCE_DBFS = -100.0
_QUIET_SHARE_PERCENT = 1.5  # of a side is surely lead-in, gap or run-out (common practice: 2 s a gap, 5 s at the ends)
_WINDOW_S = 60.0
_MAX_RISE_DB = 8.0


def noise_floor(curve: LevelCurve) -> Levels:
    """The floor in dBFS for every hop of the curve.

    The level that the quietest 1.5 % of the side stays under, digital silence left aside (a recorder's, not the
    groove's); from there it may rise by up to 8 dB where the minute around is never as quiet, for discs whose inner
    grooves are worn.
    """
    steady = smooth(curve.level_dbfs, round(0.3 / HOP_S))
    grooved = steady[steady > _DIGITAL_SILENCE_DBFS]
    if len(grooved) < 0.02 * len(steady) or not len(grooved):
        return np.full(len(steady), _DIGITAL_SILENCE_DBFS)
    base = float(np.percentile(grooved, _QUIET_SHARE_PERCENT))
    coarse = np.where(steady > _DIGITAL_SILENCE_DBFS, steady, base)[::10]
    window = max(3, round(_WINDOW_S / HOP_S / 10))
    local = percentile_filter(coarse, 2, size=window, mode="nearest")
    # Music that never pauses is not a floor: believe only what is close to the side's own.
    local = np.where(local > base + _MAX_RISE_DB, base, np.maximum(local, base - 3.0))
    followed = uniform_filter1d(local, size=window, mode="nearest")
    return np.interp(np.arange(len(steady)), np.arange(len(coarse)) * 10, followed)
