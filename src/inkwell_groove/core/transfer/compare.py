"""Two takes of one side beside each other: level, speed, noise, clicks, and where they differ.

The takes are laid over each other by their envelopes (RMS of 10 ms): cross-correlation of stretches of 12 s all along
the side gives how far the second lags at each. Lags that grow evenly are a difference of speed; a step in them is a
groove that skipped or a block that was lost. Laid over each other so, they are compared second by second and click by
click.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

import numpy as np
import numpy.typing as npt
from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.audio.decibels import dbfs
from inkwell_groove.core.audio.sound import SoundReader, to_float

HOP_S = 0.01
_STRETCH_S, _REACH_S = 12.0, 4.0
_BLOCK_SAMPLES = 262_144
_LEAST_HOPS = 100
_MUSIC_SHARE = 0.03  # of the take's RMS: 30 dB below it
_LEVEL_DB = 3.0  # a second this far from the takes' usual difference is one to look at
_STEP_S = 0.05
_SURE = 0.5
_CLICK_RATIO = 12.0


class TakeFacts(BaseModel):
    """What one take is by itself. Levels in dBFS, none for digital silence."""

    model_config = ConfigDict(frozen=True)

    duration_s: float
    peak_dbfs: float | None
    rms_dbfs: float | None
    noise_floor_dbfs: float | None = Field(description="RMS of the quietest twentieth of the hundredths of a second.")
    clicks_per_minute: float


class Difference(BaseModel):
    """A place where the takes part, in samples of the first."""

    model_config = ConfigDict(frozen=True)

    kind: Literal["level", "time", "only in the first", "only in the second"]
    start_sample: int
    end_sample: int
    words: str


class Comparison(BaseModel):
    model_config = ConfigDict(frozen=True)

    first: TakeFacts
    second: TakeFacts
    same_recording: bool = Field(description="Whether they lie over each other at all.")
    offset_s: float | None = Field(description="How much later the second take has what the first has at its start.")
    speed_ratio: float | None = Field(description="The second take's speed over the first's; above 1 it ran faster.")
    level_db: float | None = Field(description="By how much the second is louder.")
    differences: tuple[Difference, ...]


class _Envelope:
    """RMS of each 10 ms, and the clicks: hundredths whose steepest step stands far out of its neighbourhood."""

    def __init__(self, reader: SoundReader, progress: Callable[[float], None]) -> None:
        form = reader.format
        self.rate_hz, self.samples = form.rate_hz, form.samples
        self.hop = round(HOP_S * form.rate_hz)
        block = _BLOCK_SAMPLES // self.hop * self.hop
        powers, steps, peak = [], [], 0.0
        for first in range(0, form.samples // self.hop * self.hop, block):
            audio = to_float(reader.read(first, block), form.full_scale).mean(axis=1)
            audio = audio[: len(audio) // self.hop * self.hop].reshape(-1, self.hop)
            peak = max(peak, float(np.abs(audio).max(initial=0.0)))
            powers.append((audio**2).mean(axis=1))
            steps.append(np.abs(np.diff(audio, n=2, axis=1)).max(axis=1))
            progress(first / form.samples)
        self.power = np.concatenate(powers) if powers else np.zeros(1)
        step = np.concatenate(steps) if steps else np.zeros(1)
        usual = _running_median(step, 31)
        self.clicks = np.flatnonzero(step > _CLICK_RATIO * np.maximum(usual, 1e-7)).astype(np.float64)
        self.peak = peak
        self.rms = np.sqrt(self.power)

    def facts(self) -> TakeFacts:
        floor = np.sort(self.power)[: max(1, len(self.power) // 20)].mean()
        minutes = max(self.samples / self.rate_hz / 60.0, 1e-9)
        return TakeFacts(
            duration_s=self.samples / self.rate_hz,
            peak_dbfs=dbfs(self.peak),
            rms_dbfs=dbfs(float(np.sqrt(self.power.mean()))),
            noise_floor_dbfs=dbfs(float(np.sqrt(floor))),
            clicks_per_minute=round(len(self.clicks) / minutes, 2),
        )


def compare(
    first: SoundReader, second: SoundReader, *, progress: Callable[[float], None] = lambda share: None
) -> Comparison:
    """The second take against the first. Streams each once; holds a few figures for each hundredth of a second."""
    one = _Envelope(first, lambda share: progress(0.5 * share))
    two = _Envelope(second, lambda share: progress(0.5 + 0.45 * share))
    places, lags, sure = _lags(one.rms, two.rms)
    good = sure > _SURE
    if good.sum() < 1:
        return Comparison(
            first=one.facts(),
            second=two.facts(),
            same_recording=False,
            offset_s=None,
            speed_ratio=None,
            level_db=None,
            differences=(),
        )
    laid = _Laid(places[good], lags[good])
    level = _level_db(one, two, laid)
    differences = [*_steps(one, laid), *_level_differences(one, two, laid, level), *_clicks_apart(one, two, laid)]
    return Comparison(
        first=one.facts(),
        second=two.facts(),
        same_recording=True,
        offset_s=round(laid.offset * HOP_S, 3),
        speed_ratio=round(1.0 / (1.0 + laid.slope), 5) if good.sum() >= 4 else None,
        level_db=round(level, 2),
        differences=tuple(sorted(differences, key=lambda found: found.start_sample)),
    )


Curve = npt.NDArray[np.float64]


def _lags(one: Curve, two: Curve) -> tuple[Curve, Curve, Curve]:
    """(place, lag, likeness) of stretches all along the first envelope, in hundredths of a second.

    The first stretch is looked for in the whole of the second take, later ones near where the one before was found.
    """
    size = max(_LEAST_HOPS, min(round(_STRETCH_S / HOP_S), len(one) // 3, len(two) // 3))
    places, lags, sure = [], [], []
    usual = float(np.sqrt((one**2).mean()))
    near: float | None = None
    for at in range(0, max(1, len(one) - size + 1), max(size // 2, 1)):
        # Stretches without music look alike everywhere: the quiet before the stylus, the groove before the first note.
        if np.median(one[at : at + size]) < _MUSIC_SHARE * usual:
            continue
        stretch = _standing_out(one[at : at + size])
        if not np.any(stretch):
            continue
        reach = round(_REACH_S / HOP_S)
        low = 0 if near is None else max(0, round(at + near) - reach)
        high = len(two) if near is None else min(len(two), round(at + near) + size + reach)
        if high - low < size:
            continue
        scores = _likeness(stretch, two[low:high])
        best = int(np.argmax(scores))
        fine = _vertex(scores, best)
        places.append(at + size / 2)
        lags.append(low + fine - at)
        sure.append(scores[best])
        if scores[best] > _SURE:
            near = lags[-1]
    return np.array(places), np.array(lags), np.array(sure)


def _standing_out(curve: Curve) -> Curve:
    """An envelope in dB without its mean: loud and soft parts count alike."""
    level = 20.0 * np.log10(np.maximum(curve, 1e-6))
    return np.asarray(level - level.mean())


def _likeness(stretch: Curve, field: Curve) -> Curve:
    """Normalised cross-correlation of a stretch at every place of a field."""
    level = 20.0 * np.log10(np.maximum(field, 1e-6))
    size = len(stretch)
    width = 1 << (len(level) + size - 1).bit_length()
    cross = np.fft.irfft(np.fft.rfft(level, width) * np.conj(np.fft.rfft(stretch, width)), width)
    cross = cross[: len(level) - size + 1]
    sums = np.concatenate(([0.0], np.cumsum(level)))
    squares = np.concatenate(([0.0], np.cumsum(level**2)))
    mean = (sums[size:] - sums[:-size]) / size
    spread = np.sqrt(np.maximum(squares[size:] - squares[:-size] - size * mean**2, 1e-9))
    return np.asarray(cross / (spread * max(float(np.linalg.norm(stretch)), 1e-9)))


def _vertex(scores: Curve, best: int) -> float:
    if not 0 < best < len(scores) - 1:
        return float(best)
    before, here, after = scores[best - 1 : best + 2]
    bend = before - 2 * here + after
    return best + (0.5 * (before - after) / bend if bend else 0.0)


class _Laid:
    """How the second take lies over the first: its lag at every place, its even growth, and the steps in it."""

    def __init__(self, places: Curve, lags: Curve) -> None:
        self.places, self.lags = places, lags
        apart, grown = np.diff(places), np.diff(lags)
        usual = float(np.median(grown / apart)) if len(apart) else 0.0
        jumps = grown - usual * apart
        self.steps = np.where(np.abs(jumps) > _STEP_S / HOP_S, jumps, 0.0)
        even = lags - np.concatenate(([0.0], np.cumsum(self.steps)))
        fitted = np.polyfit(places, even, 1) if len(places) > 1 else (0.0, lags[0])
        self.slope, self.offset = float(fitted[0]), float(fitted[1])

    def to_second(self, at: Curve) -> Curve:
        """Where the second take has what the first has at `at`, in hundredths of a second."""
        lag = np.interp(at, self.places, self.lags)
        beyond = at - np.clip(at, self.places[0], self.places[-1])
        return np.asarray(at + lag + self.slope * beyond)


def _overlap(one: _Envelope, two: _Envelope, laid: _Laid) -> tuple[npt.NDArray[np.int64], Curve]:
    """Places of the first envelope that the second has too, and where it has them."""
    at = np.arange(len(one.power), dtype=np.int64)
    there = laid.to_second(at.astype(np.float64))
    inside = (there >= 0) & (there <= len(two.power) - 1)
    return at[inside], np.asarray(there[inside], dtype=np.float64)


def _level_db(one: _Envelope, two: _Envelope, laid: _Laid) -> float:
    at, there = _overlap(one, two, laid)
    mine, other = one.power[at].mean(), np.interp(there, np.arange(len(two.power)), two.power).mean()
    return float(10.0 * np.log10(max(other, 1e-20) / max(mine, 1e-20)))


def _steps(one: _Envelope, laid: _Laid) -> list[Difference]:
    found = []
    for index in np.flatnonzero(laid.steps):
        jump_s = float(laid.steps[index]) * HOP_S
        words = f"the second {'gains' if jump_s > 0 else 'loses'} {abs(jump_s):.2f} s here: a skip, or a lost block"
        found.append(_difference("time", one, laid.places[index], laid.places[index + 1], words))
    return found


def _level_differences(one: _Envelope, two: _Envelope, laid: _Laid, level_db: float) -> list[Difference]:
    at, there = _overlap(one, two, laid)
    second = round(1.0 / HOP_S)
    count = len(at) // second
    if not count:
        return []
    mine = one.power[at[: count * second]].reshape(count, second).mean(axis=1)
    other = np.interp(there[: count * second], np.arange(len(two.power)), two.power).reshape(count, second).mean(axis=1)
    apart = 10.0 * np.log10(np.maximum(other, 1e-12) / np.maximum(mine, 1e-12)) - level_db
    loud = np.maximum(mine, other) > one.power.mean() * 1e-3
    found = []
    for index in _runs((np.abs(apart) > _LEVEL_DB) & loud):
        words = f"the second is {apart[index[0] : index[1]].mean():+.1f} dB here, beyond the usual".replace("-", "−")
        found.append(_difference("level", one, at[index[0] * second], at[min(len(at) - 1, index[1] * second)], words))
    return found


def _clicks_apart(one: _Envelope, two: _Envelope, laid: _Laid) -> list[Difference]:
    there = laid.to_second(one.clicks)
    # Back from the second: the way there is monotonous but for skips, so it can be read the other way round.
    ways = laid.to_second(np.arange(len(one.power), dtype=np.float64))
    back = np.interp(two.clicks, ways, np.arange(len(ways)), left=np.nan, right=np.nan)
    words = "a click that the other take does not have"
    inside = (there >= 0) & (there < len(two.power))
    lone = one.clicks[inside & np.array([not _near(float(p), two.clicks) for p in there], dtype=bool)]
    others = [float(p) for p in back if np.isfinite(p) and not _near(float(p), one.clicks)]
    found = [_difference("only in the first", one, float(p), float(p) + 1, words) for p in lone]
    return found + [_difference("only in the second", one, p, p + 1, words) for p in others]


def _near(place: float, others: Curve) -> bool:
    return bool(len(others)) and float(np.abs(others - place).min()) <= 3.0


def _difference(
    kind: Literal["level", "time", "only in the first", "only in the second"],
    one: _Envelope,
    first: float,
    last: float,
    words: str,
) -> Difference:
    start, end = round(float(first) * one.hop), round(float(last) * one.hop)
    return Difference(kind=kind, start_sample=max(0, start), end_sample=min(one.samples, end), words=words)


def _runs(marks: npt.NDArray[np.bool_]) -> list[tuple[int, int]]:
    edges = np.flatnonzero(np.diff(np.concatenate(([0], marks.astype(np.int8), [0]))))
    return list(zip((int(one) for one in edges[::2]), (int(one) for one in edges[1::2]), strict=True))


def _running_median(values: Curve, size: int) -> Curve:
    if len(values) < size:
        return np.full(len(values), float(np.median(values)) if len(values) else 0.0)
    windows = np.lib.stride_tricks.sliding_window_view(np.pad(values, size // 2, mode="edge"), size)
    return np.asarray(np.median(windows, axis=1))
