"""Overs put back: samples that met the converter's limit are rebuilt from what is around them, never below that limit.

They are interpolated like lost samples; where that falls short of the limit they once passed, they are held at it and
the others are found again (constrained interpolation, after Abel and Smith, Restoring a clipped signal, 1991).
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from inkwell_groove.core.measure.levels import MIN_CLIPPED_RUN
from inkwell_groove.core.restoration.mending import model_of, solve_gap
from inkwell_groove.core.restoration.stream import Block, GridStep, Stream

_ORDER = 64
_CONTEXT_S = 0.02
_APART = 12  # samples: clipped runs nearer than that are rebuilt together
_LONGEST_S = 0.004  # what was clipped for longer cannot be known
_TRIES = 12
_PASSES = 3


def clipped_stretches(channel: npt.NDArray[np.float64], limit: float) -> list[tuple[int, int]]:
    """Where three or more samples in a row are at the limit, those near each other as one."""
    at = np.abs(channel) >= limit
    edges = np.flatnonzero(np.diff(np.concatenate([[0], at.astype(np.int8), [0]])))
    runs = [(int(a), int(b)) for a, b in edges.reshape(-1, 2) if b - a >= MIN_CLIPPED_RUN]
    out: list[tuple[int, int]] = []
    for start, end in runs:
        if out and start - out[-1][1] < _APART:
            out[-1] = (out[-1][0], end)
        else:
            out.append((start, end))
    return out


class Declipped(GridStep):
    """A stream with short overs rebuilt; they may then lie above full scale. All other samples are as they were."""

    def __init__(self, before: Stream, *, limit: float) -> None:
        super().__init__(before)
        self._limit = limit
        self._context = round(_CONTEXT_S * before.rate_hz)
        self._longest = round(_LONGEST_S * before.rate_hz)

    def make(self, first: int, samples: int) -> Block:
        margin = self._context + self._longest
        block = self.before.read(first - margin, samples + 2 * margin)
        out = block.copy()
        for channel in range(self.channels):
            sound = np.ascontiguousarray(block[:, channel])
            stretches = [
                (start, end)
                for start, end in clipped_stretches(sound, self._limit)
                if end - start <= self._longest and start >= self._context and end + self._context <= len(sound)
            ]
            better = sound.copy()
            # Each time the models are of sound that is less clipped than before.
            for _ in range(_PASSES):
                for start, end in stretches:
                    near = slice(start - self._context, end + self._context)
                    inside = slice(self._context, self._context + end - start)
                    better[start:end] = rebuilt(better[near], sound[near], inside.start, inside.stop, self._limit)
            out[:, channel] = better
        return out[margin : margin + samples]


def rebuilt(
    sound: npt.NDArray[np.float64], clipped: npt.NDArray[np.float64], start: int, end: int, limit: float
) -> npt.NDArray[np.float64]:
    """Samples [start, end) of a stretch (samples,), those `clipped` at the limit found again, at or beyond it."""
    wanted = np.abs(clipped[start:end]) >= limit
    sign = np.sign(clipped[start:end])
    filter_, _ = model_of(sound, min(_ORDER, start - 1, len(sound) - end - 1))
    held = ~wanted  # those that were not clipped are known
    value = clipped[start:end].copy()
    for _ in range(_TRIES):
        value = solve_gap(sound, start, end, filter_, held, value)
        short = ~held & (value * sign < limit)
        if not short.any():
            break
        value[short] = limit * sign[short]
        held = held | short
    return np.where(wanted, np.where(value * sign < limit, limit * sign, value), clipped[start:end])
