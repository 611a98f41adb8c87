"""What is known of a docket's carrier, as its sources are asked for it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from inkwell_groove.core.audio.soundfiles import FileReader
from inkwell_groove.core.description import values_of
from inkwell_groove.core.disc.toc import Toc
from inkwell_groove.core.fingerprint.prints import BLOCK, HOP_S, with_strengths
from inkwell_groove.core.matching.laying import Known
from inkwell_groove.core.matching.score import Wanted
from inkwell_groove.core.matching.ways import Excerpt
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import Docket, LookUp, Side
from inkwell_groove.workroom.disc.standing import standing
from inkwell_groove.workroom.reading import WholeDocket, is_disc, plan_of, sides_of
from inkwell_groove.workroom.views import SideView, TrackLine

EXCERPT_PRINTS = BLOCK + 24
_SPEEDS = (1.0, 0.985, 1.015, 0.97, 1.03)  # that are tried where nobody knows how fast it ran
_MOST_EXCERPTS = 20


@dataclass(frozen=True)
class Here:
    """A docket's tracks and what is known of them; `lines` and `wanted.tracks` go together."""

    wanted: Wanted
    lines: tuple[TrackLine, ...]
    discs: tuple[tuple[int, ...], ...]


@dataclass(frozen=True)
class Stretch:
    """Where in which file an excerpt is to be taken, and how much too fast it ran there."""

    path: Path
    track: int
    start_sample: int
    end_sample: int
    speed_ratio: float


def here(docket: Docket, row: LookUp | None = None) -> Here:
    """All that is known of a docket; of its look-up, what was typed there and where its sound was recognised."""
    whole = WholeDocket(docket)
    release = whole.release
    rows = {side.id: side for side in sides_of(docket)}
    known, lines, speeds = [], [], []
    for side in whole.sides:
        speed = speed_of(rows[side.id])
        for line in side.tracks:
            if line.number == 0:
                continue  # no source lists a hidden opening
            speeds.append(speed)
            seconds = (line.end_sample - line.start_sample) / line.rate_hz
            known.append(Known(duration_s=round(seconds * (speed or 1.0), 3), title=line.title))
            lines.append(line)
    tocs = [toc for side in sides_of(docket) if is_disc(side) and (toc := toc_of(side)) is not None]
    numbers = values_of(release.catalogue_number)
    wanted = Wanted(
        catalogue_number=numbers[0] if numbers else "",
        barcode=release.barcode or next((toc.barcode for toc in tocs if toc.barcode), ""),
        artist=release.album_artist,
        title=release.title,
        label=release.label,
        year=release.year,
        country=release.country,
        format=docket.carriers[0].format,
        sides=tuple(len([one for one in side.tracks if one.number]) for side in whole.sides) if lines else (),
        tracks=tuple(known),
        speed_ratio=1.0 if all(speeds) else None,
        toc_digests=tuple(toc.digest for toc in tocs),
        heard=row.heard if row is not None else {},
    )
    for ask in row.asks if row is not None else ():
        # What was typed to look it up need not be typed again to be counted.
        typed = {name: ask.get(name) for name in ("barcode", "artist", "title")} if ask.get("typed") else {}
        typed["catalogue_number"] = ask.get("number") if ask.get("typed") else None
        missing = {name: value for name, value in typed.items() if value and not getattr(wanted, name)}
        wanted = wanted.model_copy(update=missing)
    discs = tuple((*(track.start for track in toc.audio_tracks), toc.audio_end) for toc in tocs)
    return Here(wanted=wanted, lines=tuple(lines), discs=discs)


def speed_of(side: Side) -> float | None:
    """How much too fast a side ran when it was recorded; none where nothing tells."""
    if is_disc(side):
        return 1.0
    plan = plan_of(side)
    if plan is None:
        return None
    if plan.restoration.speed_ratio != 1.0:
        return 1.0 / plan.restoration.speed_ratio
    return plan.found.speed_ratio


def toc_of(side: Side) -> Toc | None:
    """The table of contents of a disc that was read."""
    return standing(side.disc_reads).toc


def stretches(docket: Docket, media: MediaStore) -> list[Stretch]:
    """Where excerpts are taken: in the midst of each track, or of each side whose tracks are not marked yet."""
    found, place = [], 0
    for side, view in zip(sides_of(docket), WholeDocket(docket).sides, strict=True):
        take, speed = side.chosen_take, speed_of(side)
        if take is None:
            continue
        path = media.take_here(take.sha256)
        for track, (start, end) in _spans(view, take.samples):
            for middle in (0.36, 0.62) if speed else (0.5,):
                for ratio in (speed,) if speed else _SPEEDS:
                    length = round(EXCERPT_PRINTS * HOP_S * take.rate_hz * 1.02 + 0.4 * take.rate_hz)
                    first = start + round(middle * (end - start)) - length // 2
                    first = max(start, min(first, end - length))
                    found.append(Stretch(path, place + track, first, min(end, first + length), ratio))
        place += len(view.tracks)
    # Of many tracks a few, spread over the carrier, are enough to tell it by.
    if len(found) > _MOST_EXCERPTS:
        found = [found[round(at)] for at in np.linspace(0, len(found) - 1, _MOST_EXCERPTS)]
    return found


def _spans(side: SideView, samples: int) -> Sequence[tuple[int, tuple[int, int]]]:
    if side.tracks:
        return [(place, (line.start_sample, line.end_sample)) for place, line in enumerate(side.tracks)]
    return [(0, (round(share * samples), round((share + 0.2) * samples))) for share in (0.15, 0.4, 0.65)]


def excerpts(found: Sequence[Stretch], media: MediaStore) -> tuple[Excerpt, ...]:
    """Return the fingerprints of those stretches; too short ones are left out."""
    taken = []
    for one in found:
        if one.end_sample - one.start_sample < 1_000:
            continue
        with FileReader(media.here(one.path)) as reader:
            if (one.end_sample - one.start_sample) / reader.format.rate_hz < 1.5:
                continue
            printed = with_strengths(
                reader, start_sample=one.start_sample, end_sample=one.end_sample, speed_ratio=one.speed_ratio
            )
        count = min(EXCERPT_PRINTS, len(printed.prints))
        firm = np.minimum(printed.strengths[:count], 999.0).ravel()
        taken.append(
            Excerpt(
                track=one.track,
                prints=tuple(int(value) for value in printed.prints[:count]),
                strengths=tuple(float(f"{value:.3g}") for value in firm),
            )
        )
    return tuple(taken)
