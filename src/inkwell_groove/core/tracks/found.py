"""What the finder found, as plain values: apart from the arithmetic, which takes long to load."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict


class FoundTrack(BaseModel):
    """Samples [start_sample, end_sample), and the probability that both ends are within 0.5 s."""

    model_config = ConfigDict(frozen=True)

    start_sample: int
    end_sample: int
    confidence: float


class FoundTracks(BaseModel):
    model_config = ConfigDict(frozen=True)

    tracks: tuple[FoundTrack, ...]
    speed_ratio: float | None
    floor_dbfs: float
