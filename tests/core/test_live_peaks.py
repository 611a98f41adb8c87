"""The pyramid of a recording that grows is the pyramid of the finished file."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from inkwell_groove.core.live_peaks import LivePeaks
from inkwell_groove.core.peaks import PeakFile, build
from tests.sounds import noise, write


@pytest.mark.parametrize("samples", [1, 255, 256, 257, 4_096, 300_001, 1_500_000])
def test_the_end_is_the_same_as_building_it_from_the_file(tmp_path: Path, samples: int) -> None:
    data = noise(samples, seed=samples)
    live = LivePeaks(tmp_path, rate_hz=48_000, channels=2)
    for first in range(0, samples, 9_999):
        live.feed(data[first : first + 9_999])
    grown = live.finish(tmp_path / "grown")
    built = build(write(tmp_path / "a.wav", data), tmp_path / "built")
    assert grown == built
    one, other = PeakFile(tmp_path / "grown"), PeakFile(tmp_path / "built")
    for level in range(len(built.blocks)):
        a, b = one.array(level), other.array(level)
        np.testing.assert_array_equal(a[:, :, :2], b[:, :, :2])
        np.testing.assert_allclose(a[:, :, 2], b[:, :, 2], rtol=1e-5)
    assert list(tmp_path.glob("level *")) == []


@settings(max_examples=40)
@given(st.lists(st.integers(1, 3_000), min_size=1, max_size=12))
def test_what_can_be_read_meanwhile_is_whole_and_right(
    tmp_path_factory: pytest.TempPathFactory, cuts: list[int]
) -> None:
    data = noise(sum(cuts), 1, seed=7)
    live = LivePeaks(tmp_path_factory.mktemp("live"), rate_hz=8_000, channels=1)
    at = 0
    for size in cuts:
        live.feed(data[at : at + size])
        at += size
        index = live.index
        assert index.samples == at
        assert index.blocks[0] == at // 256
        found = np.frombuffer(live.read(0, 0, 1 << 20), dtype=np.float32).reshape(-1, 1, 3)
        whole = data[: at // 256 * 256].reshape(-1, 256) / 2.0**31
        np.testing.assert_allclose(found[:, 0, 0], whole.min(axis=1), atol=1e-7)
        np.testing.assert_allclose(found[:, 0, 1], whole.max(axis=1), atol=1e-7)
    assert live.read(0, 10**9, 5) == b""
    with pytest.raises(IndexError, match="level 40"):
        live.read(40, 0, 1)
    live.close()
