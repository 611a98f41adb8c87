"""The finder: from a recording to its tracks, with a word on how sure it is."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from inkwell_groove.core.errors import Refused
from inkwell_groove.core.sound import SoundReader
from inkwell_groove.core.tracks import arrange
from inkwell_groove.core.tracks.floor import noise_floor
from inkwell_groove.core.tracks.found import FoundTrack, FoundTracks
from inkwell_groove.core.tracks.gaps import GapSettings, gap_confidence, music
from inkwell_groove.core.tracks.levels import LevelCurve, level_curve

MAX_COUNT = 99


def find_tracks(
    reader: SoundReader,
    *,
    count: int | None = None,
    durations_s: Sequence[float | None] | None = None,
    settings: GapSettings | None = None,
    progress: Callable[[float], None] | None = None,
) -> FoundTracks:
    """The tracks of a recording. Streams it once; see `tracks.levels` for memory.

    Knows nothing, or the number of tracks, or the catalogue's durations in seconds (None where one is missing). Raises
    Refused when count and durations contradict each other or cannot be.
    """
    if durations_s is not None:
        if count is not None and count != len(durations_s):
            raise Refused(
                f"{count} tracks are asked for, {len(durations_s)} durations given", remedy="Give one of the two"
            )
        if any(duration is not None and not 0 < duration < 86_400 for duration in durations_s):
            raise Refused("a duration must lie between 0 and 86,400 s", remedy="Leave out the one that is unknown")
        count = len(durations_s)
    if count is not None and not 1 <= count <= MAX_COUNT:
        raise Refused(f"{count} tracks cannot be", remedy=f"Give a number from 1 to {MAX_COUNT}")
    return tracks_in(
        level_curve(reader, progress=progress), count=count, durations_s=durations_s, settings=settings or GapSettings()
    )


def tracks_in(
    curve: LevelCurve, *, count: int | None, durations_s: Sequence[float | None] | None, settings: GapSettings
) -> FoundTracks:
    """The same from a level curve."""
    floor = noise_floor(curve)
    stretches = music(curve, floor, settings)
    if not stretches:
        return FoundTracks(tracks=(), speed_ratio=None, floor_dbfs=float(np.median(floor)))
    if durations_s is not None:
        arrangement = arrange.by_durations(stretches, durations_s, curve)
    elif count is not None:
        arrangement = arrange.by_count(stretches, count, curve)
    else:
        arrangement = arrange.by_gaps(stretches, settings)
    outer = [gap_confidence(2.0, stretches[0].contrast_db), gap_confidence(2.0, stretches[-1].contrast_db)]
    sure = [outer[0], *(join.confidence for join in arrangement.joins), outer[1]]
    starts = [stretches[0].start, *(join.start for join in arrangement.joins)]
    ends = [*(join.end for join in arrangement.joins), stretches[-1].end]
    tracks = tuple(
        FoundTrack(
            start_sample=start * curve.hop_samples,
            end_sample=min(curve.samples, end * curve.hop_samples),
            confidence=round(min(sure[i], sure[i + 1]), 3),
        )
        for i, (start, end) in enumerate(zip(starts, ends, strict=True))
    )
    return FoundTracks(tracks=tracks, speed_ratio=arrangement.speed_ratio, floor_dbfs=float(np.median(floor)))
