"""Between the finder and a plan: what of a plan the finder must keep, and a plan with what it found."""

from __future__ import annotations

from collections.abc import Callable

from inkwell_groove.core.planning.plan import EdgeNote, Plan, SideFound, TrackSpan, with_tracks
from inkwell_groove.core.tracks.found import FixedJoin, FoundEdge, FoundTracks

_SAME_SAMPLES = 2  # seconds as floats may be a sample off


def fixed_joins(plan: Plan, rate_hz: int) -> list[FixedJoin]:
    """The joins of a plan that a person set or signed off, in seconds from the side's start."""

    def kept(note: EdgeNote) -> bool:
        return note.confidence is None or note.signed_by is not None

    def seconds(sample: int) -> float:
        return (sample - plan.side_start_sample) / rate_hz

    fixed = []
    for number, track in enumerate(plan.tracks):
        before = plan.tracks[number - 1] if number else None
        if kept(track.start) or (before is not None and kept(before.end)):
            end_s = None if before is None else seconds(before.end_sample)
            fixed.append(FixedJoin(end_s=end_s, start_s=seconds(track.start_sample)))
    if plan.tracks and kept(plan.tracks[-1].end):
        fixed.append(FixedJoin(end_s=seconds(plan.tracks[-1].end_sample), start_s=None))
    return fixed


def laid(plan: Plan, found: FoundTracks, catalogue_s: tuple[float | None, ...], new_key: Callable[[], str]) -> Plan:
    """The plan with the tracks that were found in its take. Raises Refused where they do not fit its side.

    Tracks keep their keys, and so their titles, by their order; what was kept keeps its place to the sample.
    """
    known = {track.start_sample: track.start for track in plan.tracks}
    known |= {track.end_sample: track.end for track in plan.tracks}

    def placed(sample: int, edge: FoundEdge | None) -> tuple[int, EdgeNote]:
        if edge is None or edge.by_hand:
            nearest = min(known, key=lambda one: abs(one - sample), default=sample)
            if abs(nearest - sample) <= _SAME_SAMPLES and nearest in known:
                return nearest, known[nearest]
            return sample, EdgeNote()
        return sample, EdgeNote(confidence=edge.confidence, reason=edge.reason)

    spans = []
    for index, track in enumerate(found.tracks):
        start, start_note = placed(track.start_sample, track.start)
        end, end_note = placed(track.end_sample, track.end)
        spans.append(
            TrackSpan(
                key=plan.tracks[index].key if index < len(plan.tracks) else new_key(),
                start_sample=start,
                end_sample=end,
                start=start_note,
                end=end_note,
                listed=track.listed,
            )
        )
    facts = SideFound(
        catalogue_s=catalogue_s,
        speed_ratio=found.speed_ratio,
        speed_from=found.speed_from,
        counts_gap=found.counts_gap,
        disbelieved=found.disbelieved,
        floor_dbfs=found.floor_dbfs,
        turn_overs=tuple(side.start_sample for side in found.sides[1:]),
    )
    return with_tracks(plan, tuple(spans)).model_copy(update={"found": facts})


def halves(plan: Plan, at_sample: int) -> tuple[list[float | None] | None, list[float | None] | None]:
    """The catalogue's durations of the tracks before a turn-over and of those after it; None where none are known."""
    if not plan.found.catalogue_s:
        return None, None
    parts: tuple[list[float | None], list[float | None]] = ([], [])
    for track in plan.tracks:
        told = None if track.listed is None else plan.found.catalogue_s[track.listed]
        parts[track.start_sample >= at_sample].append(told)
    return parts[0] or None, parts[1] or None
