"""Which bytes of a file are its sound: what must be the same after any change of its tags.

FLAC: the frames (RFC 9639). MP3: what lies between ID3v2 and the tags at the end. WAV and AIFF: the data of `data` and
`SSND`. MP4: the contents of `mdat` (ISO/IEC 14496-12). Ogg: the packets after the headers, without the pages' own
numbers, since those change when a header grows (RFC 3533).
"""

from __future__ import annotations

import hashlib
import struct
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO, Literal

from inkwell_groove.core.audio.bytesource import ByteSource
from inkwell_groove.core.audio.chunks import chunks
from inkwell_groove.core.audio.flacfile import metadata_blocks
from inkwell_groove.core.audio.riff import SIZE_ELSEWHERE
from inkwell_groove.core.errors import NotSound, Truncated

_BLOCK = 1 << 20
_FORM_BYTES = 12  # RIFF or FORM, its length and its kind
_REMEDY = "Look at the file with the program that made it, or make it again"
_OGG_HEADER_PACKETS = {b"\x01vorbis": 3, b"OpusHead": 2}


@dataclass(frozen=True)
class Digests:
    """SHA-256 of a file, and BLAKE2b (RFC 7693, 256 bits) of its sound alone, which is faster."""

    whole: str
    audio: str


def digests(path: Path) -> Digests:
    """Read once, in blocks. Raises NotSound where no sound is found."""
    whole, audio = hashlib.sha256(), hashlib.blake2b(digest_size=32)
    with path.open("rb") as file:
        spans = list(spans_of(file, path.name))
        file.seek(0)
        at, position = 0, 0
        while block := file.read(_BLOCK):
            whole.update(block)
            end = at + len(block)
            while position < len(spans) and spans[position][0] < end:
                low, high = spans[position]
                audio.update(block[max(0, low - at) : min(high, end) - at])
                if high > end:
                    break
                position += 1
            at = end
    return Digests(whole.hexdigest(), audio.hexdigest())


def spans_of(file: BinaryIO, name: str) -> Iterator[tuple[int, int]]:
    """The stretches of bytes that are sound, in order. Raises NotSound for a format not read here or a broken one."""
    file.seek(0, 2)
    size = file.tell()
    start = _after_id3(file)
    file.seek(start)
    mark = file.read(12)
    source = ByteSource(file, size=size, name=name)
    try:
        if mark[:4] == b"fLaC":
            yield _frames_start(source, start), _before_tail(file, size)
        elif mark[:4] in (b"RIFF", b"RF64") and mark[8:] == b"WAVE":
            yield from _chunk_data(source, "<", b"data", 0)
        elif mark[:4] == b"FORM" and mark[8:] in (b"AIFF", b"AIFC"):
            yield from _chunk_data(source, ">", b"SSND", 8)
        elif mark[4:8] == b"ftyp":
            yield from _mdat(file, size)
        elif mark[:4] == b"OggS":
            yield from _ogg(file, size)
        elif len(mark) > 1 and mark[0] == 0xFF and mark[1] & 0xE0 == 0xE0:
            yield start, _before_tail(file, size)
        else:
            raise NotSound("no sound is found in it", where=name, remedy=_REMEDY)
    except (struct.error, IndexError, Truncated) as cause:
        raise NotSound("it breaks off within its headers", where=name, remedy=_REMEDY) from cause


def _after_id3(file: BinaryIO) -> int:
    """Where the file begins behind ID3v2 tags: there may be several."""
    at = 0
    while True:
        file.seek(at)
        head = file.read(10)
        if len(head) < 10 or head[:3] != b"ID3" or any(byte & 0x80 for byte in head[6:]):
            break
        length = head[6] << 21 | head[7] << 14 | head[8] << 7 | head[9]
        at += 10 + length + (10 if head[5] & 0x10 else 0)
    # Some writers leave zeros between the tag and the first frame.
    file.seek(at)
    if at and file.read(1) == b"\0":
        file.seek(at)
        at += len(block := file.read(1 << 16)) - len(block.lstrip(b"\0"))
    return at


def _before_tail(file: BinaryIO, size: int) -> int:
    """Where ID3v1 and APE tags at the end begin."""
    end = size
    for _ in range(2):
        file.seek(max(0, end - 128))
        if file.read(3) == b"TAG" and end >= 128:
            end -= 128
        file.seek(max(0, end - 32))
        foot = file.read(32)
        if foot[:8] == b"APETAGEX":
            length, _, flags = struct.unpack("<III", foot[12:24])
            end = max(0, end - length - (32 if flags & 0x80000000 else 0))
    return end


def _frames_start(source: ByteSource, start: int) -> int:
    """Where the frames of a FLAC file begin whose mark is at `start`."""
    source.seek(start)
    for _ in metadata_blocks(source):
        pass
    return source.position


def _chunk_data(
    source: ByteSource, order: Literal["<", ">"], wanted: bytes, skipped_bytes: int
) -> Iterator[tuple[int, int]]:
    """The data of the chunks of that name, without their first bytes, as far as the file goes."""
    long_data = None
    source.seek(_FORM_BYTES)
    for chunk in chunks(source, order):
        if chunk.name == b"ds64":
            _, long_data = source.unpack("<QQ", "the ds64 chunk")
        if chunk.name == wanted:
            length = long_data if chunk.length == SIZE_ELSEWHERE and long_data is not None else chunk.length
            yield min(source.size, chunk.start + skipped_bytes), min(source.size, chunk.start + length)


def _mdat(file: BinaryIO, size: int) -> Iterator[tuple[int, int]]:
    at = 0
    while at + 8 <= size:
        file.seek(at)
        length, name = struct.unpack(">I4s", file.read(8))
        head = 8
        if length == 1:
            (length,) = struct.unpack(">Q", file.read(8))
            head = 16
        elif length == 0:
            length = size - at
        if length < head:
            raise struct.error
        if name == b"mdat":
            yield at + head, min(size, at + length)
        at += length


def _ogg(file: BinaryIO, size: int) -> Iterator[tuple[int, int]]:
    at, left = 0, -1  # header packets still to come; not known yet
    while at + 27 <= size:
        file.seek(at)
        head = file.read(27)
        if head[:4] != b"OggS":
            raise struct.error
        lacing = file.read(head[26])
        body, length = at + 27 + len(lacing), sum(lacing)
        if left < 0:
            first = file.read(8)
            left = next((count for mark, count in _OGG_HEADER_PACKETS.items() if first.startswith(mark)), 1)
        if left == 0:
            yield body, min(size, body + length)
        else:
            left = max(0, left - sum(one < 255 for one in lacing))
        at = body + length
