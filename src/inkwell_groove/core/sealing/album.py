"""A whole album, sealed into a folder: every file written, synced, read back and proven."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path

from inkwell_groove.core import cuesheet, filing
from inkwell_groove.core.audio.rendering import WordLength, word_length
from inkwell_groove.core.audio.resampling import Converted
from inkwell_groove.core.audio.sound import Samples, SoundFormat, SoundReader, to_float
from inkwell_groove.core.audio.soundfiles import FileReader
from inkwell_groove.core.audio.writing import prove_track, write_track
from inkwell_groove.core.copies.gains import read_gains, write_gains
from inkwell_groove.core.copies.loudness import AlbumLoudness, Listener, album_of, gain_tags
from inkwell_groove.core.description import RELEASE_FIELDS, TRACK_FIELDS, Release, TrackDescription, missing_fields
from inkwell_groove.core.disc import log as disc_log
from inkwell_groove.core.errors import LossyForMaster, ProofFailed, Refused
from inkwell_groove.core.fixity import sha256_from_disk
from inkwell_groove.core.sealing import papers
from inkwell_groove.core.sealing.covers import COVER_NAMES, Covers, covers_of
from inkwell_groove.core.sealing.cuts import Cut, cuts
from inkwell_groove.core.sealing.described import prove_description, write_description
from inkwell_groove.core.sealing.order import SealedAlbum, SealedFile, SealedTrack, SealOrder, SideOrder
from inkwell_groove.core.sealing.portrait import Portrait
from inkwell_groove.core.sealing.readings import prove_reading, tracks_read
from inkwell_groove.core.sealing.restoring import ForSealing, for_sealing, levelled_together

LOG_NAME, PLAYLIST_NAME, SUMS_NAME = "sealing.log", "album.m3u8", "SHA256SUMS"
PAPERS = (LOG_NAME, papers.CUE_NAME, PLAYLIST_NAME, SUMS_NAME)
READING_LOG, READING_JSON = "reading.log", "reading.json"
Progress = Callable[[float, str], None]


@dataclass(frozen=True)
class _Work:
    """One track to be made."""

    side: SideOrder
    cut: Cut
    file: str
    word: WordLength
    ready: ForSealing
    rate_hz: int | None

    def sound(self, take: SoundReader) -> tuple[SoundReader, Callable[[int], int]]:
        """What the track is cut from, and where a sample of the take comes to lie in it."""
        restored, place = self.ready.sound(take), self.ready.prepared.place
        if self.rate_hz is None or self.rate_hz == restored.format.rate_hz:
            return restored, place
        converted = Converted(restored, self.rate_hz)
        return converted, lambda sample: converted.place(place(sample))


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
    of_records = sum(len(side.descriptions) for side in order.sides if side.plan.disc is None)
    if of_records > 99:
        raise Refused(
            f"{of_records} tracks are more than a cue sheet holds",
            where=order.shelfmark,
            remedy="Make two dockets",
        )
    missing = missing_fields(order.release, descriptions)
    if missing:
        raise Refused(
            f"still to be described: {'; '.join(missing)}", where=order.shelfmark, remedy="Fill them in under Describe"
        )


@dataclass
class Made:
    """What was found out while sealing, for the report: what was done to each side, and each file's portrait."""

    restored: dict[str, Sequence[str]] = field(default_factory=dict)
    portraits: dict[str, Portrait] = field(default_factory=dict)
    listeners: dict[str, Listener] = field(default_factory=dict)


def seal_album(
    order: SealOrder,
    folder: Path,
    *,
    progress: Progress | None = None,
    workers: int | None = None,
    made: Made | None = None,
) -> SealedAlbum:
    """Writes and proves all files of `order` in `folder`, which must be empty; the caller moves it into place.

    Each track is cut from its take, encoded, tagged, synced, decoded and compared, a disc's take with what was read of
    it; then the papers are written and read back. Raises Refused before anything is written, ProofFailed where a file
    is not what it must be. `made` is filled in with what a report tells.
    """
    check_order(order)
    made = made or Made()
    notes: list[str] = []
    work = _plan_work(order, notes)
    covers = covers_of(order)
    done = [0]

    def make(one: _Work) -> SealedTrack:
        sealed = _make_track(order, one, folder, covers, syncing, made)
        done[0] += 1
        if progress:
            progress(0.95 * done[0] / len(work), f"track {sealed.number} of {len(work)} proven")
        return sealed

    # libsndfile and hashing release the interpreter's lock, so threads use every core and share nothing but the folder.
    pool = ThreadPoolExecutor(workers or min(4, os.cpu_count() or 1))
    syncing = ThreadPoolExecutor(4)
    try:
        read = [pool.submit(prove_reading, side, track) for side in order.sides for track in tracks_read(side)]
        # The longest first: the last to be started should be short.
        order_of_work = sorted(work, key=lambda one: one.cut.start_sample - one.cut.end_sample)
        by_file = {track.file: track for track in pool.map(make, order_of_work)}
        tracks = tuple(by_file[one.file] for one in work)
        for proof in read:
            proof.result()
        heard = [(one.file, made.listeners[one.file]) for one in work if one.file in made.listeners]
        loudness = _state_loudness(folder, heard)
    finally:
        pool.shutdown(wait=True, cancel_futures=True)
        syncing.shutdown()
    made.restored = {one.side.name: one.ready.said for one in work}
    written = _write_papers(order, tracks, notes, made.restored, folder)
    if covers.original is not None:
        write_synced(folder / covers.name, covers.original)
        written.append(covers.name)
    files = _sum_files(folder, [*(track.file for track in tracks), *written])
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
        restored={name: tuple(said) for name, said in made.restored.items()},
        loudness=loudness,
    )


def _state_loudness(folder: Path, heard: list[tuple[str, Listener]]) -> AlbumLoudness | None:
    """Loudness tags for what was heard while it was proven; into the room that is there, so no sound moves."""
    if not heard:
        return None
    loud = album_of([listener.heard() for _, listener in heard])
    for index, (name, _) in enumerate(heard):
        tags = gain_tags(loud, index, opus=False)
        write_gains(folder / name, tags)
        _sync(folder / name)
        if read_gains(folder / name) != tags:
            raise ProofFailed("its loudness does not read back as written", where=name, remedy="Seal again")
    return loud


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
    total = sum(len(side.descriptions) for side in order.sides if side.plan.disc is None)
    sides = [(side, cuts(side, total)) for side in order.sides if side.plan.tracks]
    values = [file_values(folder_values, order.release, cut) for _, of_side in sides for cut in of_side]
    masters = order.profile.masters
    names = iter(filing.file_names(order.file_pattern, values, masters.suffix, taken=(*PAPERS, *COVER_NAMES)))
    work = []
    for (side, of_side), ready in zip(sides, levelled_together([for_sealing(side) for side, _ in sides]), strict=True):
        with FileReader(Path(side.take_path), name=side.take_name) as take:
            restored = ready.sound(take)
            rate_hz = masters.rate_hz
            converted = rate_hz is not None and rate_hz != restored.format.rate_hz
            word = word_length(restored, bits=masters.bits, converted=converted)
        if converted:
            notes.append(
                f"{side.name}: {restored.format.rate_hz} Hz converted to {rate_hz} Hz (soxr, very high quality)."
            )
        if note := word.note(side.name):
            notes.append(note)
        work += [
            _Work(side=side, cut=cut, file=next(names), word=word, ready=ready, rate_hz=rate_hz) for cut in of_side
        ]
    return work


def _make_track(
    order: SealOrder,
    work: _Work,
    folder: Path,
    covers: Covers,
    syncing: ThreadPoolExecutor,
    made: Made,
) -> SealedTrack:
    cut, masters = work.cut, order.profile.masters
    start, end = cut.start_sample, cut.end_sample
    path = folder / work.file
    fields = track_fields(order, work.side, cut)
    with FileReader(Path(work.side.take_path), name=work.side.take_name) as take:
        reader, place = work.sound(take)
        form = reader.format
        fade_in, fade_out = cut.fades
        fades = place(fade_in), place(fade_out)
        first, last = place(start), min(place(end), form.samples)
        write_track(reader, first, last, work.word, path, fades=fades, form=masters.form, level=masters.level)
        told = write_description(path, fields, covers)
        synced = syncing.submit(_sync, path)  # the disk writes while the proof reads from memory
        again, _ = work.sound(take)
        heard = _ears(order, work, form, made)
        md5, compared = prove_track(path, again, first, last, work.word, fades=fades, heard=heard)
    made.portraits[work.file].finish()
    prove_description(path, fields, covers, told)
    synced.result()
    return SealedTrack(
        number=cut.description.number,
        title=cut.named(order.release)[1],
        artist=cut.description.artist_of(order.release),
        file=work.file,
        side=work.side.name,
        start_sample=start,
        end_sample=end,
        gap_sample=cut.gap_sample,
        rate_hz=work.side.take_format.rate_hz,
        file_rate_hz=form.rate_hz,
        speed_ratio=work.ready.prepared.asked.speed_ratio,
        bits=work.word.bits,
        md5=md5,
        compared_samples=compared,
        verdict="identical",
    )


def _ears(order: SealOrder, work: _Work, form: SoundFormat, made: Made) -> Callable[[Samples], None]:
    """What listens while a file is proven: its portrait, and its loudness where that is to be stated."""
    made.portraits[work.file] = portrait = Portrait.of_bits(work.word.bits, rate_hz=form.rate_hz)
    listener = None
    if order.profile.loudness_tags and order.profile.masters.form == "FLAC":
        made.listeners[work.file] = listener = Listener(form.channels, rate_hz=form.rate_hz)

    def heard(block: Samples) -> None:
        portrait.feed(block)
        if listener is not None:
            listener.feed(to_float(block, portrait.full_scale))

    return heard


def track_fields(order: SealOrder, side: SideOrder, cut: Cut) -> dict[str, tuple[str, ...]]:
    """The tags of one file: of the release, then of the track, which knows some of them better."""
    track, disc = cut.description, side.plan.disc
    said = {spec.tag: spec.tagged(getattr(order.release, spec.name)) for spec in RELEASE_FIELDS}
    if not cut.whole:
        said |= {spec.tag: better for spec in TRACK_FIELDS if (better := spec.tagged(getattr(track, spec.name)))}
    own = {
        "TITLE": cut.named(order.release)[1],
        "ARTIST": track.artist_of(order.release),
        "TRACKNUMBER": "" if cut.whole else str(track.number),
        "TRACKTOTAL": "" if cut.whole else str(cut.total),
        "DISCNUMBER": str(track.disc) if track.disc else "",
        "DISCTOTAL": str(sum(one.plan.disc is not None for one in order.sides)) if track.disc else "",
        "SHELFMARK": order.shelfmark,
    }
    if disc is not None and not cut.whole:
        own["ISRC"] = next((one.isrc for one in disc.toc.tracks if one.number == track.number), "")
    if disc is not None:
        own["BARCODE"] = disc.toc.barcode
    # What the disc itself says goes before what is said of it.
    said |= {name: (value,) for name, value in own.items() if value}
    return {name: values for name, values in said.items() if values}


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
    return {**values, "number": track.number_text, "track title": track.title, "artist": track.artist_of(release)}


def file_values(values: dict[str, str], release: Release, cut: Cut) -> dict[str, str]:
    """The same for one file that is cut from a side."""
    number, title = cut.named(release)
    return {**track_filing_values(values, release, cut.description), "number": number, "track title": title}


FOLDER_FIELDS = tuple(filing_values("", Release()))
TRACK_FIELDS_FOR_FILES = tuple(track_filing_values({}, Release(), TrackDescription(number=1))) + FOLDER_FIELDS


def _write_papers(
    order: SealOrder,
    tracks: tuple[SealedTrack, ...],
    notes: list[str],
    restored: Mapping[str, Sequence[str]],
    folder: Path,
) -> list[str]:
    """Their names, in order."""
    texts = {}
    for name, sheet in papers.cue_sheets(order, tracks).items():
        text = cuesheet.render(sheet).encode()
        parsed, faults = cuesheet.parse(text, exists=lambda file: (folder / file).is_file())
        if faults or parsed != sheet:
            raise ProofFailed(
                f"the cue sheet does not read back as written ({faults[0] if faults else 'its values differ'})",
                where=name,
                remedy="Look for unusual characters in the titles",
            )
        texts[name] = text
    texts[PLAYLIST_NAME] = papers.playlist(tracks).encode()
    texts[LOG_NAME] = papers.sealing_log(order, tracks, notes, restored).encode()
    discs = [side for side in order.sides if side.readings]
    for side in discs:
        prefix = f"{side.name.lower()} " if len(discs) > 1 else ""
        texts[f"{prefix}{READING_LOG}"] = disc_log.render(side.readings).encode()
        texts[f"{prefix}{READING_JSON}"] = disc_log.render_json(side.readings).encode()
    for name, text in texts.items():
        write_synced(folder / name, text)
    return list(texts)


def _sum_files(folder: Path, names: list[str]) -> tuple[SealedFile, ...]:
    def one(name: str) -> SealedFile:
        path = folder / name
        return SealedFile(name=name, size_bytes=path.stat().st_size, sha256=sha256_from_disk(path))

    with ThreadPoolExecutor(min(4, os.cpu_count() or 1)) as pool:
        return tuple(pool.map(one, names))
