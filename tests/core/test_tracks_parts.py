"""The parts of the finder, each on its own."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.signal import butter, sosfilt

from inkwell_groove.core.tracks.arrange import Known, arrange
from inkwell_groove.core.tracks.candidates import Join, applause
from inkwell_groove.core.tracks.declick import HOP, bridge, step_medians
from inkwell_groove.core.tracks.hearing import RATE_HZ, Heard, hear
from inkwell_groove.core.tracks.noise import noise_of
from inkwell_groove.core.tracks.snap import snapped
from inkwell_groove.core.tracks.turns import turns_in
from tests.sounds import ArrayReader


def noise(seconds: float, rate_hz: int = 44_100, level: float = 0.001, seed: int = 5) -> np.ndarray:
    rng = np.random.default_rng(seed)
    return (rng.standard_normal((round(seconds * rate_hz), 2)) * level).astype(np.float32)


def test_what_is_heard_does_not_depend_on_the_size_of_the_blocks() -> None:
    reader = ArrayReader(noise(31.7), 44_100, "f32")
    whole = hear(reader, block_samples=1 << 24)
    for block in (997, 65_536):
        other = hear(reader, block_samples=block)
        np.testing.assert_allclose(other.bands, whole.bands, rtol=1e-3)
        assert other.hops == whole.hops
        np.testing.assert_allclose(other.clicks_s, whole.clicks_s, atol=1e-9)


@pytest.mark.parametrize(("word", "dtype", "scale"), [("s16", np.int16, 2**15), ("s24", np.int32, 2**31)])
def test_every_word_is_heard_alike(word: str, dtype: type, scale: int) -> None:
    sound = noise(2.0, level=0.05)
    as_words = np.round(sound.astype(np.float64) * scale).astype(dtype)
    heard, plain = hear(ArrayReader(as_words, 44_100, word)), hear(ArrayReader(sound, 44_100, "f32"))
    np.testing.assert_allclose(heard.bands, plain.bands, rtol=2e-2)


def test_what_was_heard_is_kept_and_read_again(tmp_path: Path) -> None:
    heard = hear(ArrayReader(noise(3.0), 44_100, "f32"))
    heard.save(tmp_path / "heard")
    again = Heard.load(tmp_path / "heard")
    assert again is not None
    for name, value in vars(heard).items():
        np.testing.assert_array_equal(getattr(again, name), value)
    (tmp_path / "heard").write_bytes((tmp_path / "heard").read_bytes()[:-900])
    assert Heard.load(tmp_path / "heard") is None
    assert Heard.load(tmp_path / "none") is None


def test_clicks_leave_no_trace_in_the_levels_and_are_noted() -> None:
    quiet = noise(8.0, level=0.001)
    clicked = quiet.copy()
    rng = np.random.default_rng(7)
    places = np.sort(rng.choice(np.arange(2_000, len(quiet) - 2_000, 700), 240, replace=False))  # thirty a second
    for place in places:
        clicked[place : place + 20] += np.float32(0.3) * np.hanning(20)[:, None].astype(np.float32)
    plain, damaged = (hear(ArrayReader(data, 44_100, "f32")) for data in (quiet, clicked))
    difference_db = 10 * np.log10(damaged.bands.sum(axis=1) / plain.bands.sum(axis=1))
    assert np.percentile(np.abs(difference_db), 95) < 1.5
    found = sum(np.abs(damaged.clicks_s - place / 44_100).min() < 0.001 for place in places)
    assert found > 0.95 * len(places)


def test_music_that_begins_is_no_click() -> None:
    sound = np.zeros(HOP * 20 + 2, np.float32)
    sound += np.random.default_rng(3).standard_normal(len(sound)).astype(np.float32) * 1e-4
    sound[HOP * 10 :] += 0.3 * np.sin(np.arange(len(sound) - HOP * 10) * 0.9).astype(np.float32)
    before = sound.copy()
    bridge(sound, step_medians(before), np.zeros(99, np.int64), np.zeros(99, np.float32))
    np.testing.assert_array_equal(sound[HOP * 10 + 10 : HOP * 12], before[HOP * 10 + 10 : HOP * 12])


def test_the_quietest_stretch_is_not_the_floor() -> None:
    """Before the needle is down and after it is lifted the deck alone is 25 dB quieter than the groove."""
    t = np.arange(44_100 * 20) / 44_100
    music = (0.2 * np.sin(2 * np.pi * 440 * t) * np.sin(2 * np.pi * 3 * t) ** 2)[:, None].astype(np.float32)
    groove = [noise(6.0, level=0.002, seed=2), noise(20.0, level=0.002, seed=3) + music, noise(6.0, level=0.002)]
    deck = noise(5.0, level=0.0001, seed=4)
    heard = hear(ArrayReader(np.concatenate([deck, *groove, deck]), 44_100, "f32"))
    found = noise_of(heard)
    alone = noise_of(hear(ArrayReader(np.concatenate(groove), 44_100, "f32")))
    assert found.level_dbfs == pytest.approx(alone.level_dbfs, abs=0.5)
    assert found.deck[: 4 * 100].all() and not found.deck[6 * 100 : 30 * 100].any()


def test_applause_is_told_from_the_groove_and_from_a_chord() -> None:
    rng = np.random.default_rng(9)
    t = np.arange(44_100 * 8) / 44_100
    chord = sum(0.05 * np.sin(2 * np.pi * hz * t) for hz in (220, 277, 330, 440))[:, None].astype(np.float32)
    hands = np.zeros(44_100 * 8, np.float32)
    for place in rng.integers(0, len(hands) - 400, 6_000):
        hands[place : place + 400] += rng.standard_normal(400).astype(np.float32) * np.exp(-np.arange(400) / 100.0)
    hands = sosfilt(butter(1, [900, 3_500], btype="bandpass", fs=44_100, output="sos"), hands).astype(np.float32)
    hands *= np.float32(0.05 / hands.std())
    sound = np.concatenate([noise(6), noise(8) + chord, noise(8) + hands[:, None], noise(8) + chord, noise(6)])
    heard = hear(ArrayReader(sound, 44_100, "f32"))
    ((begin, end),) = applause(heard, noise_of(heard))
    assert begin == pytest.approx(14.0, abs=0.6)
    assert end == pytest.approx(22.0, abs=0.6)


@pytest.mark.parametrize(("rpm", "turn_s"), [(100 / 3, 1.8), (45.0, 60 / 45), (78.26, 60 / 78.26)])
@given(speed=st.floats(0.95, 1.05), seed=st.integers(0, 99), turns=st.integers(5, 9))
@settings(max_examples=20)
def test_a_locked_groove_tells_the_speed(rpm: float, turn_s: float, speed: float, seed: int, turns: int) -> None:
    """One tick a turn (1.8 s, 1.333 s and 0.7667 s: common practice), among other clicks."""
    rng = np.random.default_rng(seed)
    ticks = 3.0 + turn_s / speed * np.arange(turns) + rng.normal(0, 0.0001, turns)
    clicks = np.sort(np.concatenate([ticks, rng.uniform(2.0, ticks[-1] + 1, 4)]))
    found = turns_in(clicks, np.full(len(clicks), 9.0, np.float32), 2.0, ticks[-1] + 1, rpm=rpm)
    assert found is not None
    assert found.speed == pytest.approx(speed, rel=0.001)


@given(seed=st.integers(0, 500))
@settings(max_examples=40)
def test_clicks_at_random_tell_no_speed(seed: int) -> None:
    rng = np.random.default_rng(seed)
    clicks = np.sort(rng.uniform(0, 12, 7))
    found = turns_in(clicks, np.full(7, 9.0, np.float32), 0.0, 12.0)
    assert found is None or found.chance < 0.003


@st.composite
def sides(draw: st.DrawFn) -> tuple[list[float], list[float], float]:
    durations = draw(st.lists(st.integers(60, 400).map(float), min_size=2, max_size=9))
    gaps = draw(st.lists(st.floats(1.0, 3.0), min_size=len(durations), max_size=len(durations)))
    return durations, gaps, draw(st.floats(0.985, 1.015))


@pytest.mark.slow
@given(sides())
@settings(max_examples=40, deadline=None)
def test_durations_choose_the_joins_among_many_rests(side: tuple[list[float], list[float], float]) -> None:
    durations, gaps, speed = side
    joins, truth, at = [], [], 5.0
    for duration, gap in zip(durations, gaps, strict=True):
        for share in (0.21, 0.47, 0.83):  # rests, which look like gaps
            joins.append(Join(at + share * duration / speed, at + share * duration / speed + 1.4, "gap", 1.0, 0.1))
        at += duration / speed
        joins.append(Join(at, at + gap, "gap", 1.0, 0.1))
        truth.append(at + gap)
        at += gap
    last = joins.pop()
    joins.sort(key=lambda join: join.start_s)
    found = arrange(joins, 5.0, last.end_s, Known(tuple(durations), len(durations)))
    assert [join.start_s for join in found.joins] == pytest.approx(truth[:-1], abs=0.01)
    assert found.speed == pytest.approx(speed, abs=0.004) or found.speed_spread > 0.01
    assert all(0 <= sure <= 1 for sure in found.sure)


def test_the_quietest_moment_and_the_zero_crossing() -> None:
    t = np.arange(48_000) / 48_000
    sound = (np.sin(2 * np.pi * 100 * t) * np.abs(t - 0.4))[:, None].astype(np.float32)
    reader = ArrayReader(sound, 48_000, "f32")
    assert snapped(reader, 24_000, "quietest moment", 0, 48_000) == pytest.approx(19_200, abs=300)
    assert snapped(reader, 24_000, "quietest moment", 23_000, 48_000) == pytest.approx(23_000, abs=400)
    assert snapped(reader, 12_100, "zero crossing", 0, 48_000) == pytest.approx(12_000, abs=1)
    assert RATE_HZ == 24_000
