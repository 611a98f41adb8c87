"""What the finder hears of a side: bands, textures, clicks and tone, at one rate whatever the recording's.

Everything is measured on one signal at 24 kHz: the sum of the channels, or their difference where a channel's
polarity is turned over and the sum would cancel. So neither the rate of the recording nor a second channel changes
what is found, and the rumble and hiss that are not common to both walls of the groove do not count.
"""

from __future__ import annotations

import zipfile
from collections.abc import Callable, Iterator
from dataclasses import dataclass, fields
from pathlib import Path
from typing import Literal

import numpy as np
import numpy.typing as npt
import scipy.fft
import soxr

from inkwell_groove.core.audio.sound import SoundReader, to_float
from inkwell_groove.core.tracks import declick

RATE_HZ = 24_000
HOP_S = 0.01
HOP = declick.HOP
FINE = 24  # samples of the fine envelope: 1 ms
CELL_HOPS = 50  # of textures: half a second
TONE_HOPS = 20  # of tone: a fifth of a second
_WINDOW = 512  # 21 ms
_TONE_WINDOW = 4_096  # 171 ms: semitones apart from 250 Hz on
_CHUNK_HOPS = 1_000
BAND_EDGES_HZ = (100, 200, 300, 400, 510, 630, 770, 920, 1_080, 1_270, 1_480, 1_720, 2_000, 2_320, 2_700, 3_150, 3_700,
                 4_400, 5_300, 6_400, 7_700, 9_500)  # fmt: skip  # critical bands: Zwicker 1961
BANDS = len(BAND_EDGES_HZ) - 1
_EULER = 0.5772
SILENCE_DBFS = -120.0
_TEXTURE_HZ = (400.0, 9_000.0)
_SMALLEST = np.float32(1e-14)  # power of what is digitally silent

Floats = npt.NDArray[np.float32]


@dataclass(frozen=True)
class Heard:
    """A side as the finder hears it. Powers are of full scale 1, a sine of amplitude 1 having 0.5.

    bands: (hops, BANDS) power in each critical band every HOP_S, clicks bridged. fine: power above 100 Hz every
    millisecond. steadiness and flatness: one value a CELL_HOPS, 0 for steady noise, below for music: by how much the
    mean of log powers lies under that of noise over time, and over frequency. chroma: (tones, 12) every TONE_HOPS,
    each row of length 1. clicks_s: where clicks stand out, and click_heights by how much.
    """

    samples: int
    rate_hz: int
    bands: Floats
    band_bins: npt.NDArray[np.int64]
    fine: Floats
    steadiness: Floats
    flatness: Floats
    chroma: Floats
    clicks_s: npt.NDArray[np.float64]
    click_heights: Floats

    @property
    def hops(self) -> int:
        return len(self.bands)

    @property
    def seconds(self) -> float:
        return self.samples / self.rate_hz

    def save(self, path: Path) -> None:
        """Keeps it in a file, so that finding again needs not hear the side again: 20 MB for half an hour."""
        with path.open("wb") as file:
            np.savez(file, version=np.array(_VERSION), **vars(self))

    @classmethod
    def load(cls, path: Path) -> Heard | None:
        """What was kept; None where it cannot be read or an older version of this module wrote it."""
        try:
            with path.open("rb") as file, np.load(file, allow_pickle=False) as kept:
                if int(kept["version"]) != _VERSION:
                    return None
                values = {field.name: kept[field.name] for field in fields(cls)}
        except (OSError, ValueError, KeyError, zipfile.BadZipFile):
            return None
        return cls(**{**values, "samples": int(values["samples"]), "rate_hz": int(values["rate_hz"])})


_VERSION = 1


def hear(
    reader: SoundReader, *, progress: Callable[[float], None] | None = None, block_samples: int = 1 << 18
) -> Heard:
    """Hears a recording, streamed: memory holds a block, 20 s at 24 kHz and what is measured (about 15 MB an hour).

    The result does not depend on `block_samples` but for rounding.
    """
    sound = _Ear(reader.format.rate_hz)
    turned = reader.format.channels > 1 and _is_turned(reader)
    for at, block in _mixed(reader, block_samples, "difference" if turned else "sum"):
        sound.take(block)
        if progress:
            progress(at / max(1, reader.format.samples))
    return sound.finish(reader.format.samples)


def _mixed(
    reader: SoundReader, block_samples: int, how: Literal["sum", "difference"]
) -> Iterator[tuple[int, npt.NDArray[np.float32]]]:
    form = reader.format
    for first in range(0, form.samples, block_samples):
        block = reader.read(first, block_samples)
        mixed = block[:, 0].astype(np.float32)
        for channel in range(1, form.channels):
            mixed += block[:, channel].astype(np.float32) * np.float32(-1.0 if how == "difference" else 1.0)
        yield first + len(block), mixed * np.float32(1.0 / (form.full_scale * form.channels))


def _is_turned(reader: SoundReader) -> bool:
    """Whether the second channel's polarity is turned over: by far more difference than sum, at thirty places."""
    form = reader.format
    places = np.linspace(0, max(0, form.samples - 8_192), 30).astype(int)
    sums = differences = 0.0
    for place in places:
        audio = to_float(reader.read(int(place), 8_192), form.full_scale)
        audio = audio - audio.mean(axis=0)
        sums += float(((audio[:, 0] + audio[:, 1]) ** 2).sum())
        differences += float(((audio[:, 0] - audio[:, 1]) ** 2).sum())
    return differences > 4.0 * sums


class _Ear:
    """Takes sound in blocks and measures it in chunks of its own, always the same."""

    def __init__(self, rate_hz: int) -> None:
        self._rate_hz = rate_hz
        self._resampler = soxr.ResampleStream(rate_hz, RATE_HZ, 1, dtype="float32", quality="MQ")
        hz = np.fft.rfftfreq(_WINDOW, 1 / RATE_HZ)
        top_hz = min(BAND_EDGES_HZ[-1], 0.45 * rate_hz)
        self._bins = np.searchsorted(hz, BAND_EDGES_HZ)
        self._known = int(np.searchsorted(BAND_EDGES_HZ, top_hz, side="right")) - 1
        self._texture = slice(*np.searchsorted(hz, (_TEXTURE_HZ[0], min(_TEXTURE_HZ[1], top_hz))))
        window = np.hanning(_WINDOW + 1)[:-1]
        self._window = window.astype(np.float32)
        self._gain = np.float32(2.0 / (window**2).sum() / _WINDOW)
        self._tone_window = np.hanning(_TONE_WINDOW).astype(np.float32)
        self._tone_map = _semitones(top_hz)
        # Half a longest window of silence before the first sample, so that hop n is centred on n * HOP_S.
        self._lead = _TONE_WINDOW // 2
        self._waiting = [np.zeros(self._lead, np.float32)]
        self._length = self._lead
        self._first = 0  # of what waits, in samples of the padded signal
        self._bands: list[Floats] = []
        self._fine: list[Floats] = []
        self._textures: list[Floats] = []
        self._chroma: list[Floats] = []
        self._clicks: list[npt.NDArray[np.float64]] = []
        self._heights: list[Floats] = []

    def take(self, block: Floats, *, last: bool = False) -> None:
        got = self._resampler.resample_chunk(block, last=last)
        self._waiting.append(got)
        self._length += len(got)
        need = _CHUNK_HOPS * HOP + _TONE_WINDOW + 2 * declick.REACH_HOPS * HOP + 2
        while self._length >= need:
            self._chunk(_CHUNK_HOPS)

    def finish(self, samples: int) -> Heard:
        self.take(np.zeros(0, np.float32), last=True)
        left = round(samples / self._rate_hz / HOP_S) - sum(len(part) for part in self._bands)
        self._waiting.append(np.zeros(_CHUNK_HOPS * HOP + 2 * _TONE_WINDOW, np.float32))
        self._length += len(self._waiting[-1])
        while left > 0:
            self._chunk(min(_CHUNK_HOPS, left))
            left -= _CHUNK_HOPS
        textures = _joined(self._textures, 2)
        clicks = np.concatenate(self._clicks) if self._clicks else np.zeros(0)
        return Heard(
            samples=samples,
            rate_hz=self._rate_hz,
            bands=_joined(self._bands, BANDS)[:, : max(1, self._known)],
            band_bins=np.diff(self._bins)[: max(1, self._known)],
            fine=_joined(self._fine, 0),
            steadiness=textures[:, 0],
            flatness=textures[:, 1],
            chroma=_joined(self._chroma, 12),
            clicks_s=clicks,
            click_heights=_joined(self._heights, 0),
        )

    def _chunk(self, hops: int) -> None:
        """Measures `hops` hops from the front of what waits and lets them go."""
        sound = np.concatenate(self._waiting)
        body = sound[: hops * HOP + _TONE_WINDOW + 2]
        body = self._clean(body, hops)
        self._measure(body, hops)
        rest = sound[hops * HOP :]
        self._waiting, self._length = [rest], len(rest)
        self._first += hops * HOP

    def _clean(self, body: Floats, hops: int) -> Floats:
        """The chunk with its clicks bridged, and those of its own hops noted."""
        pad = np.concatenate([body, np.zeros(-(len(body) - 2) % HOP, np.float32)])
        medians = declick.step_medians(pad)
        around = np.pad(medians, declick.REACH_HOPS, mode="edge")
        scale = np.median(np.lib.stride_tricks.sliding_window_view(around, 2 * declick.REACH_HOPS + 1), axis=1)
        places, heights = np.zeros(hops * 8, np.int64), np.zeros(hops * 8, np.float32)
        out = pad.copy()
        count = min(len(places), declick.bridge(out, scale.astype(np.float32), places, heights))
        own = (places[:count] >= self._lead) & (places[:count] < self._lead + hops * HOP)
        self._clicks.append((places[:count][own] + self._first - self._lead) / RATE_HZ)
        self._heights.append(heights[:count][own])
        return out

    def _measure(self, sound: Floats, hops: int) -> None:
        frames = np.lib.stride_tricks.sliding_window_view(sound[self._lead - _WINDOW // 2 :], _WINDOW)
        frames = frames[: hops * HOP : HOP]
        spectrum = scipy.fft.rfft(frames * self._window, axis=1)
        power = (spectrum.real**2 + spectrum.imag**2) * self._gain + _SMALLEST
        self._bands.append(np.add.reduceat(power, self._bins, axis=1)[:, :BANDS])
        self._textures.append(_textures(power[:, self._texture]))
        within = sound[self._lead : self._lead + hops * HOP]
        high = within - _slow(sound, self._lead, hops * HOP)
        self._fine.append((high.reshape(-1, FINE) ** 2).mean(axis=1) + _SMALLEST)
        tones = np.lib.stride_tricks.sliding_window_view(sound, _TONE_WINDOW)[: hops * HOP : HOP * TONE_HOPS]
        tone_power = np.abs(scipy.fft.rfft(tones * self._tone_window, axis=1)) @ self._tone_map
        length = np.sqrt((tone_power**2).sum(axis=1, keepdims=True)) + 1e-9
        self._chroma.append((tone_power / length).astype(np.float32))


def _slow(sound: Floats, first: int, samples: int) -> Floats:
    """The sound under about 100 Hz: a mean over 4.4 ms, which rumble passes and music mostly does not."""
    width = 107
    total = np.cumsum(sound[first - width // 2 - 1 : first + samples + width // 2], dtype=np.float64)
    return ((total[width:] - total[:-width]) / width).astype(np.float32)[:samples]


def _textures(power: Floats) -> Floats:
    """(hops, bins) to (cells, 2): steadiness over time and flatness over frequency of each half second."""
    # A rest of less than half a cell is left to the one before, a longer one is a cell of its own.
    firsts = range(0, max(1, len(power) - CELL_HOPS // 2 + 1), CELL_HOPS)
    return np.concatenate([_textures_of(power[None, first : first + CELL_HOPS]) for first in firsts])


def _textures_of(parts: Floats) -> Floats:
    mean = parts.mean(axis=1)
    steady = (np.log(parts).mean(axis=1) - np.log(mean)).mean(axis=1) + _EULER
    log_mean = np.log(mean)
    # Against its neighbours within a sixth of an octave or so: the tilt of a noise is no tone.
    wide = 9
    padded = np.pad(mean, ((0, 0), (wide // 2, wide // 2)), mode="edge")
    around = np.lib.stride_tricks.sliding_window_view(padded, wide, axis=1).mean(axis=2)
    flat = (log_mean - np.log(around)).mean(axis=1)
    return np.stack([steady, flat], axis=1).astype(np.float32)


def _semitones(top_hz: float) -> Floats:
    """(bins, 12): which pitch class each bin of the long window belongs to, from 110 Hz to 3.5 kHz."""
    hz = np.fft.rfftfreq(_TONE_WINDOW, 1 / RATE_HZ)
    out = np.zeros((len(hz), 12), np.float32)
    inside = np.flatnonzero((hz > 110) & (hz < min(3_500, top_hz)))
    out[inside, np.round(12 * np.log2(hz[inside] / 440)).astype(int) % 12] = 1.0
    return out


def _joined(parts: list[Floats], width: int) -> Floats:
    if parts:
        return np.concatenate(parts)
    return np.zeros((0, width) if width else 0, np.float32)
