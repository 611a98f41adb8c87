"""The peak pyramid: exactly the extremes of the samples, at every level, for every word and length."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from inkwell_groove.core import peaks
from inkwell_groove.core.audio.soundfiles import FileReader
from inkwell_groove.core.errors import NotSound
from inkwell_groove.core.measure.clipping import clipped_runs
from tests.sounds import noise, write


def expected(data: np.ndarray, block: int) -> np.ndarray:
    """Minimum, maximum and RMS block by block, with numpy alone."""
    out = []
    for first in range(0, len(data), block):
        part = data[first : first + block]
        out.append(np.stack([part.min(axis=0), part.max(axis=0), np.sqrt((part**2).mean(axis=0))], axis=-1))
    return np.array(out)


@pytest.mark.parametrize(
    ("subtype", "form", "channels"),
    [
        ("PCM_16", "WAV", 2),
        ("PCM_24", "WAV", 2),
        ("PCM_24", "WAV", 1),
        ("PCM_32", "WAV", 2),
        ("FLOAT", "WAV", 2),
        ("PCM_24", "RF64", 2),
        ("PCM_24", "AIFF", 2),
        ("PCM_24", "FLAC", 2),
        ("PCM_16", "FLAC", 1),
    ],
)
@pytest.mark.parametrize("samples", [1, 256, 257, 300_001])
def test_every_level_holds_the_extremes_of_the_samples(
    tmp_path: Path, subtype: str, form: str, channels: int, samples: int
) -> None:
    bits = 16 if subtype == "PCM_16" else 24
    data = noise(samples, channels, bits=bits, seed=samples, level=0.9)
    given = data / 2147483648.0 if subtype == "FLOAT" else data
    take = write(tmp_path / "take", given, 48_000, subtype=subtype, form=form)
    index = peaks.build(take, tmp_path / "peaks")
    assert index.samples == samples
    pyramid = peaks.PeakFile(tmp_path / "peaks")
    for level, block in enumerate(index.block_samples):
        np.testing.assert_allclose(pyramid.array(level), expected(data / 2147483648.0, block), atol=2e-7, rtol=1e-6)


def test_channels_are_kept_apart(tmp_path: Path) -> None:
    data = noise(10_000)
    data[:, 1] = 0
    peaks.build(write(tmp_path / "take.wav", data), tmp_path / "peaks")
    pyramid = peaks.PeakFile(tmp_path / "peaks").array(0)
    assert np.all(pyramid[:, 1] == 0)
    assert np.all(pyramid[:, 0, 1] > 0)


@settings(max_examples=50)
@given(st.integers(0, 1200), st.integers(1, 1200))
def test_a_range_is_the_same_as_that_part_of_the_whole(shared_pyramid: peaks.PeakFile, first: int, count: int) -> None:
    whole = shared_pyramid.array(0)
    np.testing.assert_array_equal(shared_pyramid.array(0, first, count), whole[first : first + count])


@pytest.fixture(scope="module")
def shared_pyramid(tmp_path_factory: pytest.TempPathFactory) -> peaks.PeakFile:
    folder = tmp_path_factory.mktemp("pyramid")
    peaks.build(write(folder / "take.wav", noise(256 * 1_000 + 7)), folder / "peaks")
    return peaks.PeakFile(folder / "peaks")


def test_progress_grows_to_the_end(tmp_path: Path) -> None:
    told: list[float] = []
    peaks.build(write(tmp_path / "take.wav", noise(2_000_000)), tmp_path / "peaks", progress=told.append)
    assert told == sorted(told)
    assert len(told) > 2


@pytest.mark.parametrize(("subtype", "channels"), [("PCM_24", 2), ("PCM_16", 1), ("FLOAT", 2)])
@settings(max_examples=15)
@given(pieces=st.lists(st.integers(1, 900_000), min_size=1, max_size=6))
def test_a_recording_drawn_while_it_comes_in_looks_like_one_drawn_at_the_end(
    tmp_path_factory: pytest.TempPathFactory, subtype: str, channels: int, pieces: list[int]
) -> None:
    folder = tmp_path_factory.mktemp("growing")
    whole = write(folder / "whole.wav", noise(700_001, channels, bits=16) / 2.0**31, subtype=subtype).read_bytes()
    coming = folder / "coming.wav"
    coming.write_bytes(whole[:4_096])
    growing = peaks.GrowingPeaks(coming, folder / "grown", final_bytes=len(whole))
    for end in [*np.cumsum(pieces).clip(4_096, len(whole)).tolist(), len(whole)]:
        coming.write_bytes(whole[:end])
        growing.advance(end)
    growing.finish()
    peaks.build(coming, folder / "built")
    assert (folder / "grown").read_bytes() == (folder / "built").read_bytes()


@pytest.mark.parametrize("form", ["FLAC", "AIFF"])
def test_what_cannot_be_drawn_while_it_comes_in_says_so(tmp_path: Path, form: str) -> None:
    take = write(tmp_path / "take", noise(1_000), form=form)
    with pytest.raises(NotSound):
        peaks.GrowingPeaks(take, tmp_path / "peaks", final_bytes=take.stat().st_size)


def test_a_file_that_is_no_pyramid_is_refused(tmp_path: Path) -> None:
    (tmp_path / "peaks").write_bytes(b"not a pyramid, but long enough for a header" * 3)
    with pytest.raises(NotSound, match="not a peak pyramid"):
        peaks.PeakFile(tmp_path / "peaks")


@pytest.mark.parametrize("subtype", ["PCM_16", "PCM_24"])
def test_clipped_runs_are_counted_where_three_samples_in_a_row_reach_the_limit(tmp_path: Path, subtype: str) -> None:
    data = noise(100_000, bits=16, level=0.5)
    top = 2**31 - 2 ** (16 if subtype == "PCM_16" else 8)
    data[1_000:1_003, 0] = top  # a run
    data[5_000:5_002, 0] = top  # two samples may be chance
    data[255:259, 1] = -(2**31)  # a run across the edge of a block
    data[99_997:, 1] = top  # a run that the take ends in
    take = write(tmp_path / "take.wav", data, subtype=subtype)
    peaks.build(take, tmp_path / "peaks")
    with FileReader(take) as reader:
        assert clipped_runs(reader, peaks.PeakFile(tmp_path / "peaks")) == 3
