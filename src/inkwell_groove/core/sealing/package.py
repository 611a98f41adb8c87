"""A whole package: masters, the takes untouched, one file of it all, access copies, papers; closed as a bag.

    data/masters/       one file for each track, cue sheet, playlist, logs
    data/untouched/     the takes, whole
    data/one file/      a disc, or all sides, as one FLAC
    data/copies/MP3 192/  access copies, by kind
    data/plans/         what was decided of each side, from which the masters can be made again
    data/description.json, dublin-core.xml, report.html

Every part is proven as it is made; the checksums are those of the files as the disk gives them back.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path

from inkwell_groove import __version__
from inkwell_groove.core import filing
from inkwell_groove.core.copies.album import make_copies
from inkwell_groove.core.files.pictures import FRONT, KIND_OF, Embedded
from inkwell_groove.core.sealing.album import PAPERS, READING_LOG, Made, seal_album, track_fields, write_synced
from inkwell_groove.core.sealing.bag import DATA, close_bag, payload_of
from inkwell_groove.core.sealing.cuts import Cut, cuts
from inkwell_groove.core.sealing.descriptions import as_dublin_core, as_json
from inkwell_groove.core.sealing.onefile import LOG_TAG, READING_TAG, Apart, Part, same_format, write_whole
from inkwell_groove.core.sealing.order import SealedAlbum, SealedPart, SealOrder, SideOrder
from inkwell_groove.core.sealing.papers import disc_names, playlist_of
from inkwell_groove.core.sealing.report import report_html
from inkwell_groove.core.sealing.untouched import write_untouched

MASTERS, UNTOUCHED, ONE_FILE, COPIES, PLANS = "masters", "untouched", "one file", "copies", "plans"
REPORT, DESCRIPTION, DUBLIN_CORE = "report.html", "description.json", "dublin-core.xml"
PLAYLIST = "album.m3u8"
Progress = Callable[[float, str], None]


def seal_package(
    order: SealOrder, folder: Path, *, progress: Progress | None = None, workers: int | None = None
) -> SealedAlbum:
    """Writes, proves and closes everything that `order` and its profile ask for in `folder`, which must be empty.

    Raises Refused before anything is written, ProofFailed where a file is not what it must be.
    """
    tell = progress or (lambda share, words: None)
    profile = order.profile
    # What each part takes of the time, roughly: copies are encoded, and decoded again.
    weights = [6.0, 2.0 if profile.untouched != "none" else 0.0, 3.0 if profile.one_file else 0.0]
    weights += [4.0] * len(profile.copies)
    steps = iter(_steps(weights, tell))
    data = folder / DATA
    masters = data / MASTERS
    masters.mkdir(parents=True)
    made = Made()
    album = seal_album(order, masters, progress=next(steps), workers=workers, made=made)
    # What is read back from the disk as it is made need not be read a second time.
    known = {f"{DATA}/{MASTERS}/{one.name}": one.sha256 for one in album.files}
    parts: list[SealedPart] = []
    untouched = next(steps)
    if profile.untouched != "none":
        parts.append(_untouched(order, data / UNTOUCHED, untouched, known))
    one_file = next(steps)
    if profile.one_file:
        parts.append(_one_file(order, album, masters, data / ONE_FILE, one_file))
    paths = [masters / track.file for track in album.tracks]
    for copies, step in zip(profile.copies, steps, strict=True):
        target = data / COPIES / filing.safe_name(copies.label)
        target.mkdir(parents=True)
        done = make_copies(paths, copies, target, loud=album.loudness, progress=step, workers=workers)
        entries = [
            (copy.samples / copy.rate_hz, track.artist, track.title, copy.file)
            for copy, track in zip(done.copies, album.tracks, strict=True)
        ]
        write_synced(target / PLAYLIST, playlist_of(entries).encode())
        said = [f"{done.gain_db:+.2f} dB", *done.notes] if done.gain_db else list(done.notes)
        parts.append(SealedPart(name=copies.label, folder=f"{COPIES}/{target.name}", told=tuple(said)))
    tell(0.95, "papers and checksums")
    _plans(order, data / PLANS)
    write_synced(data / DESCRIPTION, as_json(order, album.tracks).encode())
    write_synced(data / DUBLIN_CORE, as_dublin_core(order, album.tracks).encode())
    workers = workers or min(4, os.cpu_count() or 1)
    payload = payload_of(folder, known, workers=workers)
    notes = [*album.word_length_notes, *(f"{part.name}: {words}" for part in parts for words in part.told)]
    page = report_html(order, album, payload, restored=made.restored, portraits=made.portraits, notes=notes)
    write_synced(data / REPORT, page.encode())
    payload = payload_of(folder, {one.name: one.sha256 for one in payload}, workers=1)
    tags = close_bag(folder, _bag_info(order, album), payload)
    return album.model_copy(update={"parts": tuple(parts), "package": (*payload, *tags)})


def _steps(weights: Sequence[float], tell: Progress) -> list[Progress]:
    """A progress callback for each part, that fills its own stretch of the whole."""
    total, at, steps = sum(weights) / 0.95, 0.0, []
    for weight in weights:
        steps.append(_within(at / total, weight / total, tell))
        at += weight
    return steps


def _within(begin: float, length: float, tell: Progress) -> Progress:
    return lambda share, words: tell(begin + length * share, words)


def _untouched(order: SealOrder, folder: Path, tell: Progress, known: dict[str, str]) -> SealedPart:
    folder.mkdir()
    sides = [side for side in order.sides if side.plan.tracks or side.plan.disc is not None]
    told, forms = [], []
    for index, side in enumerate(sides):
        one = write_untouched(order, side, folder)
        known[f"{DATA}/{UNTOUCHED}/{one.file}"] = one.sha256
        forms.append(one.form)
        if one.told:
            told.append(f"{side.name}: {one.told}")
        tell((index + 1) / len(sides), f"{side.name}: the take, untouched")
    name = f"Takes, {forms[0]}" if len(set(forms)) == 1 else "Takes"
    return SealedPart(name=name, folder=UNTOUCHED, told=tuple(told))


def _one_file(order: SealOrder, album: SealedAlbum, masters: Path, folder: Path, tell: Progress) -> SealedPart:
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
    return SealedPart(name="One file", folder=ONE_FILE, told=tuple(told))


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


def _plans(order: SealOrder, folder: Path) -> None:
    folder.mkdir()
    for side in order.sides:
        name = filing.safe_name(side.name.lower(), suffix=".json")
        write_synced(folder / name, (side.plan.model_dump_json(indent=2) + "\n").encode())


def _bag_info(order: SealOrder, album: SealedAlbum) -> dict[str, str]:
    release = order.release
    return {
        "Source-Organization": order.sealed_by,
        "External-Identifier": order.shelfmark,
        "External-Description": f"{release.title} / {release.album_artist}, {len(album.tracks)} tracks",
        "Bagging-Date": order.sealed_at[:10],
        "Bag-Software-Agent": f"Inkwell Groove {__version__}",
    }


def part_folders(album: SealedAlbum) -> dict[str, str]:
    """What a package holds that can be had alone, by name: each part's folder below its data."""
    masters = {"Masters": MASTERS} if album.package else {}
    return masters | {part.name: part.folder for part in album.parts}
