"""How a plan's tracks are moved, divided, joined and signed off. Each returns another plan; none changes one.

A join that was signed off is locked: what would move it is refused, and what is carried stops before it.
"""

from __future__ import annotations

from collections.abc import Callable

from inkwell_groove.core.errors import Refused
from inkwell_groove.core.planning.plan import BY_HAND, MIN_TRACK_SAMPLES, Edge, EdgeNote, Plan, TrackSpan, with_tracks


def move_edge(plan: Plan, key: str, edge: Edge, to_sample: int, *, carry: bool = False) -> Plan:
    """The plan with one edge of a track at `to_sample`, clipped so that nothing overlaps and no track vanishes.

    An edge that touches its neighbour's pulls a gap open or stops there; `carry` moves every later edge by the same
    amount, up to the first join that is signed off, so that the lengths of the tracks between stay.
    """
    index = plan.index_of(key)
    track = plan.tracks[index]
    _unlocked(track.start if edge == "start" else track.end, index, edge)
    now = track.start_sample if edge == "start" else track.end_sample
    last = _carried_to(plan, index, edge) if carry else None
    low, high = _room(plan, index, edge)
    if last is not None:
        high = _carry_room(plan, last) + now
    by = max(low, min(high, to_sample)) - now
    tracks = list(plan.tracks)
    tracks[index] = _shifted(track, start=by if edge == "start" else 0, end=by if edge == "end" else 0)
    return with_tracks(plan, tuple(_carry(tracks, index, edge, last, by)))


def move_join(plan: Plan, key: str, by_samples: int, *, carry: bool = False) -> Plan:
    """The plan with the join before track `key` moved whole: the end before it, the gap, and its start.

    Before the first track there is only its start to move. Clipped like `move_edge`.
    """
    index = plan.index_of(key)
    track = plan.tracks[index]
    if index == 0:
        return move_edge(plan, key, "start", track.start_sample + by_samples, carry=carry)
    before = plan.tracks[index - 1]
    _unlocked(track.start, index, "start")
    _unlocked(before.end, index - 1, "end")
    low = before.start_sample + MIN_TRACK_SAMPLES - before.end_sample
    last = _carried_to(plan, index, "start") if carry else None
    high = _carry_room(plan, last) if last is not None else track.end_sample - MIN_TRACK_SAMPLES - track.start_sample
    by = max(low, min(high, by_samples))
    tracks = list(plan.tracks)
    tracks[index - 1] = _shifted(before, end=by)
    tracks[index] = _shifted(track, start=by)
    return with_tracks(plan, tuple(_carry(tracks, index, "start", last, by)))


def split(plan: Plan, at_sample: int, new_key: Callable[[], str], *, track_samples: int) -> Plan:
    """The plan with a join added at a sample.

    Inside a track it divides it in two that touch; the first keeps its key. Outside all tracks a new track is made
    there, up to `track_samples` long or as far as there is room.
    """
    if not plan.side_start_sample < at_sample < plan.end_sample:
        raise Refused(
            f"sample {at_sample} is outside the side's {plan.side_start_sample} to {plan.end_sample}",
            remedy="Choose a place in the side",
        )
    tracks = list(plan.tracks)
    for index, track in enumerate(tracks):
        if track.start_sample < at_sample < track.end_sample:
            later = TrackSpan(key=new_key(), start_sample=at_sample, end_sample=track.end_sample, end=track.end)
            tracks[index : index + 1] = [
                track.model_copy(update={"end_sample": at_sample, "end": BY_HAND, "listed": None}),
                later,
            ]
            return with_tracks(plan, tuple(tracks))
        if at_sample in (track.start_sample, track.end_sample):
            raise Refused("there is a join at this very place", remedy="Move it, or choose another place")
    after = [track.start_sample for track in tracks if track.start_sample > at_sample]
    end = min([plan.end_sample, at_sample + track_samples, *after])
    tracks.append(TrackSpan(key=new_key(), start_sample=at_sample, end_sample=end))
    return with_tracks(plan, tuple(sorted(tracks, key=lambda track: track.start_sample)))


def add_track(plan: Plan, from_sample: int, to_sample: int, new_key: Callable[[], str]) -> Plan:
    """The plan with a stretch made a track of its own: what other tracks have of it they lose.

    A track it lies within goes on after it as another one; one that lies wholly within it goes.
    """
    first, last = max(from_sample, plan.side_start_sample), min(to_sample, plan.end_sample)
    if last - first < MIN_TRACK_SAMPLES:
        raise Refused("a selection outside the side is no track", remedy="Select a stretch of the side")
    tracks = [TrackSpan(key=new_key(), start_sample=first, end_sample=last)]
    for number, track in enumerate(plan.tracks):
        if track.end_sample <= first or track.start_sample >= last:
            tracks.append(track)
            continue
        if first < track.end_sample <= last or track.end_sample > last:
            _unlocked(track.end if track.end_sample <= last else BY_HAND, number, "end")
        _unlocked(track.start if track.start_sample >= first else BY_HAND, number, "start")
        before, after = track.start_sample < first, track.end_sample > last
        if before:
            tracks.append(track.model_copy(update={"end_sample": first, "end": BY_HAND}))
        if after:
            rest = {"start_sample": last, "start": BY_HAND, "listed": None if before else track.listed}
            tracks.append(track.model_copy(update={**rest, "key": new_key() if before else track.key}))
    return with_tracks(plan, tuple(sorted(tracks, key=lambda track: track.start_sample)))


def remove_join(plan: Plan, key: str) -> Plan:
    """The plan with the join before track `key` gone: the track before it runs on to this one's end.

    For the first track, which has none before it, the track itself goes.
    """
    index = plan.index_of(key)
    tracks = list(plan.tracks)
    _unlocked(tracks[index].start, index, "start")
    if index == 0:
        return with_tracks(plan, tuple(tracks[1:]))
    before = tracks[index - 1]
    both = {"end_sample": tracks[index].end_sample, "end": tracks[index].end}
    tracks[index - 1 : index + 1] = [before.model_copy(update=both)]
    return with_tracks(plan, tuple(tracks))


def remove_track(plan: Plan, key: str) -> Plan:
    """The plan without one track; what it held lies outside all tracks."""
    index = plan.index_of(key)
    _unlocked(plan.tracks[index].start, index, "start")
    _unlocked(plan.tracks[index].end, index, "end")
    return with_tracks(plan, plan.tracks[:index] + plan.tracks[index + 1 :])


def close_join(plan: Plan, key: str, at_sample: int) -> Plan:
    """The plan with the track before `key` ending where this one starts, at `at_sample`: no sample is in neither."""
    index = plan.index_of(key)
    if index == 0:
        raise Refused("before the first track there is nothing to close up with", remedy="Choose another join")
    before, track = plan.tracks[index - 1], plan.tracks[index]
    _unlocked(track.start, index, "start")
    _unlocked(before.end, index - 1, "end")  # signed off alone, where a track between them was taken out
    low, high = before.start_sample + MIN_TRACK_SAMPLES, track.end_sample - MIN_TRACK_SAMPLES
    at = max(low, min(high, at_sample))
    tracks = list(plan.tracks)
    tracks[index - 1] = before.model_copy(update={"end_sample": at, "end": BY_HAND})
    tracks[index] = track.model_copy(update={"start_sample": at, "start": BY_HAND})
    return with_tracks(plan, tuple(tracks))


def sign_off(plan: Plan, key: str, edge: Edge, who: str | None) -> Plan:
    """The plan with a join signed off by somebody, or with the sign-off taken back (None).

    The join before a track is its start and the end of the one before; the last end of a side stands alone.
    """
    index = plan.index_of(key)
    tracks = list(plan.tracks)
    if edge == "end" and index + 1 < len(tracks):
        index, edge = index + 1, "start"
    if edge == "end":
        tracks[index] = tracks[index].model_copy(update={"end": _signed(tracks[index].end, who)})
        return with_tracks(plan, tuple(tracks))
    tracks[index] = tracks[index].model_copy(update={"start": _signed(tracks[index].start, who)})
    if index:
        before = tracks[index - 1]
        tracks[index - 1] = before.model_copy(update={"end": _signed(before.end, who)})
    return with_tracks(plan, tuple(tracks))


def _signed(note: EdgeNote, who: str | None) -> EdgeNote:
    return note.model_copy(update={"signed_by": who})


def _unlocked(note: EdgeNote, index: int, edge: Edge) -> None:
    if note.signed_by is not None:
        raise Refused(
            f"{note.signed_by} has signed this join off",
            where=f"{edge} of track {index + 1} of the side",
            remedy="Take the sign-off back first",
        )


def _shifted(track: TrackSpan, *, start: int = 0, end: int = 0) -> TrackSpan:
    """With ends moved by hand."""
    changes: dict[str, object] = {}
    if start:
        changes |= {"start_sample": track.start_sample + start, "start": BY_HAND}
    if end:
        changes |= {"end_sample": track.end_sample + end, "end": BY_HAND}
    return track.model_copy(update=changes)


def _carried_to(plan: Plan, index: int, edge: Edge) -> tuple[int, Edge]:
    """The last edge that goes along with one: before the first locked one, or the side's last end."""
    at: tuple[int, Edge] = (index, edge)
    for number in range(index, len(plan.tracks)):
        for kind in ("start", "end"):
            if (number, kind == "end") <= (index, edge == "end"):
                continue
            note = plan.tracks[number].start if kind == "start" else plan.tracks[number].end
            if note.signed_by is not None:
                return at
            at = (number, "end" if kind == "end" else "start")
    return at


def _carry_room(plan: Plan, last: tuple[int, Edge]) -> int:
    """By how much the last carried edge may move towards the end."""
    index, edge = last
    track = plan.tracks[index]
    now = track.start_sample if edge == "start" else track.end_sample
    return _room(plan, index, edge)[1] - now


def _carry(tracks: list[TrackSpan], index: int, edge: Edge, last: tuple[int, Edge] | None, by: int) -> list[TrackSpan]:
    """Every edge after one, up to `last`, moved by as much; what the machine found of them still holds."""
    if last is None:
        return tracks
    for number in range(index, last[0] + 1):
        changes = {}
        if number > index:
            changes["start_sample"] = tracks[number].start_sample + by
        if (number, "end") != (index, edge) and (number < last[0] or last[1] == "end"):
            changes["end_sample"] = tracks[number].end_sample + by
        tracks[number] = tracks[number].model_copy(update=changes)
    return tracks


def _room(plan: Plan, index: int, edge: Edge) -> tuple[int, int]:
    """How far an edge may go without touching what is not its own."""
    track = plan.tracks[index]
    if edge == "start":
        low = plan.tracks[index - 1].end_sample if index else plan.side_start_sample
        return low, track.end_sample - MIN_TRACK_SAMPLES
    high = plan.tracks[index + 1].start_sample if index + 1 < len(plan.tracks) else plan.end_sample
    return track.start_sample + MIN_TRACK_SAMPLES, high
