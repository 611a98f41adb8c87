"""Stretches of music and the gaps between them, with their exact ends."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from inkwell_groove.core.tracks.levels import HOP_S, LevelCurve, Levels, smooth

_REACH = 5  # hops on either side of the place that is judged


@dataclass(frozen=True)
class GapSettings:
    """What counts as a gap. Defaults suit a long-playing record."""

    min_gap_s: float = 0.8
    min_track_s: float = 10.0
    sensitivity_db: float = 8.0  # how far above its floor a side must rise to be music


@dataclass(frozen=True)
class Stretch:
    """Music from hop `start` to hop `end`, and how far above the floor it mostly lies."""

    start: int
    end: int
    contrast_db: float


def music(curve: LevelCurve, floor_dbfs: Levels, settings: GapSettings) -> list[Stretch]:
    """Stretches of music in order, at least `min_gap_s` apart, with no minimum length but a thump's.

    Music begins where the level, steadied over 150 ms, rises `sensitivity_db` above the floor and ends where it falls
    under half of that; both ends are then followed into the noise as far as the level still stands out from it.
    """
    steady = smooth(curve.level_dbfs, round(0.15 / HOP_S))
    above = steady - floor_dbfs
    found = _hysteresis(above, settings.sensitivity_db, settings.sensitivity_db / 2)
    found = _join_close(found, round(settings.min_gap_s / HOP_S))
    # A needle's thump is loud but short; nothing under 1.5 s is a track.
    found = [(start, end) for start, end in found if end - start > 1.5 / HOP_S]
    fine = curve.level_dbfs - floor_dbfs
    stretches = []
    for index, (start, end) in enumerate(found):
        earliest = found[index - 1][1] if index else 0
        latest = found[index + 1][0] if index + 1 < len(found) else len(above)
        exact_start = _follow(fine, start, earliest, -1)
        exact_end = _follow(fine, end - 1, latest - 1, +1) + 1
        stretches.append(Stretch(exact_start, exact_end, float(np.median(above[start:end]))))
    return _apart(stretches)


def gap_confidence(gap_s: float, contrast_db: float) -> float:
    """How likely a gap of this length between music of this height above the floor is a join, 0 to 1.

    A logistic guess, not a calibrated one: gaps of records last about 2 s (common practice), rests in music less.
    """
    return 1.0 / (1.0 + math.exp(-(2.2 * (gap_s - 1.1) + 0.12 * (min(contrast_db, 40.0) - 14.0))))


def _hysteresis(above_db: npt.NDArray[np.float64], on_db: float, off_db: float) -> list[tuple[int, int]]:
    """Runs that reach on_db, each from where it rose over off_db to where it fell under it."""
    over = above_db > off_db
    edges = np.flatnonzero(np.diff(np.concatenate(([0], over.astype(np.int8), [0]))))
    return [
        (int(start), int(end))
        for start, end in zip(edges[::2], edges[1::2], strict=True)
        if above_db[start:end].max() > on_db
    ]


def _join_close(runs: list[tuple[int, int]], min_gap: int) -> list[tuple[int, int]]:
    joined: list[tuple[int, int]] = []
    for start, end in runs:
        if joined and start - joined[-1][1] < min_gap:
            joined[-1] = (joined[-1][0], end)
        else:
            joined.append((start, end))
    return joined


def _follow(fine_db: npt.NDArray[np.float64], at: int, limit: int, step: int) -> int:
    """From a sure place outwards to the last hop that stands 1.5 dB out of the floor, over holes of up to 0.2 s."""
    last, hole = at, 0
    position = at
    while position != limit and hole * HOP_S < 0.2:
        position += step
        # A mean over 110 ms: a fade is followed below the noise's own flutter.
        near = fine_db[max(0, position - _REACH) : position + _REACH + 1]
        if near.mean() > 1.5:
            last, hole = position, 0
        else:
            hole += 1
    # The mean sees loud music from _REACH hops away: go back by that, but never inside the sure place.
    return step * max(step * at, step * last - _REACH + 1)


def _apart(stretches: list[Stretch]) -> list[Stretch]:
    """Followed ends may meet in a shallow gap: they then share its middle."""
    out: list[Stretch] = []
    for stretch in stretches:
        start = stretch.start
        if out and start < out[-1].end:
            start = (start + out[-1].end) // 2
            out[-1] = Stretch(out[-1].start, start, out[-1].contrast_db)
        out.append(Stretch(start, stretch.end, stretch.contrast_db))
    return out
