"""The finder, against sides of which the truth is known."""

from __future__ import annotations

import pickle
from pathlib import Path

import numpy as np
import numpy.typing as npt
import pytest
import soxr

from inkwell_groove.core.audio.soundfiles import FileReader
from inkwell_groove.core.errors import Refused
from inkwell_groove.core.tracks.finder import find_tracks, known_of, tracks_in
from inkwell_groove.core.tracks.found import FixedJoin, FoundTracks, Settings
from inkwell_groove.core.tracks.hearing import Heard, hear
from inkwell_groove.demo.sides import LANTERNS, SideTruth, make_side
from tests.conftest import made_once
from tests.sounds import ArrayReader, record_side

RATE_HZ = 22_050

Sound = npt.NDArray[np.float32]
Demo = tuple[Heard, SideTruth]


@pytest.fixture(scope="session")
def lanterns(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo's record of two sides and what is heard of it: made once for all processes, since that takes 20 s."""

    def make(folder: Path) -> None:
        made = [make_side(script, rate_hz=RATE_HZ) for script in LANTERNS]
        recordings = [(audio.astype(np.float32), truth) for audio, truth in made]
        heard = [(hear(ArrayReader(audio, RATE_HZ, "f32")), truth) for audio, truth in recordings]
        (folder / "recordings").write_bytes(pickle.dumps(recordings))
        (folder / "heard").write_bytes(pickle.dumps(heard))

    return made_once(tmp_path_factory, "lanterns", make)


@pytest.fixture(scope="module")
def recordings(lanterns: Path) -> list[tuple[Sound, SideTruth]]:
    return list(pickle.loads((lanterns / "recordings").read_bytes()))


@pytest.fixture(scope="module")
def both_sides(lanterns: Path) -> list[Demo]:
    return list(pickle.loads((lanterns / "heard").read_bytes()))


@pytest.fixture(params=[0, 1], ids=["side A", "side B"])
def demo_side(request: pytest.FixtureRequest, both_sides: list[Demo]) -> Demo:
    return both_sides[request.param]


def errors_s(found: FoundTracks, truth: SideTruth) -> list[tuple[float, float]]:
    assert len(found.tracks) == len(truth.tracks)
    return [
        ((f.start_sample - t.start_sample) / RATE_HZ, (f.end_sample - t.end_sample) / RATE_HZ)
        for f, t in zip(found.tracks, truth.tracks, strict=True)
    ]


def sleeve(truth: SideTruth) -> list[float | None]:
    return [track.sleeve_duration_s for track in truth.tracks]


@pytest.mark.slow
def test_with_the_count_known_both_ends_of_every_track_are_found(demo_side: Demo) -> None:
    heard, truth = demo_side
    for index, (start_s, end_s) in enumerate(errors_s(tracks_in(heard, known_of(count=5)), truth)):
        # A fade sinks into the noise before it ends. Where two tracks run together the place is only a guess.
        fades_in, fades_out = (truth.side, index) == ("A", 1), (truth.side, index) == ("B", 1)
        if (truth.side, index) != ("B", 3):
            assert abs(start_s) < (1.2 if fades_in else 0.12), index
        if (truth.side, index) != ("B", 2):
            assert abs(end_s) < (2.5 if fades_out else 0.15), index


def test_with_the_sleeves_durations_the_join_without_a_gap_is_found_too(both_sides: list[Demo]) -> None:
    heard, truth = both_sides[1]
    found = tracks_in(heard, known_of(durations_s=sleeve(truth)))
    assert abs(errors_s(found, truth)[3][0]) < 1.5
    assert found.tracks[3].start is not None and found.tracks[3].start.reason.startswith("no gap")
    assert found.tracks[3].confidence < min(found.tracks[index].confidence for index in (0, 4))


def test_the_rest_within_a_track_is_no_join_once_the_durations_are_known(both_sides: list[Demo]) -> None:
    heard, truth = both_sides[0]
    found = tracks_in(heard, known_of(durations_s=sleeve(truth)))
    assert max(abs(start) for start, _ in errors_s(found, truth)) < 1.2
    assert found.disbelieved == ()
    assert [track.listed for track in found.tracks] == [0, 1, 2, 3, 4]


def test_a_missing_duration_does_not_matter_and_a_wrong_one_is_disbelieved(both_sides: list[Demo]) -> None:
    heard, truth = both_sides[0]
    durations = sleeve(truth)
    durations[2] = None
    assert max(abs(start) for start, _ in errors_s(tracks_in(heard, known_of(durations_s=durations)), truth)) < 1.2
    durations = sleeve(truth)
    durations[3] = 75.0
    found = tracks_in(heard, known_of(durations_s=durations))
    assert max(abs(start) for start, _ in errors_s(found, truth)) < 1.2
    assert found.disbelieved == (3,)


def test_a_track_that_is_not_there_and_tracks_in_another_order(both_sides: list[Demo]) -> None:
    heard, truth = both_sides[0]
    found = tracks_in(heard, known_of(durations_s=[*sleeve(truth), 95.0]))
    assert len(found.tracks) == 5
    assert found.disbelieved == (5,)
    swapped = sleeve(truth)
    swapped[2], swapped[3] = swapped[3], swapped[2]
    found = tracks_in(heard, known_of(durations_s=swapped))
    assert [track.listed for track in found.tracks] == [0, 1, 3, 2, 4]


def test_joins_that_a_person_set_are_kept_and_used(both_sides: list[Demo]) -> None:
    heard, truth = both_sides[1]
    at_s = truth.tracks[3].start_sample / RATE_HZ
    fixed = [(None, 3.0), (at_s, at_s), (heard.seconds - 1.0, None)]
    found = tracks_in(heard, known_of(count=5, fixed=[FixedJoin(end_s=end, start_s=start) for end, start in fixed]))
    assert found.tracks[3].start_sample == pytest.approx(at_s * RATE_HZ, abs=1)
    assert found.tracks[2].end_sample == pytest.approx(at_s * RATE_HZ, abs=1)
    assert found.tracks[0].start_sample == 3 * RATE_HZ
    assert found.tracks[-1].end_sample == pytest.approx((heard.seconds - 1.0) * RATE_HZ, abs=1)
    assert found.tracks[3].start is not None and found.tracks[3].start.reason == "set by hand"
    assert abs(errors_s(found, truth)[2][0]) < 0.2  # the others are as they would be


def test_with_nothing_known_gaps_are_found_and_clicks_and_thumps_are_not_music(tmp_path: Path) -> None:
    truth = record_side(tmp_path / "side.wav")
    with FileReader(tmp_path / "side.wav") as reader:
        found = find_tracks(reader)
    assert len(found.tracks) == len(truth)
    for track, (start, end) in zip(found.tracks, truth, strict=True):
        assert abs(track.start_sample - start) < 0.1 * 44_100
        assert abs(track.end_sample - end) < 0.1 * 44_100
    assert found.sides[0].tracks == len(truth)


def test_a_longer_least_gap_or_track_gives_fewer_joins(both_sides: list[Demo]) -> None:
    heard, _ = both_sides[0]
    counts = [
        len(tracks_in(heard, known_of(settings=settings)).tracks)
        for settings in (Settings(), Settings(min_gap_s=2.3), Settings(min_track_s=70.0), Settings(min_gap_s=9.0))
    ]
    assert counts[0] >= 5
    assert counts[1] < counts[0] and counts[2] < counts[0]
    assert counts[3] == 1


@pytest.mark.slow
@pytest.mark.parametrize("change", ["96 kHz", "one channel", "6 dB softer", "a channel turned over"])
def test_the_joins_are_the_same_whatever_the_recording_is_like(
    change: str, both_sides: list[Demo], recordings: list[tuple[Sound, SideTruth]]
) -> None:
    """Within 5 ms, as promised."""
    heard, truth = both_sides[1]
    audio, rate_hz = recordings[1][0], RATE_HZ
    if change == "96 kHz":
        audio, rate_hz = soxr.resample(audio, RATE_HZ, 96_000), 96_000
    elif change == "one channel":
        audio = audio.mean(axis=1, keepdims=True)
    elif change == "6 dB softer":
        audio = audio * np.float32(0.5)
    else:
        audio = audio * np.array([1.0, -1.0], np.float32)
    known = known_of(durations_s=sleeve(truth))
    expected = tracks_in(heard, known).tracks
    found = tracks_in(hear(ArrayReader(audio, rate_hz, "f32")), known).tracks
    for one, other in zip(expected, found, strict=True):
        assert one.start_sample / RATE_HZ == pytest.approx(other.start_sample / rate_hz, abs=0.005)
        assert one.end_sample / RATE_HZ == pytest.approx(other.end_sample / rate_hz, abs=0.005)


@pytest.mark.slow
def test_two_sides_in_one_take_are_told_apart(recordings: list[tuple[Sound, SideTruth]]) -> None:
    """Between them the deck alone is heard, far quieter than any groove."""
    rng = np.random.default_rng(3)
    deck = (rng.standard_normal((RATE_HZ * 6, 2)) * 2e-5).astype(np.float32)
    audio = [sound for sound, _ in recordings]
    durations = [track.duration_s for script in LANTERNS for track in script.tunes]
    both = np.concatenate([audio[0], deck, audio[1]])
    found = find_tracks(ArrayReader(both, RATE_HZ, "f32"), durations_s=durations)
    assert [side.tracks for side in found.sides] == [5, 5]
    turned = len(audio[0]) / RATE_HZ
    assert found.sides[0].end_sample / RATE_HZ == pytest.approx(turned + 3.0, abs=8.0)
    assert found.sides[0].end_sample == found.sides[1].start_sample


def test_silence_and_noise_alone_hold_no_track() -> None:
    rng = np.random.default_rng(5)
    assert find_tracks(ArrayReader(np.zeros((48_000 * 5, 2), np.float32), 48_000, "f32")).tracks == ()
    noise = (rng.standard_normal((48_000 * 20, 2)) * 0.001).astype(np.float32)
    assert find_tracks(ArrayReader(noise, 48_000, "f32")).tracks == ()
    assert find_tracks(ArrayReader(np.zeros((10, 1), np.float32), 48_000, "f32")).tracks == ()


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
