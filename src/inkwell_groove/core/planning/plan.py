"""The plan of a side: where its tracks start and end, as data, and the edits that lead from one version to the next.

A plan is frozen; every edit returns another one. Between two tracks lies a join: the end of the one and the start of
the other, apart by a gap or at the same sample. What lies outside all tracks stays in the take and in no track,
except that a gap may be kept at the end of the track before it (`gaps`).
"""

from __future__ import annotations

import math
from itertools import pairwise
from typing import Any, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, computed_field, model_validator

from inkwell_groove.core.disc.layout import DiscLayout
from inkwell_groove.core.errors import Missing, Refused
from inkwell_groove.core.restoration.steps import Restoration

Edge = Literal["start", "end"]
MIN_TRACK_SAMPLES = 1


class EdgeNote(BaseModel):
    """What is known of one end of a track besides its place. Without a confidence a person set it."""

    model_config = ConfigDict(frozen=True)

    confidence: float | None = Field(default=None, ge=0, le=1, description="That the finder has it within 0.5 s.")
    reason: str = ""
    signed_by: str | None = Field(default=None, description="Who heard it and found it right: then it is locked.")


BY_HAND = EdgeNote()


class TrackSpan(BaseModel):
    """One track: samples [start_sample, end_sample) of the take. `key` names it for good, whatever its number."""

    model_config = ConfigDict(frozen=True)

    key: str = Field(min_length=1, max_length=32)
    start_sample: int = Field(ge=0)
    end_sample: int
    start: EdgeNote = BY_HAND
    end: EdgeNote = BY_HAND
    listed: int | None = Field(default=None, ge=0, description="Which of the catalogue's tracks it is, from 0.")

    @computed_field  # type: ignore[prop-decorator]
    @property
    def confidence(self) -> float | None:
        """How sure the finder was of both ends together; none where a person set both."""
        told = [note.confidence for note in (self.start, self.end) if note.confidence is not None]
        return round(math.prod(told), 3) if told else None

    @model_validator(mode="before")
    @classmethod
    def _noted_once(cls, values: Any) -> Any:
        """Plans made before each end had its own note have one confidence for both."""
        if isinstance(values, dict) and values.get("confidence") is not None and "start" not in values:
            each = EdgeNote(confidence=math.sqrt(values["confidence"]))
            return {**values, "start": each, "end": each}
        return values

    @model_validator(mode="after")
    def _has_length(self) -> Self:
        if self.end_sample - self.start_sample < MIN_TRACK_SAMPLES:
            raise ValueError(f"a track must end after its start: {self.start_sample} to {self.end_sample}")
        return self

    @property
    def samples(self) -> int:
        return self.end_sample - self.start_sample


Gaps = Literal["kept", "left out", "silence", "room tone"]


class SideFound(BaseModel):
    """What finding the tracks told of the side besides their places."""

    model_config = ConfigDict(frozen=True)

    catalogue_s: tuple[float | None, ...] = Field(default=(), description="The durations it was found with.")
    speed_ratio: float | None = None
    speed_from: Literal["turns", "durations"] | None = None
    counts_gap: bool = False
    disbelieved: tuple[int, ...] = ()
    floor_dbfs: float | None = None
    turn_overs: tuple[int, ...] = Field(default=(), description="Samples at which another side seems to begin.")


class Plan(BaseModel):
    """Every decision about one take of a side. Tracks are in order and do not overlap."""

    model_config = ConfigDict(frozen=True)

    take_sha256: str
    take_samples: int = Field(ge=1)
    side_start_sample: int = Field(default=0, ge=0, description="Where the side begins, in a take of several sides.")
    side_end_sample: int | None = Field(default=None, description="Where it ends; none for the take's end.")
    tracks: tuple[TrackSpan, ...] = ()
    gaps: Gaps = Field(default="kept", description="Whether a gap is kept at the end of its track, and as what.")
    lead_samples: int = Field(default=0, ge=0, description="How much quiet before each track is kept with it.")
    tail_samples: int = Field(default=0, ge=0, description="How much after its end, where gaps are left out.")
    fade_samples: int = Field(default=0, ge=0, description="Over how much sound a cut is faded; 0 for none.")
    found: SideFound = SideFound()
    restoration: Restoration = Field(default=Restoration(), description="What is done to its sound.")
    disc: DiscLayout | None = Field(default=None, description="Of a compact disc: its contents, and how it is divided.")

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
        """First and end sample of what is sealed as track `index`: with its lead, and its tail or the kept gap.

        No sample is in two tracks: where two tracks touch, neither lead nor tail has room.
        """
        track, first = self.tracks[index], self._lead_in(index)
        if index + 1 == len(self.tracks):
            return first, min(self.end_sample, track.end_sample + self.tail_samples)
        following = self._lead_in(index + 1)
        return first, following if self.gaps != "left out" else min(following, track.end_sample + self.tail_samples)

    def _lead_in(self, index: int) -> int:
        before = self.tracks[index - 1].end_sample if index else self.side_start_sample
        return max(before, self.tracks[index].start_sample - self.lead_samples)

    def between(self) -> list[tuple[int, int]]:
        """First and end sample of each gap between two tracks: what is neither's music nor the next one's lead."""
        ends = [track.end_sample for track in self.tracks[:-1]]
        return [(end, self._lead_in(index + 1)) for index, end in enumerate(ends) if end < self._lead_in(index + 1)]

    def fades(self, index: int) -> tuple[int, int]:
        """Over how many samples the file of track `index` is faded in and out: not where it runs on in the next."""
        first, end = self.cut(index)
        most = min(self.fade_samples, (end - first) // 2)
        runs_in = index > 0 and self.cut(index - 1)[1] == first
        runs_on = index + 1 < len(self.tracks) and self.cut(index + 1)[0] == end
        return 0 if runs_in else most, 0 if runs_on else most


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
