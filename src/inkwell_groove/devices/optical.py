"""Simulated optical drives: a disc image seen through a drive's weaknesses.

What real drives do and these do too: deliver audio early or late by a fixed number of samples; give other data at each
reading where the disc is damaged, or the same wrong data for ever; answer from a cache what was read a moment ago;
land beside the place they were sent to; not read, or read as silence, what lies before track 1; not read beyond the
disc's ends.
"""

from __future__ import annotations

import threading
import time
from typing import Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.disc import cdtext
from inkwell_groove.core.disc.drive import Codes, DriveFacts, DriveRefuses, Position, Reading
from inkwell_groove.core.disc.image import DiscImage
from inkwell_groove.core.disc.toc import SAMPLES_PER_FRAME, Toc
from inkwell_groove.core.frames import FRAMES_PER_SECOND

_SEEK_S = 0.08


class Bad(BaseModel):
    """Damage: in frames `first` to `last` each reading is wrong with probability `rate`.

    Sticky damage is drawn once for each frame, which then gives the same wrong data at every reading.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    first: int = Field(ge=0)
    last: int = Field(ge=0)
    rate: float = Field(ge=0, le=1)
    sticky: bool = False


class DriveProfile(BaseModel):
    """What a simulated drive is like; the defaults are those of a drive without fault."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: str = "Simulated drive"
    read_offset: int = Field(default=0, ge=-2_939, le=2_939, description="How many samples late it delivers.")
    bad: tuple[Bad, ...] = ()
    hidden_opening: Literal["reads", "silent", "refuses"] = "reads"
    seed: int = 0
    cache_frames: int = Field(default=0, ge=0, le=8_192)
    hints: bool = Field(default=True, description="Whether it tells which frames it could not correct.")
    jitter: float = Field(default=0.0, ge=0, lt=1, description="Share of seeks that land beside their place.")
    over_reads: bool = Field(default=True, description="Whether it reads beyond the disc's ends.")
    sub_channel_errors: float = Field(default=0.0, ge=0, le=0.5)
    speed: float = Field(default=0.0, ge=0, description="In times of playing speed; 0 for as fast as it can.")


class SimulatedDrive:
    """A drive with an image in it. `spent_s` is how much of its time went into the simulation itself."""

    def __init__(self, image: DiscImage, profile: DriveProfile, *, drive_id: str = "image") -> None:
        self.facts = DriveFacts(
            id=drive_id,
            name=profile.name,
            simulated=True,
            cache_frames=profile.cache_frames,
            over_reads=profile.over_reads,
            hints=profile.hints,
        )
        self._image, self._profile = image, profile
        self._rng = np.random.default_rng(profile.seed)
        self._speed = profile.speed
        self._next = -1  # the frame after the last reading: any other is a seek
        self._beside = 0  # samples, since the last seek
        self._cache: list[tuple[int, Reading]] = []
        self._stuck = [self._draw(bad) if bad.sticky else None for bad in profile.bad]
        self._lock = threading.Lock()
        self.ejected = False
        self.spent_s = 0.0

    def toc(self) -> Toc:
        self._needs_disc()
        bare = [
            track.model_copy(update={"pregap_start": None, "further_indexes": (), "isrc": ""})
            for track in self._image.toc.tracks
        ]
        return self._image.toc.model_copy(update={"tracks": tuple(bare), "barcode": ""})

    def read(self, first: int, frames: int) -> Reading:
        began = time.perf_counter()
        with self._lock:
            self._needs_disc()
            if (cached := self._cached(first, frames)) is not None:
                return cached
            reading = self._read(first, frames)
        self.spent_s += time.perf_counter() - began
        return reading

    def position(self, frame: int) -> Position | None:
        self._needs_disc()
        self._seek(frame)
        if self._rng.random() < self._profile.sub_channel_errors:
            return None
        track = self._image.toc.tracks[0]
        for following in self._image.toc.tracks[1:]:
            if frame < (following.start if following.pregap_start is None else following.pregap_start):
                break
            track = following
        if frame < track.start:
            return Position(track.number, 0)
        return Position(track.number, 1 + sum(at <= frame for at in track.further_indexes))

    def codes(self) -> Codes:
        self._needs_disc()
        return self._image.codes

    def cd_text(self) -> bytes:
        self._needs_disc()
        return cdtext.render(self._image.text, len(self._image.toc.tracks))

    def set_speed(self, times: float) -> None:
        top = self._profile.speed
        self._speed = min(times, top) if times and top else times or top

    def eject(self) -> None:
        self.ejected = True

    def close(self) -> None:
        self._image.close()

    def _needs_disc(self) -> None:
        if self.ejected:
            raise DriveRefuses("there is no disc in it", where=self.facts.name, remedy="Put the disc in")

    def _draw(self, bad: Bad) -> frozenset[int]:
        hit = self._rng.random(bad.last + 1 - bad.first) < bad.rate
        return frozenset((bad.first + np.flatnonzero(hit)).tolist())

    def _seek(self, first: int) -> None:
        if first == self._next:
            return
        if self._speed:
            time.sleep(_SEEK_S / max(1.0, self._speed / 24))
        self._beside = 0
        if self._rng.random() < self._profile.jitter:
            self._beside = int(self._rng.integers(1, 40)) * (1 if self._rng.random() < 0.5 else -1)

    def _cached(self, first: int, frames: int) -> Reading | None:
        for at, kept in self._cache:
            if at <= first and first + frames <= at + len(kept.audio):
                part = slice(first - at, first - at + frames)
                return Reading(kept.audio[part].copy(), kept.suspect[part].copy())
        return None

    def _keep(self, first: int, reading: Reading) -> None:
        most = self._profile.cache_frames
        if not most:
            return
        first += max(0, len(reading.audio) - most)
        self._cache.append((first, Reading(reading.audio[-most:].copy(), reading.suspect[-most:].copy())))
        while sum(len(kept.audio) for _, kept in self._cache) > most:
            self._cache.pop(0)

    def _read(self, first: int, frames: int) -> Reading:
        toc, profile = self._image.toc, self._profile
        if not profile.over_reads and (first < 0 or first + frames > toc.lead_out):
            raise DriveRefuses(
                f"frames {first} to {first + frames - 1} lie outside the disc's {toc.lead_out}",
                where=self.facts.name,
                remedy="This drive does not read beyond a disc's ends",
            )
        opening = toc.tracks[0].start
        if profile.hidden_opening == "refuses" and first < opening:
            raise DriveRefuses(
                f"it will not read before track {toc.tracks[0].number}, at frame {first}",
                where=self.facts.name,
                remedy="Read the hidden opening with another drive",
            )
        self._seek(first)
        self._next = first + frames
        start = first * SAMPLES_PER_FRAME - profile.read_offset + self._beside
        audio, suspect = self._samples(start, frames * SAMPLES_PER_FRAME)
        if self._speed:
            time.sleep(frames / FRAMES_PER_SECOND / self._speed)
        shape = (frames, SAMPLES_PER_FRAME)
        reading = Reading(audio.reshape(*shape, 2), suspect.reshape(shape))
        self._keep(first, reading)
        return reading

    def _samples(self, start: int, count: int) -> tuple[np.ndarray, np.ndarray]:
        """Samples of the disc as this drive sees them, with its damage, and which of them it suspects.

        Damage lies on the disc, in frames of the disc; what the drive's offset moves is where its own frames begin.
        """
        first, last = start // SAMPLES_PER_FRAME, -(-(start + count) // SAMPLES_PER_FRAME)
        audio = self._image.read(first * SAMPLES_PER_FRAME, last * SAMPLES_PER_FRAME)
        opening = self._image.toc.tracks[0].start
        if self._profile.hidden_opening == "silent" and first < opening:
            audio[: (opening - first) * SAMPLES_PER_FRAME] = 0
        suspect = np.zeros(len(audio), bool)
        for bad, stuck in zip(self._profile.bad, self._stuck, strict=True):
            self._damage(bad, stuck, first, last, audio, suspect)
        part = slice(start - first * SAMPLES_PER_FRAME, start - first * SAMPLES_PER_FRAME + count)
        return audio[part], suspect[part]

    def _damage(
        self, bad: Bad, stuck: frozenset[int] | None, first: int, last: int, audio: np.ndarray, suspect: np.ndarray
    ) -> None:
        low, high = max(first, bad.first), min(last, bad.last + 1)
        if low >= high:
            return
        if stuck is None:
            places = (low + np.flatnonzero(self._rng.random(high - low) < bad.rate)).tolist()
        else:
            places = [place for place in range(low, high) if place in stuck]
        for place in places:
            rng = self._rng if stuck is None else np.random.default_rng([self._profile.seed, place])
            at, length = int(rng.integers(0, SAMPLES_PER_FRAME)), int(rng.integers(1, 60))
            begin = (place - first) * SAMPLES_PER_FRAME + at
            hit = slice(begin, min(begin + length, (place + 1 - first) * SAMPLES_PER_FRAME))
            # Never the same as what was there.
            audio[hit] ^= rng.integers(1, 32_768, audio[hit].shape).astype(np.int16)
            # Most damage is noticed by the drive's own error correction, not all of it.
            noticed = stuck is not None or self._rng.random() < 0.9
            suspect[hit] |= self._profile.hints and noticed
