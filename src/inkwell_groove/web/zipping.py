"""A folder as a ZIP stream: made while it is sent, a megabyte in memory."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Iterable, Iterator
from pathlib import Path

_CHUNK_BYTES = 1 << 20


class _Sink(io.RawIOBase):
    """Where zipfile writes and we collect. Not seekable, so sizes follow each file."""

    def __init__(self) -> None:
        self._pieces: list[bytes] = []

    def writable(self) -> bool:
        return True

    def write(self, data: object) -> int:
        piece = bytes(data)  # type: ignore[call-overload]
        self._pieces.append(piece)
        return len(piece)

    def drain(self) -> bytes:
        data = b"".join(self._pieces)
        self._pieces.clear()
        return data


def zip_stream(folder: Path, prefix: str) -> Iterator[bytes]:
    """The files of `folder`, sorted, under `prefix`, as the bytes of a ZIP (ZIP64 where needed)."""
    paths = sorted(path for path in folder.rglob("*") if path.is_file())
    return zip_of((f"{prefix}/{path.relative_to(folder).as_posix()}", path) for path in paths)


def zip_of(files: Iterable[tuple[str, Path | bytes]]) -> Iterator[bytes]:
    """Files by their names in the ZIP, each from the disk or as it is."""
    sink = _Sink()
    with zipfile.ZipFile(sink, "w", zipfile.ZIP_STORED, allowZip64=True) as archive:
        for name, content in files:
            if isinstance(content, bytes):
                archive.writestr(name, content)
                yield sink.drain()
                continue
            info = zipfile.ZipInfo.from_file(content, name)
            big = content.stat().st_size > 1 << 31
            with archive.open(info, "w", force_zip64=big) as out, content.open("rb") as source:
                while chunk := source.read(_CHUNK_BYTES):
                    out.write(chunk)
                    yield sink.drain()
    yield sink.drain()
