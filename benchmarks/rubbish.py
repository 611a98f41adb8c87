"""Files as an attacker or a broken disk makes them: whole ones bent at random, and ones built to do harm."""

from __future__ import annotations

import functools
import io
import random
import struct
import tempfile
import zipfile
import zlib
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import soundfile

from inkwell_groove.core.files.spreadsheet import to_xlsx
from tests.core.files.samples import KINDS, picture, write_sample

_MOST_BYTES = 4_000_000  # of one file
_HEADERS = 64  # what is bent most is near the beginning


@dataclass(frozen=True)
class Sent:
    """One file, how it came about, and where it is sent."""

    way_in: str  # one of WAYS_IN
    how: str
    name: str
    data: bytes


WAYS_IN = ("recording", "zip", "parcel", "picture", "find-crop", "spreadsheet")


class Generator:
    """Draws files; the same ones for the same seed."""

    def __init__(self, seed: int) -> None:
        self._chance = random.Random(seed)
        self._sounds = _sounds()
        self._pictures = [picture(64, 64, form=form) for form in ("JPEG", "PNG", "GIF", "BMP")]
        sheet = to_xlsx(["title"], [("one.flac", {"title": "A"})])
        self._whole: dict[str, list[tuple[str, bytes]]] = {
            "recording": self._sounds,
            "zip": [(f"whole {number}.zip", data) for number, data in enumerate(self._archives())],
            "parcel": [("docket.zip", _zip([("docket.json", b'{"kind": "docket of Inkwell Groove", "version": 1}')]))],
            "picture": [("cover.jpg", one) for one in self._pictures],
            "find-crop": [("cover.jpg", one) for one in self._pictures],
            "spreadsheet": [("sheet.xlsx", sheet), ("sheet.csv", b"file,title\r\none.flac,A\r\n")],
        }
        self._built: dict[str, list[tuple[str, Callable[[], bytes]]]] = {
            "recording": [(name, build) for name, build in _LYING_SOUNDS],
            "zip": list(_EVIL_ZIPS),
            "parcel": [*_EVIL_ZIPS, ("nested a thousand deep", _deep_parcel)],
            "picture": list(_EVIL_PICTURES),
            "find-crop": list(_EVIL_PICTURES),
            "spreadsheet": list(_EVIL_SHEETS),
        }

    def draw(self) -> Sent:
        """Return one file: mostly a whole one that is bent, sometimes one built to do harm, or rubbish."""
        way_in = self._chance.choice(WAYS_IN)
        draw = self._chance.random()
        if draw < 0.2:
            how, build = self._chance.choice(self._built[way_in])
            return Sent(way_in, how, f"{how}.wav" if way_in == "recording" else how, _once(build))
        if draw < 0.25:
            return Sent(way_in, "rubbish", "rubbish.wav", self._chance.randbytes(self._chance.randrange(5_000)))
        if draw < 0.3:
            other = self._chance.choice(WAYS_IN)
            name, data = self._chance.choice(self._whole[other])
            return Sent(way_in, f"meant for {other}", name, data)
        name, data = self._chance.choice(self._whole[way_in])
        how, bend = self._chance.choice(_BENDS)
        return Sent(way_in, how, name, bend(data, self._chance)[:_MOST_BYTES])

    def _archives(self) -> list[bytes]:
        sounds = [(f"Box/{name}", data) for name, data in self._sounds]
        methods = (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED, zipfile.ZIP_BZIP2, zipfile.ZIP_LZMA)
        return [_zip(self._chance.sample(sounds, 2), method) for method in methods]


@functools.cache
def _once(build: Callable[[], bytes]) -> bytes:
    return build()


# Whole files, bent.


def _cut(data: bytes, chance: random.Random) -> bytes:
    return data[: chance.randrange(len(data))] if data else b""


def _flip(data: bytes, chance: random.Random) -> bytes:
    bent = bytearray(data)
    for _ in range(chance.choice((1, 3, 30))):
        bent[chance.randrange(min(len(bent), chance.choice((_HEADERS, len(bent)))))] ^= 1 << chance.randrange(8)
    return bytes(bent)


def _large_number(data: bytes, chance: random.Random) -> bytes:
    """Writes a number that is as large, or as small, as can be over four bytes of the header."""
    at = chance.randrange(max(1, min(len(data), 200) - 4))
    number = chance.choice((0, 1, 0x7FFFFFFF, 0x80000000, 0xFFFFFFFF))
    return data[:at] + struct.pack(chance.choice("<>") + "I", number) + data[at + 4 :]


def _hole(data: bytes, chance: random.Random) -> bytes:
    at = chance.randrange(len(data))
    return data[:at] + data[at + chance.randrange(1, 2_000) :]


def _twice(data: bytes, chance: random.Random) -> bytes:
    at = chance.randrange(len(data))
    return data[:at] + data[: chance.randrange(len(data))] + data[at:]


def _zeros(data: bytes, chance: random.Random) -> bytes:
    at, count = chance.randrange(len(data)), chance.randrange(1, 4_000)
    return data[:at] + bytes(count) + data[at + count :]


def _appended(data: bytes, chance: random.Random) -> bytes:
    return data + chance.randbytes(chance.randrange(1, 3_000))


_BENDS = (
    ("cut off", _cut),
    ("bits flipped", _flip),
    ("a number made large", _large_number),
    ("a hole in it", _hole),
    ("a part of it twice", _twice),
    ("zeros in it", _zeros),
    ("something appended", _appended),
)


def _sounds() -> list[tuple[str, bytes]]:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "sound"
        made = [(kind, write_sample(path.with_suffix(Path(kind).suffix), kind, seconds=0.5)) for kind in KINDS]
        sounds = [(name, file.read_bytes()) for name, file in made]
        for form in ("RF64", "W64", "CAF"):
            soundfile.write(path, np.zeros((9_000, 2)), 44_100, format=form, subtype="PCM_16")
            sounds.append((f"a.{form.lower()}", path.read_bytes()))
    return sounds


# Files built to do harm.


def _zip(parts: list[tuple[str, bytes]], method: int = zipfile.ZIP_DEFLATED) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", method) as archive:
        for name, data in parts:
            archive.writestr(name, data)
    return out.getvalue()


def _bomb() -> bytes:
    return _zip([(f"{number}.wav", bytes(20_000_000)) for number in range(20)])


def _many_parts() -> bytes:
    return _zip([(f"{number}", b"") for number in range(30_000)], zipfile.ZIP_STORED)


def _one_body_many_names() -> bytes:
    """Returns an archive whose entries all name the same bytes, so that it grows without being large."""
    whole = _zip([("a" * 8, bytes(5_000_000))])
    at = whole.index(b"PK\x01\x02")
    entry, end = whole[at : whole.index(b"PK\x05\x06")], whole[whole.index(b"PK\x05\x06") :]
    entries = b"".join(entry.replace(b"a" * 8, b"%08d" % number) for number in range(2_000))
    counted = end[:8] + struct.pack("<HHI", 2_000, 2_000, len(entries)) + end[16:]
    return whole[:at] + entries + counted


def _way_out() -> bytes:
    names = ("../out.wav", "/out.wav", "a/../../out.wav", "a\\..\\..\\out.wav", "C:out.wav", "a\x00.wav", "~/out.wav")
    return _zip([(name, b"RIFF") for name in names])


def _link() -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        entry = zipfile.ZipInfo("link.wav")
        entry.external_attr = 0o120777 << 16
        archive.writestr(entry, "/etc/passwd")
        archive.writestr("link.wav/inner", "x")
    return out.getvalue()


def _encrypted() -> bytes:
    whole = bytearray(_zip([("a.wav", b"RIFF")]))
    for mark, offset in ((b"PK\x03\x04", 6), (b"PK\x01\x02", 8)):
        whole[whole.index(mark) + offset] |= 1
    return bytes(whole)


def _names() -> bytes:
    names = ("a" * 250 + ".wav", "Ä.wav", "Ä.wav", "con.wav", " .wav", "-rf.wav", "a\n.wav", "\u202ewav.exe")
    return _zip([(name, b"RIFF") for name in names])


_EVIL_ZIPS = (
    ("a bomb", _bomb),
    ("thirty thousand parts", _many_parts),
    ("one body under many names", _one_body_many_names),
    ("ways out", _way_out),
    ("a link", _link),
    ("encrypted", _encrypted),
    ("names", _names),
    ("empty", lambda: _zip([])),
)


def _deep_parcel() -> bytes:
    return _zip([("docket.json", b'{"a":' * 100_000 + b"1" + b"}" * 100_000)])


def _png(width: int, height: int, rows: int = 1) -> bytes:
    """Returns a PNG that says a size, with so many rows of black in it."""

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    header = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    body = zlib.compress(bytes((1 + 3 * width) * rows)) if width * rows < 40_000_000 else zlib.compress(b"")
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", header) + chunk(b"IDAT", body) + chunk(b"IEND", b"")


_EVIL_PICTURES = (
    ("sixty million wide", lambda: _png(60_000_000, 1)),
    ("sixty million high", lambda: _png(1, 60_000_000)),
    ("fifty thousand square", lambda: _png(50_000, 50_000)),
    ("the largest there is", lambda: _png(0x7FFFFFFF, 0x7FFFFFFF)),
    ("no width", lambda: _png(0, 10)),
    ("nine thousand square", lambda: _png(9_000, 9_000, 9_000 // 3)),
    ("a page", lambda: b"<html><script>alert(1)</script>"),
    ("svg", lambda: b'<svg xmlns="http://www.w3.org/2000/svg" onload="alert(1)"/>'),
)
_DOCTYPE = b'<?xml version="1.0"?><!DOCTYPE a [<!ENTITY b SYSTEM "file:///etc/passwd">'
_LAUGHS = b"".join(b'<!ENTITY c%d "%s">' % (n, b"&c%d;" % (n - 1) * 10) for n in range(1, 12))


def _sheet_with(document: bytes) -> bytes:
    whole = to_xlsx(["title"], [("one.flac", {"title": "A"})])
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(whole)) as given, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for one in given.infolist():
            is_sheet = one.filename.endswith("sheet1.xml")
            archive.writestr(one.filename, document if is_sheet else given.read(one))
    return out.getvalue()


_EVIL_SHEETS = (
    ("newlines", lambda: b"file,title\n" + b"\n" * 3_900_000),
    ("commas", lambda: b"file,title\n" + b"," * 3_900_000),
    ("one open quote", lambda: b'file,title\n"' + b"a" * 3_900_000),
    ("an outside file", lambda: _sheet_with(_DOCTYPE + b"]><worksheet>&b;</worksheet>")),
    ("laughs", lambda: _sheet_with(_DOCTYPE + b'<!ENTITY c0 "ha">' + _LAUGHS + b"]><worksheet>&c11;</worksheet>")),
    ("a billion rows", lambda: _sheet_with(b'<worksheet><sheetData><row r="1073741824"/></sheetData></worksheet>')),
    ("a bomb", lambda: _sheet_with(b"<worksheet>" + b" " * 60_000_000)),
)


def _wav(channels: int, rate: int, bits: int, declared: int, kind: int = 1) -> bytes:
    fmt = struct.pack("<HHIIHH", kind, channels, rate, rate * channels * bits // 8 & 0xFFFFFFFF, 4, bits)
    body = b"WAVEfmt " + struct.pack("<I", 16) + fmt + b"data" + struct.pack("<I", declared) + bytes(4_000)
    return b"RIFF" + struct.pack("<I", len(body)) + body


_LYING_SOUNDS = (
    ("no channels", lambda: _wav(0, 44_100, 16, 4_000)),
    ("65,535 channels", lambda: _wav(65_535, 44_100, 16, 4_000)),
    ("no rate", lambda: _wav(2, 0, 16, 4_000)),
    ("four thousand million samples a second", lambda: _wav(2, 0xFFFFFFFF, 16, 4_000)),
    ("no bits", lambda: _wav(2, 44_100, 0, 4_000)),
    ("more than there is", lambda: _wav(2, 44_100, 16, 0xFFFFFFF0)),
    ("a format of nobody", lambda: _wav(2, 44_100, 16, 4_000, kind=0x7777)),
    ("a tag without end", lambda: b"ID3\x04\x00\x00\x7f\x7f\x7f\x7f" + bytes(2_000)),
    ("nothing", lambda: b""),
)
