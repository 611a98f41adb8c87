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

    def moved(self, by_samples: int) -> FoundTracks:
        """The same, for a recording that begins `by_samples` before the part that was looked at."""
        moved = (
            track.model_copy(
                update={
                    "start_sample": track.start_sample + by_samples,
                    "end_sample": track.end_sample + by_samples,
                }
            )
            for track in self.tracks
        )
        return self.model_copy(update={"tracks": tuple(moved)})
