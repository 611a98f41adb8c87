"""WAV and RF64 headers: where the samples lie, how many there are, and whether the header tells the truth.

Sources: Multimedia Programming Interface and Data Specifications 1.0 (RIFF WAVE); EBU Tech 3306 (RF64, ds64).
libsndfile reads the samples; this module exists because it forgives a header that lies, and an archive must not.
"""

from __future__ import annotations

import struct
from typing import BinaryIO

from pydantic import BaseModel, ConfigDict

from inkwell_groove.core.audio.bytesource import ByteSource
from inkwell_groove.core.audio.chunks import chunks
from inkwell_groove.core.errors import LengthLie, NotSound, Truncated

_PCM, _FLOAT, _EXTENSIBLE = 0x0001, 0x0003, 0xFFFE
_DS64_BYTES = 28
SIZE_ELSEWHERE = 0xFFFFFFFF  # RF64: the true size is in ds64; also left behind by recorders that were killed


class RiffLayout(BaseModel):
    """What the chunks say."""

    model_config = ConfigDict(frozen=True)

    container: str
    format_tag: int
    channels: int
    rate_hz: int
    bits: int
    block_align: int
    fmt_chunk: bytes
    data_offset: int
    declared_bytes: int
    found_bytes: int

    @property
    def declared_samples(self) -> int:
        return self.declared_bytes // self.block_align

    @property
    def found_samples(self) -> int:
        return self.found_bytes // self.block_align

    @property
    def seconds_found(self) -> float:
        return self.found_samples / self.rate_hz


def read_layout(stream: BinaryIO, *, size: int, name: str) -> RiffLayout:
    """The layout of a WAV or RF64 file, lies about its length included (`check_length` judges them).

    Raises NotSound where it is no WAVE or a coding not read here, Truncated where the header breaks off.
    """
    source = ByteSource(stream, size=size, name=name)
    source.seek(0)
    magic = source.take(4, "the file's first mark")
    if magic not in (b"RIFF", b"RF64"):
        raise NotSound("this is not a RIFF file", where=name, remedy="Give a WAV, RF64, AIFF or FLAC recording")
    source.take(4, "the RIFF size")
    if source.take(4, "the RIFF kind") != b"WAVE":
        raise NotSound(
            "this RIFF file holds no WAVE audio", where=name, remedy="Give a WAV, RF64, AIFF or FLAC recording"
        )
    fmt: bytes | None = None
    size_from_ds64: int | None = None
    for chunk in chunks(source, "<"):
        if chunk.name == b"ds64":
            _, size_from_ds64, _ = source.unpack("<QQQ", "the ds64 chunk")
        elif chunk.name == b"fmt ":
            fmt = source.take(chunk.length, "the fmt chunk")
        elif chunk.name == b"data":
            if fmt is None:
                raise NotSound("the data chunk comes before the fmt chunk", where=name, remedy="Make the file again")
            declared = chunk.length
            if size_from_ds64 is not None and declared == SIZE_ELSEWHERE:
                declared = size_from_ds64
            return _layout(magic.decode(), fmt, source, chunk.start, declared, name)
    raise Truncated(
        "the header ends before the samples begin (no data chunk)",
        where=name,
        remedy="The file was cut short: copy or make it again from its source",
    )


def _layout(magic: str, fmt: bytes, source: ByteSource, data_offset: int, declared_bytes: int, name: str) -> RiffLayout:
    if len(fmt) < 16:
        raise Truncated(f"the fmt chunk has {len(fmt)} bytes, at least 16 are needed", where=name)
    tag, channels, rate_hz, _, block_align, bits = struct.unpack_from("<HHIIHH", fmt)
    if tag == _EXTENSIBLE:
        if len(fmt) < 40:
            raise Truncated(f"the extensible fmt chunk has {len(fmt)} bytes, 40 are needed", where=name)
        (tag,) = struct.unpack_from("<H", fmt, 24)
    if tag not in (_PCM, _FLOAT):
        raise NotSound(
            f"this WAV holds coding 0x{tag:04x}, not PCM",
            where=name,
            remedy="Convert it to integer PCM or 32-bit float",
        )
    if channels < 1 or block_align != channels * ((bits + 7) // 8):
        raise NotSound(
            f"the fmt chunk contradicts itself: {channels} channels of {bits} bit cannot fill {block_align} bytes",
            where=name,
            remedy="Make the file again from its source",
        )
    return RiffLayout(
        container="RF64" if magic == "RF64" else "WAV",
        format_tag=tag,
        channels=channels,
        rate_hz=rate_hz,
        bits=bits,
        block_align=block_align,
        fmt_chunk=fmt,
        data_offset=data_offset,
        declared_bytes=declared_bytes,
        found_bytes=max(0, min(declared_bytes, source.size - data_offset))
        if 0 < declared_bytes < SIZE_ELSEWHERE or magic == "RF64"
        else max(0, source.size - data_offset),
    )


def check_length(layout: RiffLayout, *, name: str) -> None:
    """Raises LengthLie when the header's length is not the file's, saying how much was found."""
    if layout.declared_samples == layout.found_samples:
        return
    found, declared = layout.found_samples, layout.declared_samples
    told = "no length" if declared == 0 else f"{declared} samples ({declared / layout.rate_hz:.1f} s)"
    if layout.declared_bytes == SIZE_ELSEWHERE:
        told = "an unknown length"
    raise LengthLie(
        f"the header promises {told}, the file holds {found} ({layout.seconds_found:.1f} s)",
        found_samples=found,
        declared_samples=declared,
        where=name,
        remedy=f"Take in the {layout.seconds_found:.1f} s that are there, or copy the file again"
        if found
        else "Nothing is there to take in: copy the file again",
    )


def true_header(layout: RiffLayout) -> bytes:
    """A header that tells the truth about `layout.found_samples`: WAV, or RF64 from 4 GiB on."""
    data_bytes = layout.found_samples * layout.block_align
    chunks = _chunk(b"fmt ", layout.fmt_chunk)
    padded = data_bytes + (data_bytes & 1)
    riff_bytes = 4 + len(chunks) + 8 + padded
    if riff_bytes < SIZE_ELSEWHERE:
        return _wav_head(riff_bytes) + chunks + struct.pack("<4sI", b"data", data_bytes)
    ds64 = _ds64(riff_bytes + 8 + _DS64_BYTES, data_bytes, layout.found_samples)
    return _rf64_head() + ds64 + chunks + struct.pack("<4sI", b"data", SIZE_ELSEWHERE)


def recording_header(*, rate_hz: int, channels: int, bits: int, bext: bytes, data_bytes: int) -> bytes:
    """The header of a recording of integer PCM: as long for any `data_bytes`, so that it can be put right later.

    A WAV with a JUNK chunk, which becomes the ds64 chunk of RF64 once 4 GiB do not hold it (EBU Tech 3306, "on the
    fly" conversion); then bext (EBU Tech 3285), fmt and data.
    """
    align = channels * bits // 8
    fmt = struct.pack("<HHIIHH", _PCM, channels, rate_hz, rate_hz * align, align, bits)
    chunks = _chunk(b"bext", bext) + _chunk(b"fmt ", fmt)
    riff_bytes = 4 + 8 + _DS64_BYTES + len(chunks) + 8 + data_bytes + (data_bytes & 1)
    if riff_bytes < SIZE_ELSEWHERE:
        junk = _chunk(b"JUNK", bytes(_DS64_BYTES))
        return _wav_head(riff_bytes) + junk + chunks + struct.pack("<4sI", b"data", data_bytes)
    ds64 = _ds64(riff_bytes, data_bytes, data_bytes // align)
    return _rf64_head() + ds64 + chunks + struct.pack("<4sI", b"data", SIZE_ELSEWHERE)


def read_chunk(stream: BinaryIO, kind: bytes, *, size: int, name: str) -> bytes | None:
    """The data of the first chunk of that kind before the samples, none where there is none."""
    source = ByteSource(stream, size=size, name=name)
    source.seek(12)
    while source.left >= 8:
        found, length = source.unpack("<4sI", "a chunk's head")
        if found == b"data":
            return None
        if found == kind:
            return source.take(length, f"the {kind.decode('ascii', 'replace').strip()} chunk")
        source.seek(source.position + length + (length & 1))
    return None


def _wav_head(riff_bytes: int) -> bytes:
    return struct.pack("<4sI4s", b"RIFF", riff_bytes, b"WAVE")


def _rf64_head() -> bytes:
    return struct.pack("<4sI4s", b"RF64", SIZE_ELSEWHERE, b"WAVE")


def _ds64(riff_bytes: int, data_bytes: int, samples: int) -> bytes:
    return struct.pack("<4sIQQQI", b"ds64", _DS64_BYTES, riff_bytes, data_bytes, samples, 0)


def _chunk(kind: bytes, data: bytes) -> bytes:
    return struct.pack("<4sI", kind, len(data)) + data + b"\0" * (len(data) & 1)
