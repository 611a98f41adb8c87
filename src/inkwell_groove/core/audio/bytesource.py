"""Reading binary formats: every read says what it was for, and a short one is refused with wanted and got."""

from __future__ import annotations

import struct
from typing import Any, BinaryIO

from inkwell_groove.core.errors import Truncated


class ByteSource:
    """A seekable stream of known size, read in named pieces.

    Raises Truncated, naming the file, the place, what was wanted and what is left.
    """

    def __init__(self, stream: BinaryIO, *, size: int, name: str) -> None:
        self._stream = stream
        self.size = size
        self.name = name
        self.position = 0

    @property
    def left(self) -> int:
        return max(0, self.size - self.position)

    def seek(self, position: int) -> None:
        self._stream.seek(position)
        self.position = position

    def take(self, n: int, what: str) -> bytes:
        if n > self.left:
            raise Truncated(
                f"{what} needs {n} bytes, {self.left} are left at byte {self.position}",
                where=self.name,
                remedy="The file was cut short: copy or make it again from its source",
            )
        data = self._stream.read(n)
        if len(data) < n:
            raise Truncated(
                f"{what} needs {n} bytes, {len(data)} could be read at byte {self.position}", where=self.name
            )
        self.position += n
        return data

    def unpack(self, layout: str, what: str) -> tuple[Any, ...]:
        return struct.unpack(layout, self.take(struct.calcsize(layout), what))
