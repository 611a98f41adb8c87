"""How two edits of one recording differ: which stretches they share, and what only one of them has."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt
from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.duplicates.portrait import LEVEL_S, Portrait
from inkwell_groove.core.fingerprint.likeness import fit_near, likely_offsets
from inkwell_groove.core.fingerprint.prints import BLOCK, HOP_S, Prints

_SHORTEST_S = 2.0  # of what only one has: less is the uncertainty of where a stretch ends
_TOGETHER = 4  # prints: offsets that differ by no more are one stretch
_SILENT_DB = -60.0


class Shared(BaseModel):
    """A stretch that both have."""

    model_config = ConfigDict(frozen=True)

    first_s: float = Field(description="Where it begins in the first recording.")
    second_s: float
    length_s: float


class Stretch(BaseModel):
    model_config = ConfigDict(frozen=True)

    start_s: float
    end_s: float

    @property
    def length_s(self) -> float:
        return self.end_s - self.start_s


class EditDifference(BaseModel):
    """Two recordings laid on each other. Silence at the ends is nobody's own."""

    model_config = ConfigDict(frozen=True)

    first_length_s: float
    second_length_s: float
    shared: tuple[Shared, ...]
    only_first: tuple[Stretch, ...]
    only_second: tuple[Stretch, ...]

    @property
    def longest_alone_s(self) -> float:
        return max((one.length_s for one in (*self.only_first, *self.only_second)), default=0.0)


def difference(first: Portrait, second: Portrait, second_prints: Prints) -> EditDifference:
    """Return how two edits differ; `second_prints` are the second's at the speed of the first."""
    offsets = likely_offsets(first.prints, second_prints)
    starts: npt.NDArray[np.int64] = np.zeros(0, np.int64)
    best_rate, best_offset = np.zeros(0), np.zeros(0, np.int64)
    for offset in offsets:
        fit = fit_near(first.prints, second_prints, offset)
        if not len(starts):
            starts, best_rate = fit.starts, np.full(len(fit.starts), 1.0)
            best_offset = np.zeros(len(fit.starts), np.int64)
        # Where two places fit nearly as well, as in what repeats itself, the more likely one stands.
        better = fit.fits & (fit.rates < best_rate - 0.03)
        best_rate = np.where(better, fit.rates, best_rate)
        best_offset = np.where(better, fit.offsets, best_offset)
    shared = _runs(starts, best_rate < 1.0, best_offset)
    return EditDifference(
        first_length_s=first.seconds,
        second_length_s=second.seconds,
        shared=tuple(shared),
        only_first=tuple(_alone(first, [(one.first_s, one.length_s) for one in shared])),
        only_second=tuple(_alone(second, [(one.second_s, one.length_s) for one in shared])),
    )


def _runs(starts: npt.NDArray[np.int64], fits: npt.NDArray[np.bool_], offsets: npt.NDArray[np.int64]) -> list[Shared]:
    runs: list[tuple[int, int, int]] = []
    for start, fit, offset in zip(starts.tolist(), fits.tolist(), offsets.tolist(), strict=True):
        if not fit:
            continue
        if runs and abs(runs[-1][2] - offset) <= _TOGETHER and start <= runs[-1][1]:
            runs[-1] = runs[-1][0], start + BLOCK, offset
        else:
            runs.append((start, start + BLOCK, offset))
    found: list[Shared] = []
    for start, end, offset in runs:
        # A run that overlaps the one before, where it is cut, begins where that ends: in the second recording, and in
        # the first, of which no moment is shared twice. What repeats itself about a cut fits on both of its sides.
        begins = start
        if found:
            last = found[-1]
            begins = max(start, round((last.second_s + last.length_s) / HOP_S))
            if last.first_s <= (begins + offset) * HOP_S < last.first_s + last.length_s:
                begins = round((last.first_s + last.length_s) / HOP_S) - offset
        if end > begins:
            where = (begins + offset) * HOP_S
            found.append(Shared(first_s=where, second_s=begins * HOP_S, length_s=(end - begins) * HOP_S))
    return found


def _alone(portrait: Portrait, spans: Sequence[tuple[float, float]]) -> list[Stretch]:
    """Return the stretches of a recording that lie in no shared one, without silence at its ends."""
    sounding = np.flatnonzero(portrait.levels.max(axis=1) > _SILENT_DB) if len(portrait.levels) else np.zeros(0)
    if not len(sounding):
        return []
    at, end = float(sounding[0]) * LEVEL_S, float(sounding[-1] + 1) * LEVEL_S
    found = []
    for start, length in sorted(spans):
        if start - at >= _SHORTEST_S:
            found.append(Stretch(start_s=at, end_s=start))
        at = max(at, start + length)
    if end - at >= _SHORTEST_S:
        found.append(Stretch(start_s=at, end_s=end))
    return found
