"""Which frames of a FLAC file are damaged, by the checksums that every frame carries.

RFC 9639 section 9: a frame begins with a sync code and ends its header with a CRC-8; the CRC-16 at its end covers all
of it. A CRC over data and its own CRC is zero, so a frame's end is where the running CRC is zero and another frame, or
what is left of one, begins. So damage is found in a frame's body, its header and its checksums, frame by frame, and a
damaged length or a lost frame does not confuse what follows.
"""

from __future__ import annotations

from pathlib import Path

import numba
import numpy as np
import numpy.typing as npt
from pydantic import BaseModel, ConfigDict

from inkwell_groove.core.audio.flacfile import StreamInfo, read_streaminfo
from inkwell_groove.core.errors import InkwellError

Bytes = npt.NDArray[np.uint8]
_MOST_STRETCHES = 4_096
_MOST_LOST = 1_024  # frames that may be missing in a row: beyond that a number is no frame's
_LEAST_FRAME_BYTES = 8


class DamagedFrames(BaseModel):
    """Frames that follow each other and do not have their checksums, and the samples they stand for."""

    model_config = ConfigDict(frozen=True)

    first_frame: int
    last_frame: int
    start_sample: int
    end_sample: int
    rate_hz: int

    def words(self) -> str:
        """As in 'frame 212 (0:19.690 to 0:19.783)'."""
        which = f"frame {self.first_frame}"
        if self.last_frame > self.first_frame:
            which = f"frames {self.first_frame} to {self.last_frame}"
        return f"{which} ({_time(self.start_sample, self.rate_hz)} to {_time(self.end_sample, self.rate_hz)})"


class FrameReport(BaseModel):
    """What a walk over all frames found. `frames` are those with their checksums right."""

    model_config = ConfigDict(frozen=True)

    frames: int
    damaged: tuple[DamagedFrames, ...]
    metadata_words: str = ""

    @property
    def sound(self) -> bool:
        return not self.damaged and not self.metadata_words


def walk(path: Path) -> FrameReport:
    """Every frame of a file held against its checksums. Reads it once; nothing of it is held but what is mapped."""
    size = path.stat().st_size
    try:
        with path.open("rb") as stream:
            info = read_streaminfo(stream, size=size, name=path.name)
    except InkwellError as error:
        return FrameReport(frames=0, damaged=(), metadata_words=error.what)
    if size <= info.audio_offset:
        return FrameReport(frames=0, damaged=(), metadata_words="there is no sound behind its headers")
    data = np.memmap(path, np.uint8, "r")
    fixed = info.min_block_samples if info.min_block_samples == info.max_block_samples else 0
    stretches = np.zeros((_MOST_STRETCHES, 3), np.int64)
    # A frame of samples stored as they are: no other is longer (section 9.2.2).
    longest = (info.max_block_samples or 65_535) * info.channels * (info.bits // 8 + 1) + 64
    last = (info.samples - 1) // fixed if fixed and info.samples else -1
    found, frames = _walk(data, info.audio_offset, size, fixed, last, longest, _CRC8, _CRC16, stretches)
    damaged = tuple(_stretch(info, fixed, *(int(one) for one in row)) for row in stretches[:found])
    return FrameReport(frames=int(frames), damaged=damaged)


def _stretch(info: StreamInfo, fixed: int, first: int, last: int, end: int) -> DamagedFrames:
    """With a fixed block size frames are counted; with others their numbers are those of samples."""
    start_sample, end_sample = (first * fixed, end * fixed) if fixed else (first, end)
    most = info.samples or end_sample
    return DamagedFrames(
        first_frame=first,
        last_frame=last,
        start_sample=min(start_sample, most),
        end_sample=min(max(end_sample, start_sample), most),
        rate_hz=max(1, info.rate_hz),
    )


def _time(sample: int, rate_hz: int) -> str:
    minutes, rest = divmod(sample * 1_000 // rate_hz, 60_000)
    return f"{minutes}:{rest / 1_000:06.3f}"


def _table(polynomial: int, bits: int) -> npt.NDArray[np.uint16]:
    top, mask = 1 << (bits - 1), (1 << bits) - 1
    table = []
    for byte in range(256):
        value = byte << (bits - 8)
        for _ in range(8):
            value = ((value << 1) ^ polynomial) & mask if value & top else (value << 1) & mask
        table.append(value)
    return np.array(table, np.uint16)


_CRC8, _CRC16 = _table(0x07, 8), _table(0x8005, 16)


@numba.njit(nogil=True, cache=True)
def _number(data, at, end, crc8):  # type: ignore[no-untyped-def] # pragma: no cover: compiled
    """The coded number of a frame whose header is at `at`, and its block size; -1 where there is no sound header."""
    if at + 6 > end or data[at] != 0xFF or (data[at + 1] & 0xFE) != 0xF8:
        return -1, 0
    size_code, rate_code = data[at + 2] >> 4, data[at + 2] & 0x0F
    if size_code == 0 or rate_code == 15 or (data[at + 3] >> 4) > 10 or data[at + 3] & 1:
        return -1, 0
    first = np.int64(data[at + 4])
    more = 0
    if first >= 0xC0:
        mask = np.int64(0x20)
        more, value = 1, first & 0x1F
        while first & mask and more < 6:
            more += 1
            mask >>= 1
            value = first & (mask - 1)
        if first == 0xFE:
            value = np.int64(0)
    elif first >= 0x80:
        return -1, 0
    else:
        value = first
    place = at + 5
    if place + more + 5 > end:
        return -1, 0
    for _ in range(more):
        if data[place] & 0xC0 != 0x80:
            return -1, 0
        value = (value << 6) | (np.int64(data[place]) & 0x3F)
        place += 1
    size = np.int64(0)
    if size_code == 6:
        size = np.int64(data[place]) + 1
        place += 1
    elif size_code == 7:
        size = (np.int64(data[place]) << 8 | np.int64(data[place + 1])) + 1
        place += 2
    elif size_code == 1:
        size = np.int64(192)
    elif size_code < 6:
        size = np.int64(576) << (size_code - 2)
    else:
        size = np.int64(256) << (size_code - 8)
    if rate_code == 12:
        place += 1
    elif rate_code in (13, 14):
        place += 2
    crc = np.uint16(0)
    for k in range(at, place):
        crc = crc8[crc ^ data[k]]
    if place >= end or crc != data[place]:
        return -1, 0
    return value, size


@numba.njit(nogil=True, cache=True)
def _begins(data, at, end, number, step, longest, crc8, crc16):  # type: ignore[no-untyped-def] # pragma: no cover: compiled
    """Whether a sound frame, followed by the next or by the end, begins at what looks like a header: sound has bytes
    that look like one now and then.
    """
    crc = np.uint16(0)
    last = min(end, at + longest)
    for place in range(at, last):
        crc = np.uint16((crc << 8) & 0xFFFF) ^ crc16[(crc >> 8) ^ data[place]]
        if crc == 0 and place + 1 == end:
            return True
        if crc == 0 and place + 1 < end and data[place + 1] == 0xFF:
            found, _ = _number(data, place + 1, end, crc8)
            if found == number + step:
                return True
    return False


@numba.njit(nogil=True, cache=True)
def _nearly(data, place, start):  # type: ignore[no-untyped-def] # pragma: no cover: compiled
    """Whether two bytes are what a sync code becomes when a bit or two are damaged."""
    wrong = np.int64(data[place] ^ data[start]) << 8 | np.int64(data[place + 1] ^ data[start + 1])
    bits = 0
    while wrong:
        bits += 1 if wrong & 1 else 0
        wrong >>= 1
    return bits <= 2


@numba.njit(nogil=True, cache=True)
def _end_of(data, at, end, start, following, is_last, fixed, longest, crc8, crc16):  # type: ignore[no-untyped-def] # pragma: no cover: compiled
    """Where the frame that begins at `at` ends, whether it is sound, and the number of the one that comes then.

    It ends where the following one begins. Only where that is not found within the length of any frame, it ends where
    its checksum was right and something like a sync code came (a damaged header), or else at a later frame.
    """
    crc, place = np.uint16(0), at
    early, later, later_number = np.int64(-1), np.int64(-1), np.int64(0)
    while place < end:
        crc = np.uint16((crc << 8) & 0xFFFF) ^ crc16[(crc >> 8) ^ data[place]]
        place += 1
        if place == end and crc == 0:
            return place, True, following
        if (place == end or place - at > longest) and not is_last:
            if early >= 0:
                return early, True, following
            if later >= 0:
                return later, False, later_number
        if place - at < _LEAST_FRAME_BYTES or place + 1 >= end:
            continue
        found, samples = np.int64(-1), np.int64(0)
        if data[place] == 0xFF:
            found, samples = _number(data, place, end, crc8)
        if found == following:
            return place, crc == 0, following
        if found > following and found - following <= _MOST_LOST * (1 if fixed else 65_535):
            step = 1 if fixed else samples
            if (later < 0 or crc == 0) and _begins(data, place, end, found, step, longest, crc8, crc16):
                if crc == 0:
                    return place, True, found
                later, later_number = np.int64(place), found
        elif crc == 0 and early < 0 and _nearly(data, place, start):
            early = np.int64(place)
    return end, False, following


@numba.njit(nogil=True, cache=True)
def _walk(data, start, end, fixed, last, longest, crc8, crc16, out):  # type: ignore[no-untyped-def] # pragma: no cover: compiled
    """Fills `out` with (first, last, next) of damaged or lost frames' numbers; how many rows, how many sound frames."""
    rows, sound = 0, 0
    at, expected = start, np.int64(0)
    while at < end and rows < len(out):
        number, size = _number(data, at, end, crc8)
        if number != expected:
            number, size = expected, np.int64(fixed)  # its header is damaged: its place tells which it is
        following = number + (1 if fixed else max(size, 1))
        at, good, expected = _end_of(data, at, end, start, following, number == last, fixed, longest, crc8, crc16)
        first = following if good else number
        sound += good
        if first == expected:
            continue
        if rows and out[rows - 1, 2] == first:
            rows -= 1
            first = out[rows, 0]
        out[rows, 0], out[rows, 1], out[rows, 2] = first, max(first, expected - 1), expected
        rows += 1
    return rows, sound
