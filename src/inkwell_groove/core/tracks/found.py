"""What the finder found, as plain values: apart from the arithmetic, which takes long to load."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field


class Settings(BaseModel):
    """What counts as a track where nothing is known of them. Defaults suit a long-playing record."""

    model_config = ConfigDict(frozen=True)

    min_gap_s: float = Field(default=0.5, ge=0, le=60)
    min_track_s: float = Field(default=10.0, ge=1, le=3_600)
    sensitivity: float = Field(default=1.0, ge=0.1, le=10, description="Above 1 fainter sounds are music.")


class FixedJoin(BaseModel):
    """A join that a person set, in seconds; without an end it is the first start, without a start the last end."""

    model_config = ConfigDict(frozen=True)

    end_s: float | None
    start_s: float | None


class FoundEdge(BaseModel):
    """One end of a track: how likely it is right to within 0.5 s, and why, in words."""

    model_config = ConfigDict(frozen=True)

    confidence: float = Field(ge=0, le=1)
    reason: str
    by_hand: bool = False


class FoundTrack(BaseModel):
    """Samples [start_sample, end_sample), and the probability that both ends are within 0.5 s.

    `listed` is which of the catalogue's tracks it is, from 0; none where it is none of them or nothing is known.
    """

    model_config = ConfigDict(frozen=True)

    start_sample: int
    end_sample: int
    confidence: float
    start: FoundEdge | None = None
    end: FoundEdge | None = None
    listed: int | None = None


class FoundSide(BaseModel):
    """One side of a carrier within the take: where it begins and ends, and how many tracks it has."""

    model_config = ConfigDict(frozen=True)

    start_sample: int
    end_sample: int
    tracks: int


class FoundTracks(BaseModel):
    """`disbelieved` are the catalogue's tracks, from 0, whose durations what was heard contradicts."""

    model_config = ConfigDict(frozen=True)

    tracks: tuple[FoundTrack, ...]
    sides: tuple[FoundSide, ...] = ()
    speed_ratio: float | None
    speed_from: Literal["turns", "durations"] | None = None
    counts_gap: bool = Field(default=False, description="Whether the durations are told with the gap after the track.")
    disbelieved: tuple[int, ...] = ()
    floor_dbfs: float

    def moved(self, by_samples: int) -> FoundTracks:
        """The same, for a recording that begins `by_samples` before the part that was looked at."""
        return self.model_copy(
            update={
                name: tuple(
                    one.model_copy(
                        update={
                            "start_sample": one.start_sample + by_samples,
                            "end_sample": one.end_sample + by_samples,
                        }
                    )
                    for one in getattr(self, name)
                )
                for name in ("tracks", "sides")
            }
        )
