"""A file whose changes stay in memory until somebody wants them: so a tag is worked out before a byte is altered."""

from __future__ import annotations

import os
from pathlib import Path
from types import TracebackType
from typing import BinaryIO

from inkwell_groove.core.files.undo import alike

_PAGE = 4_096


class TooMuch(Exception):
    """More is altered than fits in memory: what follows the tags is being moved."""


class Overlay:
    """Opened for reading and writing, as a tag library wants it; `most_bytes` of changes are held.

    Raises TooMuch from `write` beyond that. The file on disk is never written.
    """

    def __init__(self, path: Path, *, most_bytes: int = 1 << 18) -> None:
        self.name = str(path)
        self._file: BinaryIO = path.open("rb")
        self._old_size = os.fstat(self._file.fileno()).st_size
        self._size = self._old_size
        self._at = 0
        self._pages: dict[int, bytearray] = {}
        self._most_pages = max(1, most_bytes // _PAGE)
        # Beyond this the file's own bytes no longer count: it was cut here once.
        self._valid = self._old_size

    def readable(self) -> bool:
        return True

    def writable(self) -> bool:
        return True

    def seekable(self) -> bool:
        return True

    def flush(self) -> None:
        """Nothing is kept back."""

    def tell(self) -> int:
        return self._at

    def seek(self, offset: int, whence: int = os.SEEK_SET) -> int:
        base = {os.SEEK_SET: 0, os.SEEK_CUR: self._at, os.SEEK_END: self._size}[whence]
        if base + offset < 0:
            raise OSError("before the beginning")
        self._at = base + offset
        return self._at

    def read(self, size: int | None = -1) -> bytes:
        end = self._size if size is None or size < 0 else min(self._size, self._at + size)
        start, self._at = self._at, max(self._at, end)
        if end <= start:
            return b""
        pages = range(start // _PAGE, (end - 1) // _PAGE + 1)
        if not self._pages or (len(pages) > len(self._pages) and not any(page in pages for page in self._pages)):
            return self._original(start, end)
        first = pages.start * _PAGE
        whole = bytearray(self._original(first, min(pages.stop * _PAGE, self._size)))
        for number in pages:
            if number in self._pages:
                at = number * _PAGE - first
                whole[at : at + _PAGE] = self._pages[number]
        return bytes(whole[start - first : end - first])

    def write(self, data: bytes) -> int:
        if not data:
            return 0
        start, end = self._at, self._at + len(data)
        view = memoryview(data)
        for number in range(start // _PAGE, (end - 1) // _PAGE + 1):
            low, high = number * _PAGE, (number + 1) * _PAGE
            page = self._page(number)
            first, last = max(start, low), min(end, high)
            page[first - low : last - low] = view[first - start : last - start]
        self._at = end
        self._size = max(self._size, end)
        return len(data)

    def truncate(self, size: int | None = None) -> int:
        size = self._at if size is None else size
        if size < self._size:
            for number in [one for one in self._pages if one * _PAGE >= size]:
                del self._pages[number]
            if size % _PAGE and size // _PAGE in self._pages:
                self._pages[size // _PAGE][size % _PAGE :] = bytes(_PAGE - size % _PAGE)
            self._valid = min(self._valid, size)
        self._size = size
        return size

    @property
    def size(self) -> int:
        return self._size

    @property
    def old_size(self) -> int:
        return self._old_size

    def changes(self) -> list[tuple[int, bytes, bytes]]:
        """What differs from the file on disk: (offset, old bytes, new bytes), apart from each other, in order.

        Old bytes end with the old file and new ones with the new one, so at the end they may differ in length.
        """
        found: list[tuple[int, bytes, bytes]] = []
        for number in sorted(set(self._pages) | set(self._beyond())):
            low = number * _PAGE
            old = self._on_disk(low, min(low + _PAGE, self._old_size))
            self._at = low
            new = self.read(_PAGE)
            if old == new:
                continue
            if len(old) == len(new):  # trimmed, since most of a page is as it was
                head, tail = alike(old, new), alike(old[::-1], new[::-1])
                low, old, new = low + head, old[head : len(old) - tail], new[head : len(new) - tail]
            if found and found[-1][0] + max(len(found[-1][1]), len(found[-1][2])) == low:
                at, before, after = found[-1]
                found[-1] = (at, before + old, after + new)
            else:
                found.append((low, old, new))
        return found

    def close(self) -> None:
        self._file.close()

    def _beyond(self) -> range:
        """Pages past what the old file and the new one share: grown, cut off, or cut off and grown again."""
        low, high = min(self._valid, self._size), max(self._size, self._old_size)
        if low == high:
            return range(0)
        if (high - low) // _PAGE > self._most_pages:
            raise TooMuch
        return range(low // _PAGE, (high - 1) // _PAGE + 1)

    def _page(self, number: int) -> bytearray:
        page = self._pages.get(number)
        if page is None:
            if len(self._pages) >= self._most_pages:
                raise TooMuch
            low = number * _PAGE
            page = bytearray(self._original(low, low + _PAGE).ljust(_PAGE, b"\0"))
            self._pages[number] = page
        return page

    def _original(self, start: int, end: int) -> bytes:
        """The file's own bytes, zeros where it was cut and grew again."""
        data = self._on_disk(start, min(end, self._valid))
        return data.ljust(max(0, min(end, self._size) - start), b"\0")

    def _on_disk(self, start: int, end: int) -> bytes:
        if end <= start:
            return b""
        self._file.seek(start)
        return self._file.read(end - start)

    def __enter__(self) -> Overlay:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()
