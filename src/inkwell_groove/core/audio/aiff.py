"""AIFF and AIFF-C headers: how long a recording says it is, and whether that is so.

Sources: Audio Interchange File Format AIFF 1.3 (1989); AIFF-C draft (1991). libsndfile reads the samples; it gives
what there is of a file that was cut short, and an archive must not take that for the whole.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import BinaryIO

from inkwell_groove.core.audio.bytesource import ByteSource
from inkwell_groove.core.audio.chunks import chunks
from inkwell_groove.core.errors import NotSound, Truncated

# Codings of AIFF-C with a fixed number of bytes for a sample; 0 where the sample size says how many.
_BYTES_OF = {
    b"NONE": 0,
    b"twos": 0,
    b"sowt": 0,
    b"raw ": 1,
    b"in24": 3,
    b"in32": 4,
    b"fl32": 4,
    b"FL32": 4,
    b"fl64": 8,
    b"FL64": 8,
}
_REMEDY = "Copy the file again, or make it again from its source"


@dataclass(frozen=True)
class AiffLayout:
    """What the chunks say. `found_bytes` is how much of the sound data the file really holds."""

    channels: int
    declared_samples: int
    bytes_per_sample: int
    sound_bytes: int
    found_bytes: int

    @property
    def align(self) -> int:
        return self.channels * self.bytes_per_sample


def read_layout(stream: BinaryIO, *, size: int, name: str) -> AiffLayout:
    """The layout of an AIFF or AIFF-C. Raises NotSound where it is not PCM, Truncated where a chunk is missing."""
    source = ByteSource(stream, size=size, name=name)
    source.seek(0)
    magic, _, kind = source.unpack(">4sI4s", "the FORM head")
    if magic != b"FORM" or kind not in (b"AIFF", b"AIFC"):
        raise NotSound("this is not an AIFF file", where=name, remedy="Give a WAV, RF64, AIFF or FLAC recording")
    common: tuple[int, int, int] | None = None
    sound: tuple[int, int] | None = None
    for chunk in chunks(source, ">"):
        if chunk.name == b"COMM":
            common = _common(source, kind, name)
        elif chunk.name == b"SSND":
            offset, _ = source.unpack(">II", "the SSND chunk")
            first = source.position + offset
            sound = max(0, chunk.length - 8 - offset), max(0, min(chunk.start + chunk.length, size) - first)
        if common is not None and sound is not None:
            break
    if common is None or sound is None:
        missing = "no description of its sound (COMM)" if common is None else "no sound in it (SSND)"
        raise Truncated(f"there is {missing}", where=name, remedy=_REMEDY)
    return AiffLayout(*common, *sound)


def _common(source: ByteSource, kind: bytes, name: str) -> tuple[int, int, int]:
    """Channels, samples and bytes of one sample."""
    channels, samples, bits = source.unpack(">hIh", "the COMM chunk")
    width = (bits + 7) // 8
    if kind == b"AIFC":
        source.take(10, "the COMM chunk's rate")
        coding = source.take(4, "the COMM chunk's coding")
        if coding not in _BYTES_OF:
            raise NotSound(
                f"this AIFF-C holds the coding {coding.decode('latin-1')!r}, not PCM",
                where=name,
                remedy="Convert it to integer PCM or 32-bit float",
            )
        width = _BYTES_OF[coding] or width
    if channels < 1 or width < 1:
        raise NotSound(
            f"the COMM chunk contradicts itself: {channels} channels of {bits} bit", where=name, remedy=_REMEDY
        )
    return channels, samples, width


def check_length(layout: AiffLayout, *, name: str) -> None:
    """Raises Truncated where the file, its sound chunk and its description do not agree on a length."""
    found = layout.found_bytes // layout.align
    in_chunk = layout.sound_bytes // layout.align
    if found < max(in_chunk, layout.declared_samples):
        declared = max(in_chunk, layout.declared_samples)
        raise Truncated(f"the header promises {declared} samples, the file holds {found}", where=name, remedy=_REMEDY)
    if in_chunk != layout.declared_samples:
        raise Truncated(
            f"its description promises {layout.declared_samples} samples, its sound chunk holds {in_chunk}",
            where=name,
            remedy=_REMEDY,
        )
