"""A side scanned for clicks, once: every candidate with its likelihood, whatever is then made of it.

The side is scanned in stretches on a fixed grid, each with some of its neighbours, so that any stretch can be scanned
alone, or several at once, with the same result. Above 50 kHz every second or fourth sample of the band below 22 kHz is
scanned: what lies above is nothing or the noise of the converter, and where it is nothing all is foreseen but that.
"""

from __future__ import annotations

import io
from collections.abc import Callable, Sequence
from dataclasses import dataclass, fields
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
import numpy.typing as npt
import scipy

from inkwell_groove.core.audio.sound import Samples, SoundFormat, SoundReader, to_float
from inkwell_groove.core.restoration import ar, families, guard
from inkwell_groove.core.restoration.candidates import FEATURES, alone, candidates_in
from inkwell_groove.core.restoration.evidence import Rates, evidence_of
from inkwell_groove.core.restoration.mending import swing_after

STRETCH_S = 5.0
_MARGIN_S = 0.25
_SWING_S = 0.0035
_WORTH_ASKING = -1.0  # log odds
_OVER_LEVEL = FEATURES.index("over level")
_VERSION = 3
_SCANNED_HZ = 46_000
_TAPS = 64  # times the factor; half of them is a whole number of thinned samples


@dataclass(frozen=True)
class Scan:
    """Candidates in order of their place; every array is (candidates,). `odds` are the logs of the odds of a click."""

    rate_hz: int
    samples: int
    start: npt.NDArray[np.int64]
    end: npt.NDArray[np.int64]
    channel: npt.NDArray[np.int8]
    odds: npt.NDArray[np.float32]
    over_db: npt.NDArray[np.float32]  # how far a click's peak stands over the music around it
    family: npt.NDArray[np.int32]  # of the scratch it belongs to, from 0; -1 for none
    shift: float = 0.0  # by which the side moved the odds
    turn_s: float = 0.0  # of the families, 0 without one

    def __len__(self) -> int:
        return len(self.start)

    @property
    def likelihood(self) -> npt.NDArray[np.float64]:
        return 1.0 / (1.0 + np.exp(-self.odds.astype(np.float64)))

    def save(self, path: Path) -> None:
        held = {field.name: getattr(self, field.name) for field in fields(self)}
        buffer = io.BytesIO()
        np.savez_compressed(buffer, version=_VERSION, **held)
        path.write_bytes(buffer.getvalue())

    @classmethod
    def load(cls, path: Path) -> Scan | None:
        """None where there is none, or one of another version."""
        if not path.exists():
            return None
        with np.load(path) as held:
            if int(held["version"]) != _VERSION:
                return None
            plain: dict[str, Any] = {field.name: held[field.name] for field in fields(cls)}
        for name in ("rate_hz", "samples"):
            plain[name] = int(plain[name])
        for name in ("shift", "turn_s"):
            plain[name] = float(plain[name])
        return cls(**plain)


class Found(NamedTuple):
    """What was found in some stretches, at the rate at which they were scanned; every array is (candidates,)."""

    start: npt.NDArray[np.int64]
    end: npt.NDArray[np.int64]
    channel: npt.NDArray[np.int8]
    odds: npt.NDArray[np.float32]
    over_db: npt.NDArray[np.float32]

    def save(self, path: Path) -> None:
        with path.open("wb") as file:
            np.savez(file, version=_VERSION, **self._asdict())

    @classmethod
    def load(cls, path: Path) -> Found | None:
        """None where there is none, or one of another version."""
        if not path.exists():
            return None
        with np.load(path) as held:
            return cls(*(held[name] for name in cls._fields)) if int(held["version"]) == _VERSION else None


def scan(reader: SoundReader, *, progress: Callable[[float], None] | None = None) -> Scan:
    """All candidates of a recording of one or two channels."""
    return put_together(reader.format, [scan_stretches(reader, 0, stretches_of(reader.format), progress=progress)])


def stretches_of(form: SoundFormat) -> int:
    """How many stretches a recording is scanned in."""
    return -(-_scanned(form).samples // _stretch_samples(form))


def scan_stretches(
    reader: SoundReader, first: int, count: int, *, progress: Callable[[float], None] | None = None
) -> Found:
    """What is found in `count` stretches from the one numbered `first` on, or in those that there are."""
    factor = _factor(reader.format.rate_hz)
    scanned: SoundReader = reader if factor == 1 else _Thinned(reader, factor)
    stretch, samples = _stretch_samples(reader.format), scanned.format.samples
    found = [_NOTHING]
    for number in range(first, first + count):
        start = number * stretch
        if start < samples:
            found.append(_scan_stretch(scanned, start, min(stretch, samples - start)))
        if progress is not None:
            progress((number + 1 - first) / count)
    return _laid_end_to_end(found)


def put_together(form: SoundFormat, pieces: Sequence[Found]) -> Scan:
    """The scan of a whole recording, from what was found in all its stretches, in their order.

    Only here candidates of the whole side are compared: what it moves the odds by, and scratches.
    """
    scanned, found = _scanned(form), _laid_end_to_end([_NOTHING, *pieces])
    order = np.lexsort((found.channel, found.start))
    start, end, channel = found.start[order], found.end[order], found.channel[order]
    odds, over_db = found.odds[order], found.over_db[order]
    shift = guard.side_shift(found.odds)
    kin = families.find(start, end, odds + np.float32(shift), scanned.rate_hz)
    factor = _factor(form.rate_hz)
    if factor > 1:
        # A sample of the thinned sound stands for those around it.
        start = np.maximum(0, start * factor - factor // 2)
        end = np.minimum(form.samples, (end - 1) * factor + factor // 2 + 1)
    return Scan(form.rate_hz, form.samples, start, end, channel, kin.odds, over_db, kin.family, shift, kin.turn_s)


_NOTHING = Found(*(np.zeros(0, kind) for kind in ("i8", "i8", "i1", "f4", "f4")))


def _laid_end_to_end(pieces: Sequence[Found]) -> Found:
    return Found(*(np.concatenate(one) for one in zip(*pieces, strict=True)))


def _stretch_samples(form: SoundFormat) -> int:
    return round(STRETCH_S * _scanned(form).rate_hz)


def _scanned(form: SoundFormat) -> SoundFormat:
    """A recording's format as it is scanned."""
    factor = _factor(form.rate_hz)
    if factor == 1:
        return form
    thinned = {"rate_hz": form.rate_hz // factor, "samples": -(-form.samples // factor), "word": "f32"}
    return form.model_copy(update=thinned)


def _factor(rate_hz: int) -> int:
    return max(1, round(rate_hz / _SCANNED_HZ))


class _Thinned:
    """A recording at a half or a quarter of its rate, its sound below 0.92 of half the new one left as it is."""

    def __init__(self, reader: SoundReader, factor: int) -> None:
        self.format = _scanned(reader.format)
        self._reader, self._factor = reader, factor
        self._taps = scipy.signal.firwin(_TAPS * factor + 1, 0.92 / factor)

    def read(self, start_sample: int, samples: int) -> Samples:
        count = max(0, min(samples, self.format.samples - start_sample))
        half, factor = len(self._taps) // 2, self._factor
        first = start_sample * factor - half
        wanted = (count - 1) * factor + 2 * half + 1 if count else 0
        heard = to_float(self._reader.read(max(0, first), wanted - max(0, -first)), self._reader.format.full_scale)
        spread = np.zeros((-(-wanted // factor) * factor, heard.shape[1]))
        spread[max(0, -first) : max(0, -first) + len(heard)] = heard
        # Each phase of the samples with its own taps: quicker than scipy's upfirdn along columns.
        phases = np.ascontiguousarray(spread.reshape(-1, factor, heard.shape[1]).transpose(2, 1, 0))
        thinned = np.zeros((heard.shape[1], count))
        for out, own in zip(thinned, phases, strict=True):
            for phase in range(factor if count else 0):
                ar.add_filtered(out, own[phase], self._taps[phase::factor])
        return np.ascontiguousarray(thinned.T, np.float32)


def _scan_stretch(reader: SoundReader, first: int, samples: int) -> Found:
    """What begins in samples [first, first + samples)."""
    form = reader.format
    rates = Rates(form.rate_hz)
    # The grid of frames is the same for a stretch wherever it is scanned from.
    margin = -(-round(_MARGIN_S * form.rate_hz) // rates.hop) * rates.hop
    from_ = max(0, first - margin)
    block = to_float(reader.read(from_, first + samples + margin - from_), form.full_scale)
    before = margin - (first - from_)
    if before:
        block = np.concatenate([np.zeros((before, block.shape[1])), block])
    same = block.shape[1] == 2 and bool(np.array_equal(block[:, 0], block[:, 1]))
    heard = np.ascontiguousarray(block[:, :1] if same else block[:, :2])
    found = candidates_in(heard, evidence_of(heard, rates, grain=grain_of(reader)), rates)
    start, end = found.start + first - margin, found.end + first - margin
    inside = (start >= first) & (start < first + samples)
    odds = guard.log_odds(found.features[inside])
    over = (found.features[inside, _OVER_LEVEL] * (20.0 / np.log(10.0))).astype(np.float32)
    start, end, channel = start[inside], end[inside], found.channel[inside].astype(np.int8)
    end = np.minimum(_with_swings(heard, first - margin, start, end, channel, odds, rates), form.samples)
    if same:  # both are the same sound, so they are broken in the same places
        start, end, odds, over = (np.concatenate([one, one]) for one in (start, end, odds, over))
        channel = np.repeat(np.array([0, 1], np.int8), len(channel))
    return Found(start, end, channel, odds, over)


def _with_swings(
    heard: npt.NDArray[np.float64],
    first: int,
    start: npt.NDArray[np.int64],
    end: npt.NDArray[np.int64],
    channel: npt.NDArray[np.int8],
    odds: npt.NDArray[np.float32],
    rates: Rates,
) -> npt.NDArray[np.int64]:
    """The ends of candidates, later by up to 3.5 ms where a blow swings back, of which no prediction tells."""
    room, context = round(_SWING_S * rates.rate_hz), round(0.02 * rates.rate_hz)
    out = end.copy()
    asked = odds > _WORTH_ASKING
    for one in (0, 1):
        own = channel == one
        asked[own] &= alone(start[own], rates)
    for k in np.flatnonzero(asked):
        a, b = int(start[k]) - first, int(end[k]) - first
        from_ = max(0, a - context)
        near = np.ascontiguousarray(heard[from_ : b + room + context, channel[k]])
        longer = swing_after(near, a - from_, b - from_, room)
        if longer:
            following = start[(channel == channel[k]) & (start > start[k])]
            out[k] = min(int(end[k]) + longer, int(following.min()) if len(following) else int(end[k]) + longer)
    return np.maximum(out, end)


def grain_of(reader: SoundReader) -> float:
    """The smallest step of the recording's samples, full scale 1; 24 bit for floats."""
    form = reader.format
    return float(2.0 ** (1 - (24 if form.is_float else min(form.bits, 24))))
