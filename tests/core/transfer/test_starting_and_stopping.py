"""An armed transfer begins with the stylus and not with a thump, and ends where the side does."""

from __future__ import annotations

import numpy as np
import pytest

from inkwell_groove.core.transfer.block import Block, from_float
from inkwell_groove.core.transfer.starting import Beginning, StartWatch
from inkwell_groove.core.transfer.stopping import Ends, Reason, StopWatch, repeats
from tests.core.transfer.scenes import (
    RATE_HZ,
    Audio,
    Scene,
    blocks_of,
    bump,
    groove_noise,
    handling_only,
    hiss,
    needle_drop,
    put,
)
from tests.patience import some


def begins(scene: Scene) -> Beginning | None:
    watch = StartWatch(rate_hz=RATE_HZ, channels=2)
    return next((found for block in scene.blocks() if (found := watch.feed(block))), None)


@pytest.mark.slow
@pytest.mark.parametrize("group", range(2))
def test_of_200_needle_drops_none_is_missed_and_none_begins_late(group: int) -> None:
    for seed in some(range(100 * group, 100 * (group + 1))):
        scene = needle_drop(seed)
        found = begins(scene)
        assert found is not None, f"drop {seed} was missed"
        assert found.sample <= scene.lands_at, f"drop {seed}: begun {found.sample - scene.lands_at} samples late"
        assert found.sample > scene.lands_at - 0.7 * RATE_HZ, f"drop {seed}: begun by the handling before it"


@pytest.mark.slow
def test_handling_noise_begins_nothing() -> None:
    for seed in some(range(60)):
        assert begins(handling_only(seed)) is None, f"handling {seed} was taken for a record"


def test_a_single_thump_is_no_music_however_loud() -> None:
    rng = np.random.default_rng(5)
    audio = hiss(rng, 8 * RATE_HZ, -95)
    put(audio, 4 * RATE_HZ, 1.5 * bump(rng))
    assert begins(Scene(from_float(audio), 0, 0)) is None


def test_music_from_a_silent_line_begins_it_too() -> None:
    rng = np.random.default_rng(6)
    audio = hiss(rng, 8 * RATE_HZ, -110)
    t = np.arange(4 * RATE_HZ) / RATE_HZ
    audio[4 * RATE_HZ :] += (0.05 * sum(np.sin(2 * np.pi * hz * t) for hz in (311, 466, 622)))[:, None]
    found = begins(Scene(from_float(audio), 0, 0))
    assert found is not None
    assert found.why == "the music started"
    assert 3.3 * RATE_HZ < found.sample <= 4 * RATE_HZ


def test_the_buzz_of_a_lost_earth_is_no_music_however_long() -> None:
    rng = np.random.default_rng(7)
    audio = hiss(rng, 12 * RATE_HZ, -95)
    t = np.arange(9 * RATE_HZ) / RATE_HZ
    audio[3 * RATE_HZ :] += (0.05 * sum(np.sin(2 * np.pi * 50 * k * t) / k for k in range(1, 20)))[:, None]
    assert begins(Scene(from_float(audio), 0, 0)) is None


def test_a_side_that_ended_just_before_does_not_hide_the_next_landing() -> None:
    # Armed again in the run-out: the stylus is lifted, turned over in six seconds, and lands on as quiet a groove.
    rng = np.random.default_rng(8)
    audio = hiss(rng, 22 * RATE_HZ, -92)
    for first, last in ((0, 8), (15, 22)):
        audio[first * RATE_HZ : last * RATE_HZ] += groove_noise(rng, (last - first) * RATE_HZ, -58)
    found = begins(Scene(from_float(audio), 0, 0))
    assert found is not None
    assert 14.3 * RATE_HZ < found.sample <= 15 * RATE_HZ


def test_what_begins_does_not_depend_on_how_it_is_cut_into_blocks() -> None:
    scene = needle_drop(3)
    found = []
    for size in (97, 640, 5_000):
        watch = StartWatch(rate_hz=RATE_HZ, channels=2)
        found.append(next(f for block in blocks_of(scene.samples, size) if (f := watch.feed(block))))
    assert len({one.sample for one in found}) == 1


def side(
    *, music_s: float = 20, quiet_s: float = 0, run_out_s: float = 30, turn_s: float | None = 1.8, seed: int = 1
) -> Audio:
    """Lead-in, loud music, a soft passage, then a run-out that ticks once a turn."""
    rng = np.random.default_rng(seed)
    lead, loud, soft, out = (round(s * RATE_HZ) for s in (2, music_s, quiet_s, run_out_s))
    audio = groove_noise(rng, lead + loud + soft + out, -58)
    t = np.arange(loud + soft) / RATE_HZ
    melody = np.sin(2 * np.pi * 220 * (1 + np.floor(t * 2) % 5 / 6) * t) + 0.5 * np.sin(2 * np.pi * 1_100 * t)
    strength = np.where(t < music_s, 0.25, 0.25 * 10 ** (-30 / 20)) * (0.8 + 0.2 * np.sin(9 * t))
    audio[lead : lead + loud + soft] += (melody * strength)[:, None]
    if turn_s is not None:
        tick = 0.04 * np.exp(-np.arange(400) / 70) * np.sin(np.arange(400) * 0.15)
        for at in range(lead + loud + soft, len(audio) - 400, round(turn_s * RATE_HZ)):
            audio[at : at + 400] += tick[:, None]
    return audio


def ends(audio: Audio, how: Ends, *, idle_high_dbfs: float | None = -95.0) -> tuple[Reason | None, float]:
    watch = StopWatch(how, rate_hz=RATE_HZ, channels=2, idle_high_dbfs=idle_high_dbfs)
    for block in blocks_of(from_float(audio)):
        if reason := watch.feed(block):
            return reason, block.end_sample / RATE_HZ
    return None, len(audio) / RATE_HZ


@pytest.mark.parametrize("turn_s", [1.8, 60 / 45, 60 / 78.26])
def test_the_run_out_groove_ends_it(turn_s: float) -> None:
    reason, at_s = ends(side(turn_s=turn_s), Ends(silence_s=None))
    assert reason == "run-out groove"
    assert 22 + 5 * turn_s < at_s < 22 + 6 * turn_s + 3


def test_a_run_out_that_says_nothing_ends_it_by_its_silence() -> None:
    reason, at_s = ends(side(turn_s=None), Ends(silence_s=12))
    assert reason == "silence"
    assert 33 < at_s < 36


def test_a_soft_passage_is_no_end() -> None:
    reason, at_s = ends(side(quiet_s=25, run_out_s=25, turn_s=None), Ends(silence_s=15))
    assert reason == "silence"
    assert at_s > 2 + 20 + 25 + 14


def test_without_being_asked_nothing_ends_it() -> None:
    assert ends(side(), Ends(at_run_out=False, silence_s=None))[0] is None


def test_the_time_limit_holds_whatever_plays() -> None:
    assert ends(side(), Ends(limit_s=11)) == ("time limit", pytest.approx(11, abs=0.05))


def test_a_lifted_stylus_ends_it() -> None:
    rng = np.random.default_rng(3)
    audio = side(run_out_s=2, turn_s=None)
    audio = np.concatenate([audio, hiss(rng, 10 * RATE_HZ, -97)])
    reason, at_s = ends(audio, Ends(silence_s=60))
    assert reason == "stylus lifted"
    assert 27 < at_s < 31


def test_begun_by_hand_before_the_stylus_the_idling_is_not_taken_for_the_groove() -> None:
    rng = np.random.default_rng(4)
    audio = np.concatenate([hiss(rng, 5 * RATE_HZ, -97), side()])
    assert ends(audio, Ends(silence_s=20), idle_high_dbfs=None)[0] in ("run-out groove", "silence")


def test_only_what_repeats_at_the_turn_is_a_turn() -> None:
    rng = np.random.default_rng(2)
    envelope = rng.normal(-60, 1, 600)
    assert not repeats(envelope, 90)
    envelope[::90] += 25
    assert repeats(envelope, 90)
    assert not repeats(envelope, 67)
    assert not repeats(-60 + 10 * np.sin(np.arange(600) / 40), 90)
    assert not repeats(np.full(600, -60.0), 90)


def test_an_ear_that_misses_samples_goes_on_with_a_new_frame() -> None:
    watch = StartWatch(rate_hz=RATE_HZ, channels=2)
    quiet = np.zeros((1_000, 2), dtype=np.int32)
    for number in range(200):
        assert watch.feed(Block(number, number * 1_300, 0.0, quiet)) is None
