"""One FLAC of a whole disc, or of all sides, put together from the masters of a package."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from pathlib import Path

from inkwell_groove.core import filing
from inkwell_groove.core.files.pictures import FRONT, KIND_OF, Embedded
from inkwell_groove.core.sealing.album import PAPERS, READING_LOG, track_fields
from inkwell_groove.core.sealing.cuts import Cut, cuts
from inkwell_groove.core.sealing.onefile import LOG_TAG, READING_TAG, Apart, Part, same_format, write_whole
from inkwell_groove.core.sealing.order import SealedAlbum, SealedPart, SealOrder, SideOrder
from inkwell_groove.core.sealing.papers import disc_names

Progress = Callable[[float, str], None]


def assemble(order: SealOrder, album: SealedAlbum, masters: Path, folder: Path, tell: Progress) -> SealedPart:
    """One for each disc, and one for all sides that are none."""
    folder.mkdir()
    discs = [side for side in order.sides if side.plan.disc is not None]
    records = [side for side in order.sides if side.plan.disc is None]
    groups = [[side] for side in discs] + ([records] if records else [])
    names = disc_names([side.name for side in discs], alone=len(groups) == len(discs))
    told: list[str] = []
    for index, group in enumerate(groups):
        suffix = "" if len(groups) == 1 else f", {names.get(group[0].name, 'sides')}"
        title = filing.safe_name(f"{order.release.title}{suffix}", suffix=".flac")
        told += _whole_of(order, group, album, masters, folder / title)
        tell((index + 1) / len(groups), "one file: proven")
    return SealedPart(name="One file", folder=folder.name, told=tuple(told))


def _whole_of(
    order: SealOrder, group: Sequence[SideOrder], album: SealedAlbum, masters: Path, target: Path
) -> tuple[str, ...]:
    sides = {side.name: side for side in group}
    tracks = [track for track in album.tracks if track.side in sides]
    if not tracks:
        return ()
    paths = [masters / track.file for track in tracks]
    if any(path.suffix != ".flac" for path in paths):
        return ("One file is made of FLAC masters only",)
    if not same_format(paths):
        return ("The sides differ in rate or word length: they are not one file",)
    total = sum(len(side.descriptions) for side in order.sides if side.plan.disc is None)
    by_place = {(side.name, cut.start_sample): cut for side in group for cut in cuts(side, total)}
    parts = []
    for track in tracks:
        cut = by_place[track.side, track.start_sample]
        fields = track_fields(order, sides[track.side], cut)
        parts.append(
            Part(
                file=track.file,
                number=cut.description.number,
                title=track.title,
                artist=track.artist,
                isrc=next(iter(fields.get("ISRC", ())), ""),
                gap_sample=round(
                    track.compared_samples
                    * (track.gap_sample - track.start_sample)
                    / max(1, track.end_sample - track.start_sample)
                ),
                samples=track.compared_samples,
                fields={name: list(values) for name, values in fields.items()},
            )
        )
    disc = group[0].plan.disc
    logs = {LOG_TAG: (masters / PAPERS[0]).read_text("utf-8")}
    reading = sorted(masters.glob(f"*{READING_LOG}"))
    own = [one for one in reading if one.name == READING_LOG or one.name.startswith(group[0].name.lower())]
    if disc is not None and own:
        logs[READING_TAG] = own[0].read_bytes().decode()
    sheets = {path.name: path.read_bytes().decode() for path in sorted(masters.glob("*.cue"))}
    return write_whole(
        target,
        masters,
        Apart(parts=tuple(parts), papers=sheets),
        _shared(order, group[0], parts, by_place[tracks[0].side, tracks[0].start_sample]),
        title=order.release.title,
        performer=order.release.album_artist,
        barcode=disc.toc.barcode if disc is not None else "",
        logs=logs,
        pictures=_pictures(order),
        level=order.profile.masters.level,
    ).told


def _shared(order: SealOrder, side: SideOrder, parts: Sequence[Part], first: Cut) -> Mapping[str, Sequence[str]]:
    """The tags that all parts have alike, and the album's title for its own."""
    fields = track_fields(order, side, first)
    same = {
        name: values for name, values in fields.items() if all(one.fields.get(name) == list(values) for one in parts)
    }
    return {**same, "TITLE": (order.release.title,)}


def _pictures(order: SealOrder) -> list[Embedded]:
    found = []
    if order.cover is not None:
        found.append(Embedded(FRONT, order.cover.facts.mime, Path(order.cover.path).read_bytes()))
    for one in order.pictures:
        found.append(Embedded(KIND_OF.get(one.role, 0), one.facts.mime, Path(one.path).read_bytes(), one.role))
    return found
