"""What is needed of an optical drive, and its readings put where they belong.

A drive delivers audio some samples late or early, by an offset that is its own: sample n of the disc comes as sample
n + offset. `Placed` undoes that. It also knows that a drive keeps what it read last in a cache, and reads past it.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple, Protocol

import numpy as np
import numpy.typing as npt
from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.disc.toc import SAMPLES_PER_FRAME, Toc
from inkwell_groove.core.errors import Conflict

Frames = npt.NDArray[np.int16]  # (frames, 588, 2)
FLUSH_FRAMES = 750  # read at once while the cache is filled with something else


class DriveRefuses(Conflict):
    """The drive will not read there."""


class Reading(NamedTuple):
    """Frames as a drive gave them, (frames, 588, 2), and (frames, 588) of the samples it could not correct."""

    audio: Frames
    suspect: npt.NDArray[np.bool_]


class PlacedReading(NamedTuple):
    """Frames of the disc, (frames, 588, 2), and (frames,) of those in which the drive suspects an error."""

    audio: Frames
    suspect: npt.NDArray[np.bool_]


class DriveFacts(BaseModel):
    """A drive as it describes itself."""

    model_config = ConfigDict(frozen=True)

    id: str
    name: str
    simulated: bool = False
    cache_frames: int = Field(default=0, ge=0, description="How much of what it read last it may give again.")
    over_reads: bool = Field(default=False, description="Whether it reads before frame 0 and after the last frame.")
    hints: bool = Field(default=False, description="Whether it tells which frames it could not correct.")


@dataclass(frozen=True)
class Position:
    """What the Q channel says at a frame: the track and index that are playing there."""

    track: int
    index: int


class Codes(BaseModel):
    """What else the sub-channel holds: the disc's barcode, and ISRCs by track number."""

    model_config = ConfigDict(frozen=True)

    barcode: str = ""
    isrcs: dict[int, str] = {}


class Drive(Protocol):
    """A drive with a disc in it, by the drive's own addresses. Used by one thread."""

    @property
    def facts(self) -> DriveFacts: ...

    def toc(self) -> Toc:
        """Track starts, flags and the lead-out: what the lead-in holds. Raises DriveRefuses without a disc."""
        ...

    def read(self, first: int, frames: int) -> Reading:
        """Raises DriveRefuses where it will not read there."""
        ...

    def position(self, frame: int) -> Position | None:
        """The Q channel at a frame; none where its checksum is wrong."""
        ...

    def codes(self) -> Codes: ...

    def cd_text(self) -> bytes:
        """The packs of the lead-in's text, 18 bytes each; empty where there are none."""
        ...

    def set_speed(self, times: float) -> None:
        """How fast to read, in times of playing speed; 0 for as fast as it can."""
        ...

    def eject(self) -> None: ...

    def close(self) -> None:
        """Give the drive up, with the disc in it or not."""
        ...


class Placed:
    """Audio of the disc by the disc's own addresses, from a drive of known offset.

    Samples that the drive cannot reach at the disc's ends come as silence; `missing_at_start` and `missing_at_end` say
    how many.
    """

    def __init__(self, drive: Drive, toc: Toc, *, offset_samples: int = 0) -> None:
        self._drive = drive
        self.offset_samples = offset_samples
        self._first, self._end = 0, toc.lead_out
        over = drive.facts.over_reads
        self.missing_at_start = 0 if over else max(0, -offset_samples)
        self.missing_at_end = 0 if over else max(0, offset_samples)
        # The last frame of the last reading, by the drive's addresses: reading on needs it again.
        self._last: tuple[int, Reading] | None = None

    @property
    def facts(self) -> DriveFacts:
        return self._drive.facts

    def read(self, first: int, frames: int) -> PlacedReading:
        """Frames [first, first + frames)."""
        start = first * SAMPLES_PER_FRAME + self.offset_samples
        ahead = start % SAMPLES_PER_FRAME
        here = start // SAMPLES_PER_FRAME
        count = frames + (1 if ahead else 0)
        audio = np.zeros((count, SAMPLES_PER_FRAME, 2), np.int16)
        suspect = np.zeros((count, SAMPLES_PER_FRAME), bool)
        done = 0
        if self._last is not None and self._last[0] == here and ahead:
            audio[0], suspect[0] = self._last[1].audio[0], self._last[1].suspect[0]
            done = 1
        low, high = here + done, here + count
        if not self._drive.facts.over_reads:
            low, high = max(low, self._first), min(high, self._end)
        if high > low:
            got = self._drive.read(low, high - low)
            audio[low - here : low - here + len(got.audio)] = got.audio
            suspect[low - here : low - here + len(got.suspect)] = got.suspect
        self._last = (here + count - 1, Reading(audio[-1:].copy(), suspect[-1:].copy()))
        if not ahead:
            return PlacedReading(audio, np.asarray(suspect.any(axis=1)))
        part = slice(ahead, ahead + frames * SAMPLES_PER_FRAME)
        placed = audio.reshape(-1, 2)[part].reshape(frames, SAMPLES_PER_FRAME, 2)
        return PlacedReading(placed, np.asarray(suspect.reshape(-1)[part].reshape(frames, -1).any(axis=1)))

    def afresh(self, first: int, frames: int) -> None:
        """Makes sure that these frames are next read from the disc: fills the drive's cache with others."""
        self._last = None
        left = self._drive.facts.cache_frames
        if not left:
            return
        # From the farther end of the disc, and clear of the frames themselves.
        margin = 2 + abs(self.offset_samples) // SAMPLES_PER_FRAME
        room_after = self._end - (first + frames + margin)
        at = first + frames + margin if room_after >= left else max(self._first, first - margin - left)
        while left > 0 and at < self._end:
            count = min(FLUSH_FRAMES, left, self._end - at)
            try:
                self._drive.read(at, count)
            except DriveRefuses:
                at += count  # a place it will not read fills nothing; the next will do
                continue
            at, left = at + count, left - count
