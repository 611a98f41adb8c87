"""A recording as it is compared with others: heard once, and kept under what its sound is."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import NamedTuple

import av
import numpy as np
import numpy.typing as npt
import soxr
from av.error import FFmpegError

from inkwell_groove.core.audio.packing import pcm_bytes
from inkwell_groove.core.copies.decode import as_float, decoded
from inkwell_groove.core.copies.loudness import Listener, Loud, Steps
from inkwell_groove.core.errors import NotSound
from inkwell_groove.core.fingerprint import prints
from inkwell_groove.core.fingerprint.likeness import SPEEDS
from inkwell_groove.core.fingerprint.prints import Prints, of_mono

Mono = npt.NDArray[np.float32]  # (samples,)
Hear = Callable[[npt.NDArray[np.generic], npt.NDArray[np.float32], int], None]
OTHER_SPEEDS = tuple(speed for speed in SPEEDS if speed != 1.0)
LEVEL_S = 0.5
_EXCERPT_S = 30.0
_FLOOR_DB, _SILENT_DB = -120.0, -70.0


@dataclass(frozen=True)
class Portrait:
    """Prints (n,) of all of it; of half a minute from its middle at each of `OTHER_SPEEDS` (8, m); and the level of
    the channels in dBFS, (k, 2), every half second.
    """

    prints: Prints
    at_speeds: Prints
    levels: npt.NDArray[np.float32]

    @property
    def seconds(self) -> float:
        return len(self.levels) * LEVEL_S

    @property
    def silent_head_s(self) -> float:
        """How long nothing is heard at the beginning, to half a second; 0 where nothing ever is."""
        sounding = np.flatnonzero(self.levels.max(axis=1) > _SILENT_DB)
        return float(sounding[0]) * LEVEL_S if len(sounding) else 0.0

    def save(self, path: Path) -> None:
        with path.open("wb") as file:
            np.savez(file, prints=self.prints, at_speeds=self.at_speeds, levels=self.levels)

    @classmethod
    def load(cls, path: Path) -> Portrait:
        """Raises NotSound where the file is no portrait."""
        try:
            with np.load(path) as held:
                return cls(held["prints"], held["at_speeds"], held["levels"])
        except (OSError, ValueError, KeyError) as cause:
            raise NotSound(
                "this is no portrait of a recording", where=path.name, remedy="Listen to it again"
            ) from cause


class Heard(NamedTuple):
    """A portrait; the MD5 of the samples as RFC 9639 section 8.2 hashes them, none of what is coded with loss; and how
    loud it is, with the powers of its 100 ms steps, none of what has no samples.
    """

    portrait: Portrait
    samples_md5: str | None
    loudness: tuple[Loud, Steps] | None


def portray(path: Path) -> Heard:
    """Decodes a file of any format once. Memory grows by 22 kB for each second of it. Raises NotSound."""
    levels: _Levels | None = None
    listener: Listener | None = None
    digest: hashlib._Hash | None = hashlib.md5(usedforsecurity=False)

    def hear(block: npt.NDArray[np.generic], audio: npt.NDArray[np.float32], rate_hz: int) -> None:
        nonlocal levels, listener, digest
        levels = levels or _Levels(rate_hz)
        levels.feed(audio)
        listener = listener or Listener(audio.shape[1], rate_hz=rate_hz)
        listener.feed(audio.astype(np.float64))
        # Of what has more than 24 bits, FLAC's way of hashing would leave some out.
        too_long = block.dtype == np.int32 and bool((block.astype(np.int32, copy=False) & 0xFF).any())
        digest = None if block.dtype.kind == "f" or too_long else digest
        if digest is not None:
            digest.update(pcm_bytes(block, 16 if block.dtype == np.int16 else 24))

    mono = mono_of(path, heard=hear)
    found = levels.all() if levels is not None else np.zeros((0, 2), np.float32)
    portrait = Portrait(of_mono(mono).prints, _at_speeds(mono), found)
    return Heard(portrait, digest.hexdigest() if digest else None, listener.heard() if listener else None)


def mono_of(path: Path, *, speed_ratio: float = 1.0, heard: Hear = lambda block, audio, rate_hz: None) -> Mono:
    """The mean of the channels at the rate of the prints, a speed error undone. Raises NotSound.

    `heard` is given each block as it is decoded, as float32 with full scale 1, and its rate.
    """
    rate_hz = _rate_of(path)
    stream = soxr.ResampleStream(rate_hz / speed_ratio, prints.RATE_HZ, 1, dtype="float32", quality="MQ")
    parts: list[Mono] = []
    for block in decoded(path):
        audio = as_float(block).astype(np.float32)
        heard(block, audio, rate_hz)
        # A product is four times as fast as a mean over an axis of two.
        mono = audio @ np.full(audio.shape[1], 1.0 / audio.shape[1], np.float32)
        parts.append(stream.resample_chunk(mono, last=False))
    parts.append(stream.resample_chunk(np.zeros(0, np.float32), last=True))
    return np.concatenate(parts)


def _rate_of(path: Path) -> int:
    try:
        with av.open(str(path)) as container:
            return int(container.streams.audio[0].rate)
    except (FFmpegError, IndexError) as cause:
        raise NotSound("there is no sound to be heard in it", where=path.name, remedy="Make it again") from cause


def _at_speeds(mono: Mono) -> Prints:
    middle, half = len(mono) // 2, round(_EXCERPT_S * prints.RATE_HZ / 2)
    excerpt = mono[max(0, middle - half) : middle + half]
    rows = [
        of_mono(soxr.resample(excerpt, prints.RATE_HZ / speed, prints.RATE_HZ, "MQ").astype(np.float32)).prints
        for speed in OTHER_SPEEDS
    ]
    shortest = min(len(row) for row in rows)
    return np.array([row[:shortest] for row in rows], np.uint32).reshape(len(rows), shortest)


class _Levels:
    """The level of two channels every half second; of one channel, twice the same."""

    def __init__(self, rate_hz: int) -> None:
        self._span = round(rate_hz * LEVEL_S)
        self._left = np.zeros((0, 2), np.float32)
        self._found: list[npt.NDArray[np.float32]] = []

    def feed(self, audio: npt.NDArray[np.float32]) -> None:
        two = audio[:, :2] if audio.shape[1] > 1 else np.repeat(audio, 2, axis=1)
        self._left = np.concatenate([self._left, two])
        if whole := len(self._left) // self._span:
            spans = self._left[: whole * self._span].reshape(whole, self._span, 2)
            self._found.append(_db((spans.astype(np.float64) ** 2).mean(axis=1)))
            self._left = self._left[whole * self._span :]

    def all(self) -> npt.NDArray[np.float32]:
        rest = [_db((self._left.astype(np.float64) ** 2).mean(axis=0))[None, :]] if len(self._left) else []
        return np.concatenate([*self._found, *rest, np.zeros((0, 2), np.float32)])


def _db(power: npt.NDArray[np.float64]) -> npt.NDArray[np.float32]:
    return np.asarray(10 * np.log10(np.maximum(power, 10 ** (_FLOOR_DB / 10))), np.float32)
