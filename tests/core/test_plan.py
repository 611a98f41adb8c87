"""Plans: every edit leads to a plan that holds, keeps every sample where it belongs, and can be taken back."""

from __future__ import annotations

import itertools

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from pydantic import TypeAdapter

from inkwell_groove.core.errors import Missing, Refused
from inkwell_groove.core.planning.edits import PlanEdit, apply, in_words
from inkwell_groove.core.planning.moves import (
    add_track,
    close_join,
    move_edge,
    move_join,
    remove_join,
    remove_track,
    sign_off,
    split,
)
from inkwell_groove.core.planning.plan import EdgeNote, Plan, TrackSpan
from tests.core.strategies import plans
from tests.patience import examples


def plan_of(*spans: tuple[int, int], samples: int = 1_000) -> Plan:
    sure = EdgeNote(confidence=0.9)
    tracks = tuple(
        TrackSpan(key=f"k{i}", start_sample=a, end_sample=b, start=sure, end=sure) for i, (a, b) in enumerate(spans)
    )
    return Plan(take_sha256="0" * 64, take_samples=samples, tracks=tracks)


def spans(plan: Plan) -> list[tuple[int, int]]:
    return [(track.start_sample, track.end_sample) for track in plan.tracks]


@pytest.mark.slow
@settings(max_examples=examples(1_000))
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
            st.builds(dict, op=st.just("close join"), track_key=st.just(key), at_sample=anywhere),
            st.builds(
                dict,
                op=st.just("sign off"),
                track_key=st.just(key),
                edge=st.sampled_from(["start", "end"]),
                signed=st.booleans(),
            ),
            st.builds(
                dict,
                op=st.just("set margins"),
                lead_ms=st.integers(0, 9_000),
                tail_ms=st.integers(0, 9_000),
                fade_ms=st.integers(0, 900),
            ),
            st.builds(dict, op=st.just("set gaps"), gaps=st.sampled_from(["kept", "left out"])),
        )
    )
    numbers = itertools.count()
    parsed: PlanEdit = TypeAdapter(PlanEdit).validate_python(edit)
    assert in_words(plan, parsed)
    try:
        changed = apply(plan, parsed, rate_hz=100, new_key=lambda: f"new{next(numbers)}", who="Ada")
    except Refused:
        assume(False)
        raise
    assert Plan.model_validate_json(changed.model_dump_json()) == changed  # the validators ran again
    assert abs(len(changed.tracks) - len(plan.tracks)) <= 1


@settings(max_examples=examples(500))
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
    assert [(track.start.confidence, track.end.confidence) for track in moved.tracks] == [(0.9, None), (0.9, 0.9)]
    assert [track.confidence for track in moved.tracks] == [0.9, 0.81]


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


@st.composite
def histories(draw: st.DrawFn) -> tuple[Plan, list[dict[str, object]]]:
    """A plan of up to eight tracks and up to a dozen edits, each naming a track by where it stands."""
    plan = draw(plans())
    anywhere = st.integers(-100, plan.take_samples + 100)
    edit = st.one_of(
        st.builds(dict, op=st.just("move edge"), edge=st.sampled_from(["start", "end"]), to_sample=anywhere),
        st.builds(dict, op=st.just("move join"), by_samples=st.integers(-400, 400), carry=st.booleans()),
        st.builds(dict, op=st.just("add join"), at_sample=anywhere),
        st.builds(dict, op=st.just("add track"), from_sample=anywhere, to_sample=anywhere),
        st.builds(dict, op=st.sampled_from(["remove join", "remove track"])),
        st.builds(dict, op=st.just("close join"), at_sample=anywhere),
        st.builds(dict, op=st.just("sign off"), signed=st.booleans()),
    )
    return plan, draw(st.lists(edit, max_size=12))


@pytest.mark.slow
@settings(max_examples=examples(500))
@given(histories(), st.randoms(use_true_random=False))
def test_any_sequence_of_edits_holds_and_what_is_signed_off_stays(
    history: tuple[Plan, list[dict[str, object]]], random: object
) -> None:
    plan, edits = history
    numbers = itertools.count()
    versions, written = [plan], [plan.model_dump_json()]
    for one in edits:
        raw = dict(one)
        if raw["op"] not in ("add track", "add join"):
            if not plan.tracks:
                continue
            raw["track_key"] = plan.tracks[random.randrange(len(plan.tracks))].key  # type: ignore[attr-defined]
        parsed: PlanEdit = TypeAdapter(PlanEdit).validate_python(raw)
        locked = {
            (track.key, edge): getattr(track, f"{edge}_sample")
            for track in plan.tracks
            for edge in ("start", "end")
            if getattr(track, edge).signed_by and raw["op"] not in ("remove track", "remove join", "add track")
        }
        try:
            plan = apply(plan, parsed, rate_hz=100, new_key=lambda: f"new{next(numbers)}", who="Ada")
        except Refused:
            continue
        assert Plan.model_validate_json(plan.model_dump_json()) == plan  # ordered, apart and inside: checked there
        now = {
            (track.key, edge): getattr(track, f"{edge}_sample") for track in plan.tracks for edge in ("start", "end")
        }
        if raw["op"] != "add join":  # a track divided keeps its end in its second part
            assert all(now.get(place) == sample for place, sample in locked.items())
        versions.append(plan)
        written.append(plan.model_dump_json())
    # Undo goes back to an older version: no edit may have changed it.
    assert [version.model_dump_json() for version in versions] == written


def test_a_selection_becomes_a_track_and_the_others_lose_it() -> None:
    keys = iter("xyz")
    inside = add_track(plan_of((0, 1_000)), 300, 400, lambda: next(keys))
    assert spans(inside) == [(0, 300), (300, 400), (400, 1_000)]
    assert spans(add_track(plan_of((0, 100), (150, 300)), 80, 200, lambda: "x")) == [(0, 80), (80, 200), (200, 300)]
    assert spans(add_track(plan_of((100, 200), (250, 300)), 50, 900, lambda: "x")) == [(50, 900)]
    with pytest.raises(Refused, match="outside the side"):
        add_track(plan_of((0, 100)), 2_000, 3_000, lambda: "x")


def test_back_to_back_joins_lose_no_sample() -> None:
    closed = close_join(plan_of((0, 100), (150, 300)), "k1", 120)
    assert spans(closed) == [(0, 120), (120, 300)]
    generous = closed.model_copy(update={"lead_samples": 50, "tail_samples": 50, "gaps": "left out"})
    assert [generous.cut(index) for index in range(2)] == [(0, 120), (120, 350)]
    with pytest.raises(Refused, match="before the first track"):
        close_join(closed, "k0", 0)


def test_a_join_that_is_signed_off_is_locked_and_stops_what_is_carried() -> None:
    plan = sign_off(plan_of((0, 100), (150, 300), (320, 400)), "k2", "start", "Ada")
    assert (plan.tracks[1].end.signed_by, plan.tracks[2].start.signed_by) == ("Ada", "Ada")
    for change in (
        lambda: move_edge(plan, "k2", "start", 330),
        lambda: move_edge(plan, "k1", "end", 280),
        lambda: move_join(plan, "k2", 5),
        lambda: remove_join(plan, "k2"),
        lambda: close_join(plan, "k2", 310),
        lambda: add_track(plan, 310, 350, lambda: "x"),
    ):
        with pytest.raises(Refused, match="Ada has signed this join off"):
            change()
    assert spans(move_join(plan, "k1", 30, carry=True)) == [(0, 130), (180, 300), (320, 400)]
    free = sign_off(plan, "k1", "end", None)  # the end before a join stands for the join
    assert spans(move_join(free, "k1", 30, carry=True)) == [(0, 130), (180, 330), (350, 430)]


def test_lead_and_tail_are_kept_as_far_as_there_is_room() -> None:
    plan = plan_of((100, 200), (230, 300), (300, 400)).model_copy(
        update={"lead_samples": 20, "tail_samples": 15, "fade_samples": 8, "gaps": "left out"}
    )
    assert [plan.cut(index) for index in range(3)] == [(80, 210), (210, 300), (300, 415)]
    assert [plan.fades(index) for index in range(3)] == [(8, 0), (0, 0), (0, 8)]
    kept = plan.model_copy(update={"gaps": "kept"})
    assert [kept.cut(index) for index in range(3)] == [(80, 210), (210, 300), (300, 415)]


def test_a_plan_from_before_each_end_had_its_own_note_is_read() -> None:
    old = {"key": "k", "start_sample": 0, "end_sample": 9, "confidence": 0.81}
    assert TrackSpan.model_validate(old).end.confidence == pytest.approx(0.9)
    assert TrackSpan.model_validate({**old, "confidence": None}).confidence is None
