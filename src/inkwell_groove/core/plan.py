"""The plan of a side: where its tracks start and end, as data, and the edits that lead from one version to the next.

A plan is frozen; every edit returns another one. Between two tracks lies a join: the end of the one and the start of
the other, apart by a gap or at the same sample. What lies outside all tracks stays in the take and in no track,
except that a gap may be kept at the end of the track before it (`gaps`).
"""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise
from typing import Literal, Self

from pydantic import BaseModel, ConfigDict, Field, model_validator

from inkwell_groove.core.errors import Missing, Refused

Edge = Literal["start", "end"]
MIN_TRACK_SAMPLES = 1


class TrackSpan(BaseModel):
    """One track: samples [start_sample, end_sample) of the take. `key` names it for good, whatever its number."""

    model_config = ConfigDict(frozen=True)

    key: str = Field(min_length=1, max_length=32)
    start_sample: int = Field(ge=0)
    end_sample: int
    confidence: float | None = Field(
        default=None, ge=0, le=1, description="How sure the finder was of both ends; none where a person set one."
    )

    @model_validator(mode="after")
    def _has_length(self) -> Self:
        if self.end_sample - self.start_sample < MIN_TRACK_SAMPLES:
            raise ValueError(f"a track must end after its start: {self.start_sample} to {self.end_sample}")
        return self

    @property
    def samples(self) -> int:
        return self.end_sample - self.start_sample


class Plan(BaseModel):
    """Every decision about one take of a side. Tracks are in order and do not overlap."""

    model_config = ConfigDict(frozen=True)

    take_sha256: str
    take_samples: int = Field(ge=1)
    side_start_sample: int = Field(default=0, ge=0, description="Where the side begins, in a take of several sides.")
    side_end_sample: int | None = Field(default=None, description="Where it ends; none for the take's end.")
    tracks: tuple[TrackSpan, ...] = ()
    gaps: Literal["kept", "left out"] = Field(
        default="kept", description="Whether a gap between two tracks is kept at the end of the first of them."
    )

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        for before, after in pairwise(self.tracks):
            if after.start_sample < before.end_sample:
                raise ValueError(
                    f"tracks overlap: one ends at {before.end_sample}, the next starts at {after.start_sample}"
                )
        if not self.side_start_sample < self.end_sample <= self.take_samples:
            raise ValueError(
                f"the side cannot be {self.side_start_sample} to {self.end_sample} of the take's {self.take_samples}"
            )
        if self.tracks and self.tracks[0].start_sample < self.side_start_sample:
            raise ValueError(
                f"the first track starts at {self.tracks[0].start_sample}, before the side at {self.side_start_sample}"
            )
        if self.tracks and self.tracks[-1].end_sample > self.end_sample:
            whose = "take's" if self.side_end_sample is None else "side's"
            raise ValueError(
                f"the last track ends at {self.tracks[-1].end_sample}, after the {whose} {self.end_sample}"
            )
        if len({track.key for track in self.tracks}) != len(self.tracks):
            raise ValueError("two tracks have the same key")
        return self

    @property
    def end_sample(self) -> int:
        """Where the side ends in the take."""
        return self.take_samples if self.side_end_sample is None else self.side_end_sample

    def index_of(self, key: str) -> int:
        for index, track in enumerate(self.tracks):
            if track.key == key:
                return index
        raise Missing(f"there is no track {key} in this plan", remedy="Reload the side; it was changed elsewhere")

    def cut(self, index: int) -> tuple[int, int]:
        """First and end sample of what is sealed as track `index`: with the gap after it, if gaps are kept."""
        track = self.tracks[index]
        if self.gaps == "kept" and index + 1 < len(self.tracks):
            return track.start_sample, self.tracks[index + 1].start_sample
        return track.start_sample, track.end_sample


def with_tracks(plan: Plan, tracks: tuple[TrackSpan, ...]) -> Plan:
    """The plan with other tracks, checked. Raises Refused in words where they overlap or leave the take."""
    try:
        return Plan(**{**plan.model_dump(), "tracks": tracks})
    except ValueError as cause:
        raise Refused(
            f"the tracks would not fit: {cause.errors()[0]['msg']}" if hasattr(cause, "errors") else str(cause),
            where="the side's plan",
            remedy="Move the neighbouring join first",
        ) from cause


def move_edge(plan: Plan, key: str, edge: Edge, to_sample: int, *, carry: bool = False) -> Plan:
    """The plan with one edge of a track at `to_sample`, clipped so that nothing overlaps and no track vanishes.

    An edge that touches its neighbour's pulls a gap open or stops there; `carry` moves every later edge by the same
    amount, so that the lengths of all later tracks stay.
    """
    index = plan.index_of(key)
    track = plan.tracks[index]
    now = track.start_sample if edge == "start" else track.end_sample
    low, high = _room(plan, index, edge)
    if carry:
        high = plan.end_sample - plan.tracks[-1].end_sample + now
    by = max(low, min(high, to_sample)) - now
    tracks = list(plan.tracks)
    if edge == "start":
        tracks[index] = _at(track, start=track.start_sample + by, end=track.end_sample + (by if carry else 0))
    else:
        tracks[index] = _at(track, end=track.end_sample + by)
    if carry:
        for later in range(index + 1, len(tracks)):
            tracks[later] = _at(
                tracks[later],
                start=tracks[later].start_sample + by,
                end=tracks[later].end_sample + by,
                sure=tracks[later].confidence,
            )
    return with_tracks(plan, tuple(tracks))


def move_join(plan: Plan, key: str, by_samples: int, *, carry: bool = False) -> Plan:
    """The plan with the join before track `key` moved whole: the end before it, the gap, and its start.

    Before the first track there is only its start to move. Clipped like `move_edge`.
    """
    index = plan.index_of(key)
    track = plan.tracks[index]
    if index == 0:
        return move_edge(plan, key, "start", track.start_sample + by_samples, carry=carry)
    before = plan.tracks[index - 1]
    low = before.start_sample + MIN_TRACK_SAMPLES - before.end_sample
    high = (
        plan.end_sample - plan.tracks[-1].end_sample
        if carry
        else track.end_sample - MIN_TRACK_SAMPLES - track.start_sample
    )
    by = max(low, min(high, by_samples))
    tracks = list(plan.tracks)
    tracks[index - 1] = _at(before, end=before.end_sample + by)
    tracks[index] = _at(track, start=track.start_sample + by, end=track.end_sample + (by if carry else 0))
    if carry:
        for later in range(index + 1, len(tracks)):
            span = tracks[later]
            tracks[later] = _at(span, start=span.start_sample + by, end=span.end_sample + by, sure=span.confidence)
    return with_tracks(plan, tuple(tracks))


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
            tracks[index : index + 1] = [
                _at(track, end=at_sample),
                TrackSpan(key=new_key(), start_sample=at_sample, end_sample=track.end_sample),
            ]
            return with_tracks(plan, tuple(tracks))
        if at_sample in (track.start_sample, track.end_sample):
            raise Refused("there is a join at this very place", remedy="Move it, or choose another place")
    after = [track.start_sample for track in tracks if track.start_sample > at_sample]
    end = min([plan.end_sample, at_sample + track_samples, *after])
    tracks.append(TrackSpan(key=new_key(), start_sample=at_sample, end_sample=end))
    return with_tracks(plan, tuple(sorted(tracks, key=lambda track: track.start_sample)))


def remove_join(plan: Plan, key: str) -> Plan:
    """The plan with the join before track `key` gone: the track before it runs on to this one's end.

    For the first track, which has none before it, the track itself goes.
    """
    index = plan.index_of(key)
    tracks = list(plan.tracks)
    if index == 0:
        return with_tracks(plan, tuple(tracks[1:]))
    tracks[index - 1 : index + 1] = [_at(tracks[index - 1], end=tracks[index].end_sample)]
    return with_tracks(plan, tuple(tracks))


def remove_track(plan: Plan, key: str) -> Plan:
    """The plan without one track; what it held lies outside all tracks."""
    index = plan.index_of(key)
    return with_tracks(plan, plan.tracks[:index] + plan.tracks[index + 1 :])


def _at(track: TrackSpan, *, start: int | None = None, end: int | None = None, sure: float | None = None) -> TrackSpan:
    return TrackSpan(
        key=track.key,
        start_sample=track.start_sample if start is None else start,
        end_sample=track.end_sample if end is None else end,
        confidence=sure,
    )


def _room(plan: Plan, index: int, edge: Edge) -> tuple[int, int]:
    """How far an edge may go without touching what is not its own."""
    track = plan.tracks[index]
    if edge == "start":
        low = plan.tracks[index - 1].end_sample if index else plan.side_start_sample
        return low, track.end_sample - MIN_TRACK_SAMPLES
    high = plan.tracks[index + 1].start_sample if index + 1 < len(plan.tracks) else plan.end_sample
    return track.start_sample + MIN_TRACK_SAMPLES, high
