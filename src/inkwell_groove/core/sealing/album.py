"""A whole album, sealed into a folder: every file written, synced, read back and proven."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

from inkwell_groove.core import cuesheet, filing, tagging
from inkwell_groove.core.description import RELEASE_FIELDS, Release, TrackDescription, missing_fields
from inkwell_groove.core.errors import LossyForMaster, ProofFailed, Refused
from inkwell_groove.core.sealing import papers
from inkwell_groove.core.sealing.order import SealedAlbum, SealedFile, SealedTrack, SealOrder, SideOrder
from inkwell_groove.core.sealing.render import WordLength, word_length
from inkwell_groove.core.sealing.restoring import ForSealing, for_sealing, levelled_together
from inkwell_groove.core.sealing.tracks import prove_track, write_track
from inkwell_groove.core.soundfiles import FileReader

LOG_NAME, CUE_NAME, PLAYLIST_NAME, SUMS_NAME = "sealing.log", "album.cue", "album.m3u8", "SHA256SUMS"
PAPERS = (LOG_NAME, CUE_NAME, PLAYLIST_NAME, SUMS_NAME)
Progress = Callable[[float, str], None]


@dataclass(frozen=True)
class _Work:
    """One track to be made."""

    side: SideOrder
    index: int
    description: TrackDescription
    file: str
    word: WordLength
    ready: ForSealing


def check_order(order: SealOrder) -> None:
    """Raises Refused, or LossyForMaster, where the order cannot be sealed, listing everything that is missing."""
    descriptions = [d for side in order.sides for d in side.descriptions]
    for side in order.sides:
        if not side.take_format.lossless:
            raise LossyForMaster(
                f"{side.take_name} is a lossy recording ({side.take_format.container})",
                where=side.name,
                remedy="It can be kept as a reference; seal from a lossless take of this side",
            )
    if not descriptions:
        raise Refused("there is no track to seal", where=order.shelfmark, remedy="Find or mark the tracks first")
    if len(descriptions) > 99:
        raise Refused(
            f"{len(descriptions)} tracks are more than a cue sheet holds",
            where=order.shelfmark,
            remedy="Make two dockets",
        )
    missing = missing_fields(order.release, descriptions)
    if missing:
        raise Refused(
            f"still to be described: {'; '.join(missing)}", where=order.shelfmark, remedy="Fill them in under Describe"
        )


def seal_album(
    order: SealOrder, folder: Path, *, progress: Progress | None = None, workers: int | None = None
) -> SealedAlbum:
    """Writes and proves all files of `order` in `folder`, which must be empty; the caller moves it into place.

    Each track is cut from its take, encoded, tagged, synced, decoded and compared; then the papers are written and
    read back. Raises Refused before anything is written, ProofFailed where a file is not what it must be.
    """
    check_order(order)
    notes: list[str] = []
    work = _plan_work(order, notes)
    cover = Path(order.cover.path).read_bytes() if order.cover else None
    done = [0]

    def make(one: _Work) -> SealedTrack:
        sealed = _make_track(order, one, folder, cover, len(work), syncing)
        done[0] += 1
        if progress:
            progress(0.95 * done[0] / len(work), f"track {sealed.number} of {len(work)} proven")
        return sealed

    # libsndfile and hashing release the interpreter's lock, so threads use every core and share nothing but the folder.
    pool = ThreadPoolExecutor(workers or min(4, os.cpu_count() or 1))
    syncing = ThreadPoolExecutor(4)
    try:
        # The longest first: the last to be started should be short.
        order_of_work = sorted(work, key=lambda one: -one.side.plan.tracks[one.index].samples)
        tracks = tuple(sorted(pool.map(make, order_of_work), key=lambda track: track.number))
    finally:
        pool.shutdown(wait=True, cancel_futures=True)
        syncing.shutdown()
    _write_papers(order, tracks, notes, {one.side.name: one.ready.said for one in work}, folder)
    files = _sum_files(folder, [*(track.file for track in tracks), *PAPERS[:-1]])
    write_synced(folder / SUMS_NAME, papers.checksum_list((file.name, file.sha256) for file in files).encode())
    sums = (folder / SUMS_NAME).read_bytes()
    return SealedAlbum(
        folders=tuple(filing.folder_path(order.folder_pattern, filing_values(order.shelfmark, order.release))),
        tracks=tracks,
        files=(
            *files,
            SealedFile(name=SUMS_NAME, size_bytes=len(sums), sha256=hashlib.sha256(sums).hexdigest()),
        ),
        word_length_notes=tuple(notes),
    )


def _sync(path: Path) -> None:
    with path.open("rb") as file:
        os.fsync(file.fileno())


def write_synced(path: Path, data: bytes) -> None:
    """A new file, on the disk before this returns."""
    with path.open("xb") as file:
        file.write(data)
        file.flush()
        os.fsync(file.fileno())


def _plan_work(order: SealOrder, notes: list[str]) -> list[_Work]:
    folder_values = filing_values(order.shelfmark, order.release)
    values = [track_filing_values(folder_values, order.release, d) for side in order.sides for d in side.descriptions]
    names = iter(filing.file_names(order.file_pattern, values, ".flac", taken=PAPERS))
    work = []
    cut = [side for side in order.sides if side.plan.tracks]
    for side, ready in zip(cut, levelled_together([for_sealing(side) for side in cut]), strict=True):
        with FileReader(Path(side.take_path), name=side.take_name) as reader:
            word = word_length(ready.sound(reader))
        if note := word.note(side.name):
            notes.append(note)
        for index, description in enumerate(side.descriptions):
            work.append(
                _Work(side=side, index=index, description=description, file=next(names), word=word, ready=ready)
            )
    return work


def _make_track(
    order: SealOrder, work: _Work, folder: Path, cover: bytes | None, total: int, syncing: ThreadPoolExecutor
) -> SealedTrack:
    start, end = work.side.plan.cut(work.index)
    place = work.ready.prepared.place
    fade_in, fade_out = work.side.plan.fades(work.index)
    fades = place(fade_in), place(fade_out)
    path = folder / work.file
    fields = _track_fields(order, work.description, total)
    with FileReader(Path(work.side.take_path), name=work.side.take_name) as take:
        reader = work.ready.sound(take)
        first, last = place(start), min(place(end), reader.format.samples)
        write_track(reader, first, last, work.word, path, fades=fades)
        tagging.write_tags(path, fields, cover=cover, facts=order.cover.facts if order.cover else None)
        synced = syncing.submit(_sync, path)  # the disk writes while the proof reads from memory
        md5, compared = prove_track(path, work.ready.sound(take), first, last, work.word, fades=fades)
        rate_hz = reader.format.rate_hz
    _prove_tags(path, fields, cover)
    synced.result()
    return SealedTrack(
        number=work.description.number,
        title=work.description.title,
        file=work.file,
        side=work.side.name,
        start_sample=start,
        end_sample=end,
        gap_sample=work.side.plan.tracks[work.index].end_sample,
        rate_hz=rate_hz,
        speed_ratio=work.ready.prepared.asked.speed_ratio,
        bits=work.word.bits,
        md5=md5,
        compared_samples=compared,
        verdict="identical",
    )


def _track_fields(order: SealOrder, description: TrackDescription, total: int) -> dict[str, str]:
    fields = {
        "TITLE": description.title,
        "ARTIST": description.artist_of(order.release),
        "TRACKNUMBER": str(description.number),
        "TRACKTOTAL": str(total),
        **{spec.tag: getattr(order.release, spec.name) for spec in RELEASE_FIELDS},
        "SHELFMARK": order.shelfmark,
    }
    return {name: value for name, value in fields.items() if value}


def _prove_tags(path: Path, fields: dict[str, str], cover: bytes | None) -> None:
    found = tagging.read_tags(path)
    if dict(found.fields) != fields:
        raise ProofFailed("its tags do not read back as written", where=path.name, remedy="Seal again")
    if cover is not None and [data for _, _, data in found.pictures] != [cover]:
        raise ProofFailed("its cover does not read back as written", where=path.name, remedy="Seal again")


def filing_values(shelfmark: str, release: Release) -> dict[str, str]:
    """What the fields of a folder pattern stand for."""
    return {
        "shelfmark": shelfmark,
        "album artist": release.album_artist,
        "title": release.title,
        "label": release.label,
        "catalogue number": release.catalogue_number,
        "year": release.year[:4],
        "format": release.format,
    }


def track_filing_values(values: dict[str, str], release: Release, track: TrackDescription) -> dict[str, str]:
    """What the fields of a file pattern stand for: those of the folder, and the track's own."""
    return {**values, "number": f"{track.number:02}", "track title": track.title, "artist": track.artist_of(release)}


FOLDER_FIELDS = tuple(filing_values("", Release()))
TRACK_FIELDS_FOR_FILES = tuple(track_filing_values({}, Release(), TrackDescription(number=1))) + FOLDER_FIELDS


def _write_papers(
    order: SealOrder,
    tracks: tuple[SealedTrack, ...],
    notes: list[str],
    restored: Mapping[str, Sequence[str]],
    folder: Path,
) -> None:
    sheet = papers.cue_sheet(order, tracks)
    text = cuesheet.render(sheet).encode()
    parsed, faults = cuesheet.parse(text)
    if faults or parsed != sheet:
        raise ProofFailed(
            f"the cue sheet does not read back as written ({faults[0] if faults else 'its values differ'})",
            where=CUE_NAME,
            remedy="Look for unusual characters in the titles",
        )
    write_synced(folder / CUE_NAME, text)
    write_synced(folder / PLAYLIST_NAME, papers.playlist(order, tracks).encode())
    write_synced(folder / LOG_NAME, papers.sealing_log(order, tracks, notes, restored).encode())


def _sum_files(folder: Path, names: list[str]) -> tuple[SealedFile, ...]:
    def one(name: str) -> SealedFile:
        path = folder / name
        with path.open("rb") as file:
            digest = hashlib.file_digest(file, "sha256").hexdigest()
        return SealedFile(name=name, size_bytes=path.stat().st_size, sha256=digest)

    with ThreadPoolExecutor(min(4, os.cpu_count() or 1)) as pool:
        return tuple(pool.map(one, names))
