"""The demo archive: made from seeds, the same every time, with the truth beside it."""

from __future__ import annotations

import numpy as np
import pytest

from inkwell_groove.core.artwork import examine
from inkwell_groove.demo.sides import LANTERNS, make_side
from inkwell_groove.demo.sleeve import lanterns_cover

RATE_HZ = 16_000


@pytest.mark.parametrize("script", LANTERNS, ids=lambda script: script.letter)
def test_a_side_is_the_same_every_time_and_never_clips(script: object) -> None:
    first, truth = make_side(script, rate_hz=RATE_HZ, stretch=0.3)  # type: ignore[arg-type]
    second, _ = make_side(script, rate_hz=RATE_HZ, stretch=0.3)  # type: ignore[arg-type]
    np.testing.assert_array_equal(first, second)
    assert np.abs(first).max() < 1.0
    assert len(truth.tracks) == 5
    assert truth.samples == len(first)


def test_the_truth_is_true_tracks_are_loud_and_gaps_are_quiet() -> None:
    audio, truth = make_side(LANTERNS[0], rate_hz=RATE_HZ, stretch=0.3)
    first, second = truth.tracks[0], truth.tracks[1]

    def level(start: int, end: int) -> float:
        return float(np.median(np.abs(audio[start:end])))

    assert level(first.start_sample, first.end_sample) > 20 * level(first.end_sample + 800, second.start_sample - 800)
    assert (first.end_sample - first.start_sample) / RATE_HZ == pytest.approx(first.sleeve_duration_s / 1.006, abs=0.01)


def test_every_click_lies_where_the_truth_says() -> None:
    audio, truth = make_side(LANTERNS[1], rate_hz=RATE_HZ, stretch=0.3)
    assert len(truth.clicks) > 20
    run_out = [click for click in truth.clicks if click.start > truth.tracks[-1].end_sample]
    for click in run_out:
        around = np.abs(audio[click.start - 400 : click.start - 20]).max()
        inside = np.abs(audio[click.start : click.start + click.length]).max()
        assert inside > 1.5 * around or inside > 0.02


def test_the_tracks_that_run_together_have_no_gap_and_the_cover_needs_no_advice() -> None:
    _, truth = make_side(LANTERNS[1], rate_hz=RATE_HZ, stretch=0.1)
    assert truth.tracks[2].end_sample == truth.tracks[3].start_sample
    assert examine(lanterns_cover(), name="cover").advice == ()
