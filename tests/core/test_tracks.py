"""The finder, against sides of which the truth is known."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from inkwell_groove.core.errors import Refused
from inkwell_groove.core.soundfiles import FileReader
from inkwell_groove.core.tracks.finder import FoundTracks, find_tracks
from inkwell_groove.core.tracks.levels import level_curve
from inkwell_groove.demo.sides import LANTERNS, SideTruth, make_side
from tests.sounds import ArrayReader, record_side

RATE_HZ = 22_050


@pytest.fixture(scope="module", params=[0, 1], ids=["side A", "side B"])
def demo_side(request: pytest.FixtureRequest) -> tuple[ArrayReader, SideTruth]:
    audio, truth = make_side(LANTERNS[request.param], rate_hz=RATE_HZ)
    return ArrayReader(audio.astype(np.float32), RATE_HZ, "f32"), truth


def errors_s(found: FoundTracks, truth: SideTruth) -> list[tuple[float, float]]:
    assert len(found.tracks) == len(truth.tracks)
    return [
        ((f.start_sample - t.start_sample) / RATE_HZ, (f.end_sample - t.end_sample) / RATE_HZ)
        for f, t in zip(found.tracks, truth.tracks, strict=True)
    ]


def test_with_the_count_known_both_ends_of_every_track_are_found(demo_side: tuple[ArrayReader, SideTruth]) -> None:
    reader, truth = demo_side
    for index, (start_s, end_s) in enumerate(errors_s(find_tracks(reader, count=5), truth)):
        # A fade sinks into the noise before it ends. Where two tracks run together the place is only a guess.
        fades_in, fades_out = (truth.side, index) == ("A", 1), (truth.side, index) == ("B", 1)
        if (truth.side, index) != ("B", 3):
            assert abs(start_s) < (2.0 if fades_in else 0.1), index
        if (truth.side, index) != ("B", 2):
            assert abs(end_s) < (2.0 if fades_out else 0.1), index


def test_a_guess_is_marked_as_one(demo_side: tuple[ArrayReader, SideTruth]) -> None:
    reader, truth = demo_side
    sure = [track.confidence for track in find_tracks(reader, count=5).tracks]
    assert (min(sure) < 0.5) == (truth.side == "B")


def test_the_sleeves_durations_tell_that_the_turntable_ran_fast(demo_side: tuple[ArrayReader, SideTruth]) -> None:
    reader, truth = demo_side
    found = find_tracks(reader, durations_s=[track.sleeve_duration_s for track in truth.tracks])
    assert found.speed_ratio == pytest.approx(truth.speed_ratio, abs=0.003)
    assert len(found.tracks) == 5


def test_a_missing_duration_does_not_matter(demo_side: tuple[ArrayReader, SideTruth]) -> None:
    reader, truth = demo_side
    durations = [track.sleeve_duration_s if index != 2 else None for index, track in enumerate(truth.tracks)]
    for index, (start_s, _) in enumerate(errors_s(find_tracks(reader, durations_s=durations), truth)):
        # The sleeve's times place even the join without a gap, to within the slack they are allowed.
        assert abs(start_s) < 4.0, index


def test_with_nothing_known_gaps_are_found_and_clicks_and_thumps_are_not_music(tmp_path: Path) -> None:
    truth = record_side(tmp_path / "side.wav")
    with FileReader(tmp_path / "side.wav") as reader:
        found = find_tracks(reader)
    assert len(found.tracks) == len(truth)
    for track, (start, end) in zip(found.tracks, truth, strict=True):
        assert abs(track.start_sample - start) < 0.1 * 44_100
        assert abs(track.end_sample - end) < 0.1 * 44_100
        assert track.confidence > 0.7


def test_silence_holds_no_track() -> None:
    assert find_tracks(ArrayReader(np.zeros((48_000 * 5, 2), np.float32), 48_000, "f32")).tracks == ()


def test_the_level_does_not_depend_on_the_block_size() -> None:
    rng = np.random.default_rng(5)
    reader = ArrayReader((rng.standard_normal((RATE_HZ * 4, 2)) * 0.1).astype(np.float32), RATE_HZ, "f32")
    whole = level_curve(reader, block_hops=100_000).level_dbfs
    for block_hops in (1, 7, 100):
        np.testing.assert_allclose(level_curve(reader, block_hops=block_hops).level_dbfs, whole, atol=1e-9)


def test_a_click_leaves_no_trace_in_the_level() -> None:
    rng = np.random.default_rng(5)
    quiet = rng.standard_normal((RATE_HZ * 2, 1)) * 0.001
    clicked = quiet.copy()
    clicked[RATE_HZ : RATE_HZ + 40] += 0.9
    levels = [level_curve(ArrayReader(data.astype(np.float32), RATE_HZ, "f32")).level_dbfs for data in (quiet, clicked)]
    assert np.abs(levels[0] - levels[1]).max() < 6.0


@pytest.mark.parametrize(
    ("count", "durations", "what"),
    [
        (3, [1.0, 2.0], "3 tracks are asked for, 2 durations given"),
        (0, None, "0 tracks"),
        (None, [0.0], "between 0 and"),
    ],
)
def test_what_cannot_be_known_is_refused(count: int | None, durations: list[float] | None, what: str) -> None:
    reader = ArrayReader(np.zeros((1_000, 1), np.float32), 48_000, "f32")
    with pytest.raises(Refused, match=what):
        find_tracks(reader, count=count, durations_s=durations)
