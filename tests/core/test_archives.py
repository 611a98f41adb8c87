"""ZIP archives that others made: broken in every way there is, and made to fill a disk."""

from __future__ import annotations

import io
import random
import zipfile
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from inkwell_groove.core import archives
from inkwell_groove.core.errors import Refused

LIMITS = {"where": "x.zip", "most_parts": 100, "most_bytes": 200_000_000}
METHODS = (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED, zipfile.ZIP_BZIP2, zipfile.ZIP_LZMA)


def packed(*parts: tuple[str, bytes], method: int = zipfile.ZIP_DEFLATED) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", method) as archive:
        for name, data in parts:
            archive.writestr(name, data)
    return out.getvalue()


def read_whole(data: bytes, folder: Path) -> int:
    """Unpack all of an archive, and return of how many parts that went well."""
    done = 0
    with archives.opened(io.BytesIO(data), where="x.zip", remedy="Pack it anew") as archive:
        for number, part in enumerate(archives.parts_of(archive, packed_bytes=len(data), **LIMITS)):  # type: ignore[arg-type]
            target = folder / str(number)
            target.unlink(missing_ok=True)
            try:
                archives.unpack(archive, part, target)
                done += 1
            except Refused:
                assert not target.exists(), "of a damaged part nothing is left"
    return done


@pytest.mark.parametrize("method", METHODS)
def test_what_is_whole_is_unpacked(method: int, tmp_path: Path) -> None:
    data = packed(("a", b"sound" * 1_000), ("b/c", b""), method=method)
    assert read_whole(data, tmp_path) == 2
    assert (tmp_path / "0").read_bytes() == b"sound" * 1_000


@pytest.mark.parametrize("method", METHODS)
def test_one_wrong_byte_anywhere_is_a_refusal_and_never_a_fault(method: int, tmp_path: Path) -> None:
    whole = packed(("sound.wav", random.Random(1).randbytes(300)), ("nächste.txt", b"text" * 40), method=method)
    for at in range(len(whole)):
        for flip in (0x01, 0x80, 0xFF):
            data = bytearray(whole)
            data[at] ^= flip
            try:
                read_whole(bytes(data), tmp_path)
            except Refused as refusal:
                assert refusal.remedy and refusal.where


@settings(max_examples=200)
@given(st.binary(max_size=400), st.integers(0, 400))
def test_what_is_no_archive_is_refused(rubbish: bytes, cut: int) -> None:
    for data in (rubbish, b"PK\x03\x04" + rubbish, packed(("a", rubbish))[:cut]):
        try:
            with archives.opened(io.BytesIO(data), where="x.zip", remedy="Pack it anew") as archive:
                for part in archive.infolist():
                    archives.read(archive, part)
        except Refused as refusal:
            assert "ZIP" in refusal.what or "damaged" in refusal.what


def test_what_the_fuzzer_found_is_refused(tmp_path: Path) -> None:
    """Inputs of `benchmarks/fuzzing.py` that were faults."""
    for file in sorted((Path(__file__).parents[1] / "hostile").glob("*.zip")):
        with pytest.raises(Refused):
            read_whole(file.read_bytes(), tmp_path)
    with pytest.raises(Refused, match="has no name"):
        read_whole((Path(__file__).parents[1] / "hostile" / "a part without a name.zip").read_bytes(), tmp_path)


def test_a_locked_part_is_damaged_for_us(tmp_path: Path) -> None:
    data = bytearray(packed(("a", b"secret")))
    for at in (data.find(b"PK\x03\x04") + 6, data.find(b"PK\x01\x02") + 8):
        data[at] |= 1
    assert read_whole(bytes(data), tmp_path) == 0


def test_an_archive_that_grows_beyond_measure_is_refused_with_its_numbers() -> None:
    data = packed(("silence.wav", bytes(100_000_000)))
    with pytest.raises(Refused, match=r"1,0\d\d times as large, over 250 times"):
        read_whole(data, Path())


def test_too_many_parts_and_too_many_bytes_are_refused_with_their_numbers() -> None:
    with pytest.raises(Refused, match="101 files, over 100"):
        read_whole(packed(*((str(number), b"") for number in range(101))), Path())
    data = packed(("noise", random.Random(2).randbytes(1_000_000)))
    with (
        archives.opened(io.BytesIO(data), where="x", remedy="y") as archive,
        pytest.raises(Refused, match=r"unpacked it has 0\.0 GB, over 0 GB"),
    ):
        archives.parts_of(archive, where="x", most_parts=9, most_bytes=999_999, packed_bytes=len(data))
