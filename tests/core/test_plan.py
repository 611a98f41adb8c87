"""Plans: every edit leads to a plan that holds, keeps every sample where it belongs, and can be taken back."""

from __future__ import annotations

import itertools

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from pydantic import TypeAdapter

from inkwell_groove.core.errors import Missing, Refused
from inkwell_groove.core.plan import Plan, TrackSpan, move_edge, move_join, remove_join, remove_track, split
from inkwell_groove.core.plan_edits import PlanEdit, apply, in_words
from tests.core.strategies import plans


def plan_of(*spans: tuple[int, int], samples: int = 1_000) -> Plan:
    tracks = tuple(
        TrackSpan(key=f"k{i}", start_sample=a, end_sample=b, confidence=0.9) for i, (a, b) in enumerate(spans)
    )
    return Plan(take_sha256="0" * 64, take_samples=samples, tracks=tracks)


def spans(plan: Plan) -> list[tuple[int, int]]:
    return [(track.start_sample, track.end_sample) for track in plan.tracks]


@settings(max_examples=1_000)
@given(plans(), st.data())
def test_any_edit_gives_a_plan_that_holds_and_survives_the_database(plan: Plan, data: st.DataObject) -> None:
    assume(plan.tracks)
    key = data.draw(st.sampled_from([track.key for track in plan.tracks]))
    anywhere = st.integers(-1_000, plan.take_samples + 1_000)
    edit = data.draw(
        st.one_of(
            st.builds(
                dict,
                op=st.just("move edge"),
                track_key=st.just(key),
                edge=st.sampled_from(["start", "end"]),
                to_sample=anywhere,
                carry=st.booleans(),
            ),
            st.builds(dict, op=st.just("move join"), track_key=st.just(key), by_samples=anywhere, carry=st.booleans()),
            st.builds(dict, op=st.just("add join"), at_sample=anywhere),
            st.builds(dict, op=st.sampled_from(["remove join", "remove track"]), track_key=st.just(key)),
        )
    )
    numbers = itertools.count()
    parsed: PlanEdit = TypeAdapter(PlanEdit).validate_python(edit)
    assert in_words(plan, parsed)
    try:
        changed = apply(plan, parsed, rate_hz=100, new_key=lambda: f"new{next(numbers)}")
    except Refused:
        assume(False)
        raise
    assert Plan.model_validate_json(changed.model_dump_json()) == changed  # the validators ran again
    assert abs(len(changed.tracks) - len(plan.tracks)) <= 1


@settings(max_examples=500)
@given(plans())
def test_with_gaps_kept_the_cuts_lose_nothing_between_the_first_start_and_the_last_end(plan: Plan) -> None:
    assume(plan.tracks)
    kept = plan.model_copy(update={"gaps": "kept"})
    cuts = [kept.cut(index) for index in range(len(kept.tracks))]
    assert cuts[0][0] == plan.tracks[0].start_sample
    assert cuts[-1][1] == plan.tracks[-1].end_sample
    assert all(before[1] == after[0] for before, after in itertools.pairwise(cuts))
    left_out = plan.model_copy(update={"gaps": "left out"})
    assert [left_out.cut(index) for index in range(len(plan.tracks))] == spans(plan)


@given(plans(), st.integers(0, 7), st.integers(-500, 500))
def test_a_carried_join_keeps_the_length_of_every_later_track(plan: Plan, index: int, by: int) -> None:
    assume(index < len(plan.tracks))
    moved = move_join(plan, plan.tracks[index].key, by, carry=True)
    assert [track.samples for track in moved.tracks[index:]] == [track.samples for track in plan.tracks[index:]]


def test_an_edge_stops_at_its_neighbour() -> None:
    assert spans(move_edge(plan_of((0, 100), (150, 300)), "k0", "end", 999)) == [(0, 150), (150, 300)]
    assert spans(move_edge(plan_of((0, 100), (150, 300)), "k1", "start", 0)) == [(0, 100), (100, 300)]


def test_an_edge_never_passes_its_own_track() -> None:
    assert spans(move_edge(plan_of((10, 100)), "k0", "start", 500)) == [(99, 100)]
    assert spans(move_edge(plan_of((10, 100)), "k0", "end", 0)) == [(10, 11)]


def test_a_join_moves_whole_gap_and_all() -> None:
    assert spans(move_join(plan_of((0, 100), (150, 300)), "k1", 20)) == [(0, 120), (170, 300)]


def test_sample_zero_is_a_place_like_any_other() -> None:
    assert spans(move_edge(plan_of((10, 100)), "k0", "start", 0)) == [(0, 100)]


def test_a_moved_edge_is_no_longer_the_finders() -> None:
    moved = move_edge(plan_of((0, 100), (150, 300)), "k0", "end", 110)
    assert [track.confidence for track in moved.tracks] == [None, 0.9]


def test_a_join_added_inside_a_track_divides_it_and_its_title_stays_with_the_first_part() -> None:
    changed = split(plan_of((0, 100)), 40, lambda: "new", track_samples=50)
    assert [(track.key, track.start_sample, track.end_sample) for track in changed.tracks] == [
        ("k0", 0, 40),
        ("new", 40, 100),
    ]


def test_a_join_added_outside_makes_a_track_as_long_as_there_is_room() -> None:
    assert spans(split(plan_of((100, 200)), 30, lambda: "new", track_samples=500)) == [(30, 100), (100, 200)]
    assert spans(split(plan_of(), 30, lambda: "new", track_samples=500)) == [(30, 530)]


def test_removing_a_join_runs_the_two_tracks_together_and_removing_the_first_frees_it() -> None:
    assert spans(remove_join(plan_of((0, 100), (150, 300)), "k1")) == [(0, 300)]
    assert spans(remove_join(plan_of((0, 100), (150, 300)), "k0")) == [(150, 300)]
    assert spans(remove_track(plan_of((0, 100), (150, 300), (300, 400)), "k1")) == [(0, 100), (300, 400)]


def test_what_cannot_be_is_refused_in_words() -> None:
    with pytest.raises(Refused, match="a join at this very place"):
        split(plan_of((0, 100)), 100, lambda: "new", track_samples=1)
    with pytest.raises(Refused, match="outside the side"):
        split(plan_of((0, 100)), 1_000, lambda: "new", track_samples=1)
    with pytest.raises(Missing, match="no track zz"):
        remove_track(plan_of((0, 100)), "zz")
    with pytest.raises(ValueError, match="overlap"):
        plan_of((0, 100), (99, 200))
    with pytest.raises(ValueError, match="after the take"):
        plan_of((0, 2_000))


def test_a_side_within_a_take_keeps_its_tracks_inside() -> None:
    side = Plan(take_sha256="a" * 64, take_samples=1_000, side_start_sample=400, side_end_sample=900)
    one = split(side, 500, lambda: "one", track_samples=10_000)
    assert (one.tracks[0].start_sample, one.tracks[0].end_sample) == (500, 900)
    assert move_edge(one, "one", "start", 0).tracks[0].start_sample == 400
    assert move_edge(one, "one", "end", 10_000).tracks[0].end_sample == 900
    for at in (400, 900, 950):
        with pytest.raises(Refused, match="outside the side's 400 to 900"):
            split(side, at, lambda: "x", track_samples=5)
    with pytest.raises(ValueError, match="the side cannot be 900 to 900"):
        Plan(take_sha256="a" * 64, take_samples=1_000, side_start_sample=900, side_end_sample=900)
    with pytest.raises(ValueError, match="before the side at 400"):
        Plan(**{**one.model_dump(), "tracks": [TrackSpan(key="k", start_sample=399, end_sample=500)]})
