"""Samples read straight from a file are those that libsndfile reads; what it forgives is still read its way."""

from __future__ import annotations

import struct
from pathlib import Path

import numpy as np
import pytest
import soundfile
from hypothesis import given
from hypothesis import strategies as st

from inkwell_groove.core.audio.soundfiles import FileReader
from inkwell_groove.core.errors import Truncated

SAMPLES = 3_001


@pytest.fixture(scope="module")
def files(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Path]:
    folder = tmp_path_factory.mktemp("plain")
    found = {}
    for form in ("WAV", "WAVEX", "RF64"):
        for bits in (16, 24):
            for channels in (1, 2, 3):
                name = f"{form} {bits} bit, {channels}"
                data = np.random.default_rng(bits).integers(-(2**31), 2**31, (SAMPLES, channels)).astype(np.int32)
                found[name] = folder / f"{name}.wav"
                soundfile.write(found[name], data, 48_000, f"PCM_{bits}", format=form)
    return found


@given(start=st.integers(0, SAMPLES + 5), samples=st.integers(0, SAMPLES + 5), pick=st.integers(0, 17))
def test_any_stretch_is_what_libsndfile_reads(files: dict[str, Path], start: int, samples: int, pick: int) -> None:
    path = list(files.values())[pick]
    with FileReader(path) as reader:
        found = reader.read(start, samples)
        whole, _ = soundfile.read(path, dtype=reader.format.dtype.name, always_2d=True)
    assert found.dtype == whole.dtype
    assert np.array_equal(found, whole[start : start + samples])


def test_chunks_before_the_samples_are_stepped_over(files: dict[str, Path], tmp_path: Path) -> None:
    plain = files["WAV 24 bit, 2"].read_bytes()
    odd = tmp_path / "odd.wav"
    chunk = struct.pack("<4sI", b"note", 7) + b"seven b" + b"\0"
    odd.write_bytes(plain[:4] + struct.pack("<I", len(plain) - 8 + len(chunk)) + plain[8:36] + chunk + plain[36:])
    with FileReader(odd) as reader, FileReader(files["WAV 24 bit, 2"]) as other:
        assert np.array_equal(reader.read(0, SAMPLES), other.read(0, SAMPLES))


def test_a_file_that_gets_shorter_under_the_reader_is_said_to(files: dict[str, Path], tmp_path: Path) -> None:
    path = tmp_path / "cut.wav"
    path.write_bytes(files["WAV 16 bit, 2"].read_bytes())
    with FileReader(path) as reader:
        with path.open("r+b") as file:
            file.truncate(44 + 4 * 1_000 + 2)
        assert len(reader.read(0, 1_000)) == 1_000
        with pytest.raises(Truncated, match="ends at sample 1000"):
            reader.read(500, 1_000)


def test_a_header_that_promises_too_much_is_read_as_far_as_libsndfile_does(tmp_path: Path) -> None:
    path = tmp_path / "lie.wav"
    soundfile.write(path, np.arange(200, dtype=np.int16), 48_000, "PCM_16")
    data = bytearray(path.read_bytes())
    data[40:44] = struct.pack("<I", 4_000)
    path.write_bytes(data)
    whole, _ = soundfile.read(path, dtype="int16", always_2d=True)
    with FileReader(path) as reader:
        assert np.array_equal(reader.read(0, reader.format.samples), whole)


@pytest.mark.parametrize("form", ["WAV", "RF64", "AIFF", "FLAC"])
def test_far_behind_the_end_there_is_nothing(tmp_path: Path, form: str) -> None:
    """A sample that no file system could seek to was answered with a fault."""
    path = tmp_path / f"short.{form.lower()}"
    soundfile.write(str(path), np.zeros((100, 2), np.int16), 44_100, subtype="PCM_16", format=form)
    with FileReader(path) as reader:
        for start in (100, 101, 2**53 - 1, 2**62):
            assert reader.read(start, 10).shape == (0, 2)
        assert reader.read(90, 20).shape == (10, 2)
