"""The INFO list of a WAV file: read where there is no other tag, written beside the ID3 chunk for older readers.

Source: Multimedia Programming Interface and Data Specifications 1.0, "INFO List Chunk". No byte of sound moves: a
list that no longer fits is marked as junk where it lies, and a new one follows at the end.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator, Mapping
from typing import Any

_ENCODING = "utf-8"  # the standard says nothing; ASCII is the same in all


def read_info(stream: Any) -> dict[str, str]:
    """The texts by chunk name, trimmed; empty where there is no list."""
    found: dict[str, str] = {}
    for name, at, length in _chunks(stream):
        if name == b"LIST" and _read(stream, at, 4) == b"INFO":
            inner, end = at + 4, at + length
            while inner + 8 <= end:
                key, size = struct.unpack("<4sI", _read(stream, inner, 8))
                text = _read(stream, inner + 8, min(size, end - inner - 8)).split(b"\0")[0]
                try:
                    found.setdefault(key.decode("ascii"), text.decode(_ENCODING).strip())
                except UnicodeDecodeError:
                    found.setdefault(key.decode("latin-1"), text.decode("cp1252", "replace").strip())
                inner += 8 + size + (size & 1)
    return {key: text for key, text in found.items() if text}


def write_info(stream: Any, changes: Mapping[str, str]) -> None:
    """Sets or (with "") removes texts; all others stay."""
    texts = read_info(stream) | dict(changes)
    body = b"INFO"
    for key, text in texts.items():
        if text:
            data = text.encode(_ENCODING) + b"\0"
            body += struct.pack("<4sI", key.encode("latin-1"), len(data)) + data + b"\0" * (len(data) & 1)
    place = None
    for name, at, length in list(_chunks(stream)):
        if name == b"LIST" and _read(stream, at, 4) == b"INFO":
            if place is None and length == len(body):
                place = at
            else:
                _write(stream, at - 8, b"JUNK")
    if place is not None:
        _write(stream, place, body)
        return
    if len(body) == 4:
        return
    stream.seek(0, 2)
    end = stream.tell()
    pad = b"\0" * (end & 1)
    _write(stream, end, pad + b"LIST" + struct.pack("<I", len(body)) + body)
    stream.seek(0, 2)
    _write(stream, 4, struct.pack("<I", stream.tell() - 8))


def _chunks(stream: Any) -> Iterator[tuple[bytes, int, int]]:
    """(name, where its contents begin, how long they are)."""
    stream.seek(0, 2)
    size, at = stream.tell(), 12
    while at + 8 <= size:
        name, length = struct.unpack("<4sI", _read(stream, at, 8))
        yield name, at + 8, min(length, size - at - 8)
        at += 8 + length + (length & 1)


def _read(stream: Any, at: int, length: int) -> bytes:
    stream.seek(at)
    return bytes(stream.read(length))


def _write(stream: Any, at: int, data: bytes) -> None:
    stream.seek(at)
    stream.write(data)
