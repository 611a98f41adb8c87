"""What of a plan the finder keeps, and a plan with what it found."""

from __future__ import annotations

from inkwell_groove.core.planning.found_tracks import fixed_joins, halves, laid
from inkwell_groove.core.planning.plan import EdgeNote, Plan, SideFound, TrackSpan
from inkwell_groove.core.tracks.found import FixedJoin, FoundEdge, FoundSide, FoundTrack, FoundTracks

SURE = EdgeNote(confidence=0.9, reason="gap")
SIGNED = EdgeNote(confidence=0.9, signed_by="Ada")


def plan(*tracks: TrackSpan, **more: object) -> Plan:
    return Plan(take_sha256="0" * 64, take_samples=10_000, side_start_sample=1_000, tracks=tracks, **more)  # type: ignore[arg-type]


def span(key: str, start: int, end: int, start_note: EdgeNote = SURE, end_note: EdgeNote = SURE) -> TrackSpan:
    return TrackSpan(key=key, start_sample=start, end_sample=end, start=start_note, end=end_note)


def found(*places: tuple[int, int], by_hand: tuple[int, ...] = ()) -> FoundTracks:
    def edge(sample: int) -> FoundEdge:
        return FoundEdge(confidence=0.8, reason="gap 2 s", by_hand=sample in by_hand)

    tracks = tuple(
        FoundTrack(start_sample=a, end_sample=b, confidence=0.6, start=edge(a), end=edge(b)) for a, b in places
    )
    sides = tuple(FoundSide(start_sample=at, end_sample=at + 5_000, tracks=1) for at in (0, 5_000))
    return FoundTracks(tracks=tracks, sides=sides, speed_ratio=1.01, speed_from="turns", floor_dbfs=-60.0)


def test_what_a_person_set_or_signed_off_is_kept_as_whole_joins() -> None:
    side = plan(span("a", 1_500, 2_000), span("b", 2_500, 4_000, EdgeNote()), span("c", 5_000, 6_000, SURE, SIGNED))
    assert fixed_joins(side, 1_000) == [FixedJoin(end_s=1.0, start_s=1.5), FixedJoin(end_s=5.0, start_s=None)]
    assert fixed_joins(plan(span("a", 1_500, 2_000)), 1_000) == []
    assert fixed_joins(plan(span("a", 1_500, 2_000, EdgeNote())), 1_000) == [FixedJoin(end_s=None, start_s=0.5)]


def test_tracks_keep_their_keys_and_what_was_kept_its_sample_and_its_note() -> None:
    side = plan(span("a", 1_500, 2_000, SIGNED), span("b", 2_500, 4_000))
    new = laid(side, found((1_501, 2_100), (2_600, 4_100), (4_500, 5_000), by_hand=(1_501,)), (0.6, None), lambda: "c")
    assert [(track.key, track.start_sample) for track in new.tracks] == [("a", 1_500), ("b", 2_600), ("c", 4_500)]
    assert new.tracks[0].start == SIGNED
    assert new.tracks[1].start == EdgeNote(confidence=0.8, reason="gap 2 s")
    assert new.found == SideFound(
        catalogue_s=(0.6, None), speed_ratio=1.01, speed_from="turns", floor_dbfs=-60.0, turn_overs=(5_000,)
    )


def test_a_turn_over_divides_the_durations_too() -> None:
    tracks = tuple(
        span(key, 1_000 + 2_000 * number, 2_900 + 2_000 * number).model_copy(update={"listed": listed})
        for number, (key, listed) in enumerate((("a", 1), ("b", None), ("c", 0)))
    )
    side = plan(*tracks, found=SideFound(catalogue_s=(10.0, 20.0)))
    assert halves(side, 4_000) == ([20.0, None], [10.0])
    assert halves(side, 1_000) == (None, [20.0, None, 10.0])
    assert halves(plan(*tracks), 4_000) == (None, None)
