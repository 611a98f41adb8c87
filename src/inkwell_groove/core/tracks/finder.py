"""The finder: from a recording to its tracks, with a word on how sure it is.

Hearing takes seconds and is done once for a recording; fitting what was heard to what is known takes a fraction of one,
and is done again whenever more is known.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
import numpy.typing as npt

from inkwell_groove.core.audio.sound import SoundReader
from inkwell_groove.core.errors import Refused
from inkwell_groove.core.tracks.arrange import Arrangement, Known, arrange
from inkwell_groove.core.tracks.candidates import Join, joins_of, pointed_at
from inkwell_groove.core.tracks.found import FixedJoin, FoundSide, FoundTrack, FoundTracks, Settings
from inkwell_groove.core.tracks.hearing import CELL_HOPS, SILENCE_DBFS, Heard, hear
from inkwell_groove.core.tracks.noise import Noise, noise_of
from inkwell_groove.core.tracks.novelty import Change
from inkwell_groove.core.tracks.presence import Gap, excess, gaps_of
from inkwell_groove.core.tracks.sure import Edge, edges_of, judged
from inkwell_groove.core.tracks.turns import turns_in

MAX_COUNT = 99
_FIXED_ODDS = 60.0  # nothing that is heard or printed outweighs what a person set
_BESIDE_FIXED_S = 3.0
_TOLD = {True: 0.001, False: 0.006}  # of a disc, of a tape: a speed less sure than that is not told


@dataclass(frozen=True)
class Ground:
    """What is worked out once from what was heard, whatever is known or asked for afterwards."""

    heard: Heard
    noise: Noise
    above: npt.NDArray[np.float64]  # (hops,): `presence.excess`
    change: Change


@dataclass(frozen=True)
class Places:
    """All that can be said of a side before anything is known of its tracks. `is_disc`: it ticks, and then only its
    turns tell its speed to a thousandth.
    """

    gaps: tuple[Gap, ...]
    joins: tuple[Join, ...]
    turns_speed: float | None
    is_disc: bool


def find_tracks(
    reader: SoundReader,
    *,
    count: int | None = None,
    durations_s: Sequence[float | None] | None = None,
    settings: Settings | None = None,
    rpm: float | None = None,
    progress: Callable[[float], None] | None = None,
) -> FoundTracks:
    """The tracks of a recording. Streams it once; see `tracks.hearing` for memory.

    Knows nothing, or the number of tracks, or the catalogue's durations in seconds (None where one is missing). Raises
    Refused when count and durations contradict each other or cannot be.
    """
    known = known_of(count=count, durations_s=durations_s, settings=settings)
    return tracks_in(hear(reader, progress=progress), known, rpm=rpm)


def known_of(
    *,
    count: int | None = None,
    durations_s: Sequence[float | None] | None = None,
    settings: Settings | None = None,
    fixed: Sequence[FixedJoin] = (),
) -> Known:
    """What is known, checked. Raises Refused."""
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
    durations = None if durations_s is None else tuple(durations_s)
    return Known(durations, count, None, settings or Settings(), tuple(fixed))


def tracks_in(heard: Heard, known: Known, *, rpm: float | None = None) -> FoundTracks:
    """The tracks of what was heard. `rpm` is the disc's nominal speed where it is known."""
    if heard.hops < CELL_HOPS:
        return FoundTracks(tracks=(), speed_ratio=None, floor_dbfs=SILENCE_DBFS)
    ground = ground_of(heard)
    return fitted(ground, places_of(ground, sensitivity=known.settings.sensitivity, rpm=rpm), known)


def ground_of(heard: Heard) -> Ground:
    noise = noise_of(heard)
    return Ground(heard, noise, excess(heard, noise), Change(heard))


def places_of(ground: Ground, *, sensitivity: float = 1.0, rpm: float | None = None) -> Places:
    """Every gap and every place at which a join may be."""
    heard = ground.heard
    gaps = gaps_of(heard, ground.noise, ground.above, sensitivity=sensitivity)
    if not gaps:
        return Places((), (), None, False)
    joins = joins_of(heard, ground.noise, gaps, ground.change)
    ends = [(join.end_s, join.start_s) for join in joins if join.kind == "turn-over"]
    ends.append((gaps[-1].end_s, heard.seconds))
    told = [turns_in(heard.clicks_s, heard.click_heights, from_s + 0.5, to_s, rpm=rpm) for from_s, to_s in ends]
    best = min((turns for turns in told if turns is not None), key=lambda turns: turns.chance, default=None)
    return Places(tuple(gaps), tuple(joins), None if best is None else best.speed, _ticks(heard, gaps))


def _ticks(heard: Heard, gaps: Sequence[Gap]) -> bool:
    """Whether a click that no hiss makes is heard more often than every five seconds where there is no music."""
    clicks_s = heard.clicks_s[heard.click_heights > 1.5]
    inside = sum(int(((clicks_s > gap.end_s) & (clicks_s < gap.start_s)).sum()) for gap in gaps)
    return inside > 0.2 * sum(gap.length_s for gap in gaps)


def fitted(ground: Ground, places: Places, known: Known) -> FoundTracks:
    """The places a side has, fitted to what is known of its tracks."""
    heard, floor = ground.heard, round(ground.noise.level_dbfs, 2)
    if not places.gaps:
        return FoundTracks(tracks=(), speed_ratio=None, floor_dbfs=floor)
    arrangement, pairs = arranged(ground, places, known)
    tracks = []
    for (start, end), listed in zip(pairs, arrangement.listed, strict=True):
        found_start, found_end = judged(start), judged(end)
        first = round(start.join.start_s * heard.rate_hz)
        last = min(heard.samples, round(end.join.end_s * heard.rate_hz))
        tracks.append(
            FoundTrack(
                start_sample=min(first, last - 1),
                end_sample=last,
                confidence=round(found_start.confidence * found_end.confidence, 3),
                start=found_start,
                end=found_end,
                listed=listed if known.durations_s is not None else None,
            )
        )
    told = arrangement.speed if arrangement.speed_spread < _TOLD[places.is_disc] else None
    source = None if told is None else "turns" if places.turns_speed is not None else "durations"
    return FoundTracks(
        tracks=tuple(tracks),
        sides=_sides(heard, arrangement, tracks),
        speed_ratio=told,
        speed_from=source,
        counts_gap=arrangement.counts_gap,
        disbelieved=_disbelieved(arrangement, pairs, known),
        floor_dbfs=floor,
    )


def arranged(ground: Ground, places: Places, known: Known) -> tuple[Arrangement, list[tuple[Edge, Edge]]]:
    """The likeliest arrangement, and for each of its tracks what speaks for its start and its end."""
    first, last, joins = _with_fixed(places, known.fixed)
    if known.durations_s is not None:
        speed = places.turns_speed or 1.0
        lengths = [duration / speed for duration in known.durations_s if duration is not None]
        more = pointed_at(ground.heard, ground.change, joins, first.start_s, last.end_s, lengths)
        joins = sorted([*joins, *more], key=lambda join: join.start_s)
    arrangement = arrange(joins, first.start_s, last.end_s, replace(known, speed=places.turns_speed))
    return arrangement, edges_of(arrangement, first, last, known.durations_s, ground.noise.flutter)


def _with_fixed(places: Places, fixed: Sequence[FixedJoin]) -> tuple[Join, Join, list[Join]]:
    """The first start, the last end and the places between, those a person set instead of what lies near them."""
    lead_in, run_out = places.gaps[0], places.gaps[-1]
    first = Join(lead_in.end_s, lead_in.start_s, "gap", 0.0, 0.0, lead_in)
    last = Join(run_out.end_s, run_out.start_s, "gap", 0.0, 0.0, run_out)
    joins = list(places.joins)
    for one in fixed:
        if one.end_s is None and one.start_s is not None:
            first = Join(min(first.end_s, one.start_s), one.start_s, "set", 0.0, 0.0)
        elif one.start_s is None and one.end_s is not None:
            last = Join(one.end_s, max(last.start_s, one.end_s), "set", 0.0, 0.0)
        elif one.start_s is not None and one.end_s is not None:
            joins = [
                join
                for join in joins
                if join.start_s < one.end_s - _BESIDE_FIXED_S or join.end_s > one.start_s + _BESIDE_FIXED_S
            ]
            joins.append(Join(one.end_s, one.start_s, "set", _FIXED_ODDS, 0.0))
    inside = [join for join in joins if first.start_s < join.end_s and join.start_s < last.end_s]
    return first, last, sorted(inside, key=lambda join: join.start_s)


def _sides(heard: Heard, arrangement: Arrangement, tracks: Sequence[FoundTrack]) -> tuple[FoundSide, ...]:
    """The sides of the take: parted in the middle of each turn-over."""
    places = [0]
    places += [
        round((join.end_s + join.start_s) / 2 * heard.rate_hz) for join in arrangement.joins if join.kind == "turn-over"
    ]
    places.append(heard.samples)
    return tuple(
        FoundSide(
            start_sample=first,
            end_sample=last,
            tracks=sum(1 for track in tracks if first <= track.start_sample < last),
        )
        for first, last in pairwise(places)
    )


def _disbelieved(arrangement: Arrangement, pairs: Sequence[tuple[Edge, Edge]], known: Known) -> tuple[int, ...]:
    if known.durations_s is None:
        return ()
    used = {index for index in arrangement.listed if index is not None}
    out = {index for index in range(len(known.durations_s)) if index not in used}
    for (start, _), index in zip(pairs, arrangement.listed, strict=True):
        if index is not None and start.off_s is not None and abs(start.off_s) > 6.0:
            out.add(index)
    return tuple(sorted(out))
