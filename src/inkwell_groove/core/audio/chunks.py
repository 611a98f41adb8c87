"""The chunks of a RIFF or an IFF file: a name of four letters, a length, the data, and a byte more if it is odd."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal, NamedTuple

from inkwell_groove.core.audio.bytesource import ByteSource

HEAD_BYTES = 8


class Chunk(NamedTuple):
    """A chunk by its name, where its data begins and how long its head says that it is."""

    name: bytes
    start: int
    length: int


def chunks(source: ByteSource, order: Literal["<", ">"]) -> Iterator[Chunk]:
    """The chunks from where `source` stands, "<" for RIFF and ">" for IFF; ends where no head is left.

    Whoever reads in the source meanwhile need not put it back.
    """
    while source.left >= HEAD_BYTES:
        name, length = source.unpack(f"{order}4sI", "a chunk's head")
        chunk = Chunk(name, source.position, length)
        yield chunk
        source.seek(chunk.start + length + (length & 1))
