"""Disc audio read twice, independently, and again where the two readings differ.

A track is read through once, and then through again, each time from the disc and not from the drive's cache. A frame
whose two readings are the same in every sample, and in which the drive did not itself suspect an error, is *agreed*.
Any other is read again until one value leads every other by LEAD readings, counting none that the drive suspected: it
is *settled*. One that is not after MOST_READINGS is *disputed*, and listed.

How often a wrong value can pass: say damage gives the same wrong value in a share q of the readings, the right one in
all others. The wrong one leads by LEAD first with probability 1 / (1 + ((1 - q) / q)^LEAD), the gambler's ruin (Feller,
An Introduction to Probability Theory and Its Applications, 1968, XIV.2): 1.5e-4 for q = 0.05, 0.02 for q = 0.2; and
both of the first two are the same wrong value in q² of the cases. Damage that gives another wrong value each time does
not pass at all. A drive that always returns the same wrong samples and suspects nothing cannot be found out by reading
with it: that takes other people's reads, so what is agreed or settled here is not yet proven.

Some drives land a few samples beside the place they were sent to, and then stay beside it. So after each reading of a
track places of it are sought out anew, until LEAD more of them confirm the reading than speak for another position; a
reading that is beside its place is thrown away and made again.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import BinaryIO, Literal, Protocol

import numpy as np
import numpy.typing as npt

from inkwell_groove.core.disc.checksums import crc32
from inkwell_groove.core.disc.drive import Frames, PlacedReading
from inkwell_groove.core.disc.toc import BYTES_PER_FRAME, SAMPLES_PER_FRAME
from inkwell_groove.core.errors import Truncated

LEAD = 3
MOST_READINGS = 24
BLOCK_FRAMES = 250
_MOST_PASSES = 5  # at a position that is not confirmed
_MOST_PROBES = 12
_MOST_OPEN = 1_000  # frames held with all their readings at once: 24 of each are 56 MB
FrameState = Literal["read", "agreed", "again", "settled", "disputed"]
Watch = Callable[[int, int, FrameState], None]
"""Told of each stretch as it is read: first frame, frames, and what is now known of them."""


class FrameSource(Protocol):
    """Audio by the disc's addresses; see `drive.Placed`."""

    def read(self, first: int, frames: int) -> PlacedReading: ...

    def afresh(self, first: int, frames: int) -> None: ...


@dataclass(frozen=True)
class TwinRead:
    """What was made of two readings; `settled` and `disputed` are frame addresses, in order.

    The audio itself lies in the spool.
    """

    first_frame: int
    frames: int
    first_crc32: int
    second_crc32: int | None
    settled: tuple[int, ...]
    disputed: tuple[int, ...]
    rereads: int

    @property
    def firm(self) -> bool:
        """Read twice, and every frame is agreed or settled."""
        return self.second_crc32 is not None and not self.disputed


def twin_read(
    source: FrameSource,
    first_frame: int,
    frames: int,
    spool: BinaryIO,
    *,
    watch: Watch | None = None,
    most_readings: int = MOST_READINGS,
) -> TwinRead:
    """Frames [first_frame, first_frame + frames), left in `spool` (seekable, read and write) as they were found.

    Raises Truncated where the drive gives fewer frames than were asked for, DriveRefuses where it will not read.
    """
    tell = watch or _nobody
    first_crc, suspect = _first_pass(source, first_frame, frames, spool, tell)
    for _ in range(_MOST_PASSES):
        if _in_place(source, first_frame, frames, spool):
            break
        first_crc, suspect = _first_pass(source, first_frame, frames, spool, tell)
    second_crc, found = _second_pass(source, first_frame, frames, spool, suspect, tell, most_readings)
    spool.flush()
    return TwinRead(
        first_frame=first_frame,
        frames=frames,
        first_crc32=first_crc,
        second_crc32=second_crc,
        settled=tuple(sorted(found.settled)),
        disputed=tuple(sorted(found.disputed)),
        rereads=found.rereads,
    )


def quick_read(
    source: FrameSource, first_frame: int, frames: int, spool: BinaryIO, *, watch: Watch | None = None
) -> TwinRead:
    """The same frames read once: nothing is known of them but what the drive itself suspects, which is listed."""
    crc, suspect = _first_pass(source, first_frame, frames, spool, watch or _nobody)
    return TwinRead(first_frame, frames, crc, None, (), tuple(sorted(suspect)), 0)


def audio_of(read: TwinRead, spool: BinaryIO, start: int, count: int) -> Frames:
    """Frames [start, start + count) of what was made of the readings, by address."""
    return _spooled(spool, start - read.first_frame, count)


def _nobody(first: int, frames: int, state: FrameState) -> None:
    pass


def _whole(source: FrameSource, first: int, frames: int) -> PlacedReading:
    reading = source.read(first, frames)
    if len(reading.audio) != frames or len(reading.suspect) != frames:
        raise Truncated(
            f"the drive gave {len(reading.audio)} of {frames} frames",
            where=f"frame {first}",
            remedy="Clean the disc and read this track again, or read it with another drive",
        )
    return reading


def _blocks(first: int, frames: int) -> list[tuple[int, int]]:
    return [(at, min(BLOCK_FRAMES, first + frames - at)) for at in range(first, first + frames, BLOCK_FRAMES)]


def _spooled(spool: BinaryIO, start: int, count: int) -> Frames:
    spool.seek(start * BYTES_PER_FRAME)
    audio = np.frombuffer(bytearray(spool.read(count * BYTES_PER_FRAME)), np.int16)
    return audio.reshape(-1, SAMPLES_PER_FRAME, 2)


def _first_pass(
    source: FrameSource, first_frame: int, frames: int, spool: BinaryIO, tell: Watch
) -> tuple[int, set[int]]:
    """Into the spool: its CRC-32, and the frames that the drive suspects."""
    source.afresh(first_frame, frames)
    spool.seek(0)
    crc, suspect = 0, set()
    for at, count in _blocks(first_frame, frames):
        reading = _whole(source, at, count)
        crc = crc32(reading.audio, crc)
        spool.write(np.ascontiguousarray(reading.audio).data)
        suspect |= {at + int(place) for place in np.flatnonzero(reading.suspect)}
        tell(at, count, "read")
    spool.flush()
    return crc, suspect


def _in_place(source: FrameSource, first_frame: int, frames: int, spool: BinaryIO) -> bool:
    """Whether the spool lies where the disc does, as far as frames with sound in them, sought out anew, tell."""
    places = _telling(first_frame, frames, spool)
    confirm = against = 0
    for place in places:
        source.afresh(place, 1)
        got = _whole(source, place, 1)
        if got.suspect[0]:
            continue
        here = _spooled(spool, place - first_frame, 1)
        if np.array_equal(got.audio, here):
            confirm += 1
        elif _lies_beside(got.audio[0], place - first_frame, frames, spool):
            against += 1
        if abs(confirm - against) >= LEAD:
            break
    return confirm >= against


def _telling(first_frame: int, frames: int, spool: BinaryIO) -> list[int]:
    """Up to _MOST_PROBES frames with sound, spread over the first three quarters: the end may be in the cache."""
    reach = max(1, (3 * frames) // 4)
    places = []
    for at in np.unique(np.linspace(0, reach - 1, 4 * _MOST_PROBES).astype(int)):
        frame = _spooled(spool, int(at), 1)
        if int(frame.max()) - int(frame.min()) > 8:
            places.append(first_frame + int(at))
    step = max(1, len(places) // _MOST_PROBES)
    return places[::step][:_MOST_PROBES]


def _lies_beside(frame: npt.NDArray[np.int16], at: int, frames: int, spool: BinaryIO) -> bool:
    """Whether a frame is found in the spool within a frame of where it should be."""
    low, high = max(0, at - 1), min(frames, at + 2)
    around = _spooled(spool, low, high - low).reshape(-1, 2)
    starts = np.flatnonzero((around[: len(around) - SAMPLES_PER_FRAME + 1] == frame[0]).all(axis=1))
    return any(np.array_equal(around[one : one + SAMPLES_PER_FRAME], frame) for one in starts)


def _second_pass(
    source: FrameSource, first_frame: int, frames: int, spool: BinaryIO, suspect: set[int], watch: Watch, most: int
) -> tuple[int, _Settling]:
    """The CRC-32 of another reading, and all frames that had to be read again, which are mended in the spool."""
    for attempt in range(_MOST_PASSES):
        source.afresh(first_frame, frames)
        settling = _Settling(source, spool, first_frame, watch, most)
        crc, beside = 0, 0
        for at, count in _blocks(first_frame, frames):
            reading = _whole(source, at, count)
            crc = crc32(reading.audio, crc)
            before = _spooled(spool, at - first_frame, count)
            differ = (reading.audio != before).any(axis=(1, 2))
            if differ.sum() > count // 2 and attempt + 1 < _MOST_PASSES and not settling.begun:
                middle = int(np.flatnonzero(differ)[differ.sum() // 2])
                if _lies_beside(reading.audio[middle], at + middle - first_frame, frames, spool):
                    beside += 1
                    break
            watch(at, count, "agreed")
            doubted = np.array([at + place in suspect for place in range(count)])
            for place in np.flatnonzero(differ | reading.suspect | doubted):
                one = before[place].tobytes(), bool(doubted[place])
                settling.open(at + int(place), one, (reading.audio[place].tobytes(), bool(reading.suspect[place])))
            if settling.waiting >= _MOST_OPEN:
                settling.settle()
        if not beside:
            break
    settling.settle()
    return crc, settling


class _Settling:
    """Frames whose readings differ, read again in rounds until each is firm or given up, and mended in the spool."""

    def __init__(self, source: FrameSource, spool: BinaryIO, first_frame: int, watch: Watch, most: int) -> None:
        self._source, self._spool, self._first, self._watch, self._most = source, spool, first_frame, watch, most
        self._votes: dict[int, _Votes] = {}
        self.settled: list[int] = []
        self.disputed: list[int] = []
        self.rereads = 0
        self.begun = False

    @property
    def waiting(self) -> int:
        return len(self._votes)

    def open(self, place: int, *readings: tuple[bytes, bool]) -> None:
        """A frame with its readings so far: each a value, and whether the drive suspected it."""
        self._votes[place] = vote = _Votes()
        for value, suspect in readings:
            vote.add(value, suspect=suspect)
        self._watch(place, 1, "again")

    def settle(self) -> None:
        while self._votes:
            self.begun = True
            places = sorted(self._votes)
            self._source.afresh(places[0], places[-1] + 1 - places[0])
            for first, count in _runs(places):
                reading = _whole(self._source, first, count)
                for place in range(count):
                    self._votes[first + place].add(reading.audio[place].tobytes(), suspect=bool(reading.suspect[place]))
                self.rereads += count
            for place in places:
                vote = self._votes[place]
                if vote.firm or vote.readings >= self._most:
                    self._close(place, vote)

    def _close(self, place: int, vote: _Votes) -> None:
        del self._votes[place]
        (self.settled if vote.firm else self.disputed).append(place)
        self._watch(place, 1, "settled" if vote.firm else "disputed")
        self._spool.seek((place - self._first) * BYTES_PER_FRAME)
        self._spool.write(vote.leading)


def _runs(places: list[int]) -> list[tuple[int, int]]:
    """Ascending places as (first, count) of those that follow each other, at most a block long."""
    runs: list[tuple[int, int]] = []
    for place in places:
        if runs and place == sum(runs[-1]) and runs[-1][1] < BLOCK_FRAMES:
            runs[-1] = runs[-1][0], runs[-1][1] + 1
        else:
            runs.append((place, 1))
    return runs


class _Votes:
    """The readings of one frame, by value: how many the drive did not suspect, and how many in all."""

    def __init__(self) -> None:
        self._counts: dict[bytes, tuple[int, int]] = {}
        self.readings = 0

    def add(self, value: bytes, *, suspect: bool) -> None:
        trusted, all_ = self._counts.get(value, (0, 0))
        self._counts[value] = (trusted + (not suspect), all_ + 1)
        self.readings += 1

    @property
    def firm(self) -> bool:
        trusted = sorted((one for one, _ in self._counts.values()), reverse=True)
        return trusted[0] - (trusted[1] if len(trusted) > 1 else 0) >= LEAD

    @property
    def leading(self) -> bytes:
        """The value read most often, those counting first that the drive did not suspect."""
        return max(self._counts, key=lambda one: self._counts[one])
