"""Holes in a tape's level: found where a sound that goes on is weak for a moment, and raised to what is around them.

Where the coating is gone, or dirt lifts the tape off the head, the level falls within milliseconds and comes back as
quickly, the treble most. What tells a hole from a rest in the music is that the same sound stands on both sides of it:
as loud, and with the same spectrum. A hole is raised by what is missing, smoothly, and never by more than a limit,
since the tape's own noise is raised with it.
"""

from __future__ import annotations

from itertools import pairwise
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from inkwell_groove.core.restoration.stream import Block, Step, Stream

_CELL_S = 0.004
_SHORTEST_S, _LONGEST_S = 0.006, 0.4
_BESIDE_S = 0.06  # on either side, of which the sound is taken for what belongs into the hole
_DEEP_DB = 7.0
_FLAT_DB = 2.5  # by which the bottom of a longer hole may sway: what rings in a rest does more
_ALIKE_DB = 5.0  # by which the two sides may differ
_LASTING_S = 0.24  # on either side: what is loud for less than that is a knock, and between two knocks is no hole
_SAME_SHAPE = 0.9  # the correlation of their spectra, in decibels over third octaves
_LIKE_ENOUGH = 0.45  # of a deep hole with two steep edges, as few rests have: what rings into one dies away
_PLAIN_DB = 10.0
_STEEP_CELLS = 3
_STEP_S = 0.00025
MOST_DB = 24.0
_FLOOR = 1e-12
_SPECTRUM = 2_048


class Dropout(NamedTuple):
    """A hole in one channel: samples [start, end), how deep, and how alike what lies beside it is, from 0 to 1."""

    start: int
    end: int
    channel: int
    depth_db: float
    alike: float


def find(stream: Stream) -> list[Dropout]:
    """The holes of a stream, in order of place."""
    found = []
    for channel in range(stream.channels):
        level = _levels(stream, channel)
        for first, last in _holes(level):
            hole = _judged(stream, channel, level, first, last)
            if hole is not None:
                found.append(hole)
    return sorted(found)


class Raised(Step):
    """A stream with its holes raised."""

    def __init__(self, before: Stream, holes: list[Dropout]) -> None:
        super().__init__(before)
        self._cell = _cell(before)
        self._gains = [(hole, self._gain_of(hole)) for hole in sorted(holes)]

    def read(self, first: int, samples: int) -> Block:
        block = self.before.read(first, samples)
        for hole, gain in self._gains:
            a, b = max(hole.start, first), min(hole.end, first + samples)
            if a < b:
                block[a - first : b - first, hole.channel] *= gain[a - hole.start : b - hole.start]
        return block

    def _gain_of(self, hole: Dropout) -> npt.NDArray[np.float64]:
        """(samples,): by how much each sample of a hole is raised, 1 at its ends."""
        beside = round(_BESIDE_S * self.rate_hz)
        near = self.before.read(hole.start - beside, hole.end - hole.start + 2 * beside)[:, hole.channel]
        cells = len(near) // self._cell
        level = 10 * np.log10((near[: cells * self._cell].reshape(cells, -1) ** 2).mean(axis=1) + _FLOOR)
        edge = beside // self._cell
        before, after = np.median(level[:edge]), np.median(level[-edge:])
        wanted = np.interp(np.arange(cells), [edge, cells - edge], [before, after])
        missing = np.clip(wanted - np.convolve(level, np.ones(3) / 3, "same"), 0.0, MOST_DB)
        centre = (np.arange(cells) + 0.5) * self._cell - beside
        places = np.arange(hole.end - hole.start)
        raised = np.interp(places, centre, missing)
        ends = np.minimum(1.0, np.minimum(places + 1, places[::-1] + 1) / self._cell)
        return np.asarray(10 ** (raised * ends / 20))


def _cell(stream: Stream) -> int:
    return max(1, round(_CELL_S * stream.rate_hz))


def _levels(stream: Stream, channel: int) -> npt.NDArray[np.float64]:
    """(cells,): the level in decibels of the steps over 0.25 ms: of what lies around 2 kHz most, where music still is
    and neither a bass note's own swing nor the noise of the amplifier, which a hole does not have less of, says much.
    """
    cell, step = _cell(stream), max(1, round(_STEP_S * stream.rate_hz))
    block = cell * 4_096
    parts = []
    for first in range(0, stream.samples - cell + 1, block):
        count = min(block, stream.samples - first) // cell * cell
        sound = stream.read(first - step, count + step)[:, channel]
        steps = sound[step:] - sound[:-step]
        parts.append(10 * np.log10((steps.reshape(-1, cell) ** 2).mean(axis=1) + _FLOOR))
    return np.concatenate(parts) if parts else np.zeros(0)


def _holes(level: npt.NDArray[np.float64]) -> list[tuple[int, int]]:
    """Runs of cells well below what lies beside them on both sides."""
    beside, longest = round(_BESIDE_S / _CELL_S), round(_LONGEST_S / _CELL_S)
    out, at = [], beside
    while at < len(level) - beside:
        before = float(np.median(level[at - beside : at]))
        if level[at] > before - _DEEP_DB:
            at += 1
            continue
        end = at
        while end < len(level) and end - at <= longest and level[end] < before - 0.5 * _DEEP_DB:
            end += 1
        if end - at <= longest and round(_SHORTEST_S / _CELL_S) <= end - at and end + beside <= len(level):
            out.append((at, end))
        at = max(end, at + 1)
    return out


def _judged(stream: Stream, channel: int, level: npt.NDArray[np.float64], first: int, last: int) -> Dropout | None:
    beside = round(_BESIDE_S / _CELL_S)
    before, after = (float(np.median(part)) for part in (level[first - beside : first], level[last : last + beside]))
    bottom = float(np.median(level[first:last]))
    depth = min(before, after) - bottom
    lasting = round(_LASTING_S / _CELL_S)
    around = [float(np.median(part)) for part in (level[max(0, first - lasting) : first], level[last : last + lasting])]
    if abs(before - after) > _ALIKE_DB or depth < _DEEP_DB or min(around) - bottom < 0.5 * _DEEP_DB:
        return None
    if last - first > 4 and float(level[first + 1 : last - 1].std()) > _FLAT_DB:
        return None
    cell = _cell(stream)
    start, end = (first - 1) * cell, (last + 1) * cell
    spectra = [
        _third_octaves(stream.read(at, _SPECTRUM)[:, channel], stream.rate_hz) for at in (start - _SPECTRUM, end)
    ]
    alike = float(np.corrcoef(spectra[0], spectra[1])[0, 1])
    plain = depth > _PLAIN_DB and _is_steep(level, first, last, bottom, depth)
    like_enough = _LIKE_ENOUGH if plain else _SAME_SHAPE
    return Dropout(start, end, channel, depth, alike) if alike > like_enough else None


def _is_steep(level: npt.NDArray[np.float64], first: int, last: int, bottom: float, depth: float) -> bool:
    """Whether the level falls by most of its depth, and rises again, within a few cells."""
    lowest, highest = bottom + 0.25 * depth, bottom + 0.75 * depth
    falls = level[first - _STEEP_CELLS : first].max() > highest and level[first : first + _STEEP_CELLS].min() < lowest
    rises = level[last - _STEEP_CELLS : last].min() < lowest and level[last : last + _STEEP_CELLS].max() > highest
    return bool(falls and rises)


def _third_octaves(sound: npt.NDArray[np.float64], rate_hz: int) -> npt.NDArray[np.float64]:
    power = np.abs(np.fft.rfft(sound * np.hanning(len(sound)))) ** 2
    hz = np.fft.rfftfreq(len(sound), 1.0 / rate_hz)
    edges = 100.0 * 2 ** (np.arange(22) / 3)
    bands = [power[(hz >= a) & (hz < b)].sum() for a, b in pairwise(edges) if b < rate_hz / 2]
    return np.asarray(10 * np.log10(np.array(bands) + _FLOOR))
