"""A whole package: masters, the takes untouched, one file of it all, access copies, papers; closed as a bag.

    data/masters/       one file for each track, cue sheet, playlist, logs
    data/untouched/     the takes, whole
    data/one file/      a disc, or all sides, as one FLAC
    data/copies/MP3 192/  access copies, by kind
    data/plans/         what was decided of each side, from which the masters can be made again
    data/description.json, dublin-core.xml, report.html

Every part is proven as it is made, or as it is taken over from an earlier package that holds the same; the checksums
are those of the files as the disk gives them back.
"""

from __future__ import annotations

import os
import shutil
from collections.abc import Callable, Sequence
from pathlib import Path

from inkwell_groove import __version__
from inkwell_groove.core import filing
from inkwell_groove.core.copies.album import make_copies_beside
from inkwell_groove.core.copies.order import CopyOrder
from inkwell_groove.core.playlist import playlist_of
from inkwell_groove.core.sealing.album import Made, seal_album, write_synced
from inkwell_groove.core.sealing.assembling import assemble
from inkwell_groove.core.sealing.bag import DATA, close_bag, payload_of
from inkwell_groove.core.sealing.descriptions import as_dublin_core, as_json
from inkwell_groove.core.sealing.keeping import Earlier, hear_again, masters_key, part_key, take_over
from inkwell_groove.core.sealing.order import SealedAlbum, SealedPart, SealOrder
from inkwell_groove.core.sealing.report import report_html
from inkwell_groove.core.sealing.untouched import write_untouched

MASTERS, UNTOUCHED, ONE_FILE, COPIES, PLANS = "masters", "untouched", "one file", "copies", "plans"
REPORT, DESCRIPTION, DUBLIN_CORE = "report.html", "description.json", "dublin-core.xml"
PLAYLIST = "album.m3u8"
Progress = Callable[[float, str], None]


def seal_package(
    order: SealOrder,
    folder: Path,
    *,
    earlier: Earlier | None = None,
    progress: Progress | None = None,
    workers: int | None = None,
) -> SealedAlbum:
    """Writes, proves and closes everything that `order` and its profile ask for in `folder`, which must be empty.

    Parts that an `earlier` package holds as they are wanted are taken over from it, and proven again. Raises Refused
    before anything is written, ProofFailed where a master is not what it must be; copies that are not are named in
    their part's `faults`.
    """
    making = _Making(order, folder, earlier, progress or (lambda share, words: None), workers)
    album = making.masters()
    making.untouched()
    making.one_file(album)
    making.copies(album)
    return making.close(album)


class _Making:
    """One package under way: what its files are known to be, and what there is to say of its parts."""

    def __init__(
        self, order: SealOrder, folder: Path, earlier: Earlier | None, tell: Progress, workers: int | None
    ) -> None:
        self._order, self._folder, self._earlier, self._tell = order, folder, earlier, tell
        self._workers = workers or min(4, os.cpu_count() or 1)
        self._data = folder / DATA
        self._masters = self._data / MASTERS
        self._made = Made()
        # What is read back from the disk as it is made need not be read a second time.
        self._known: dict[str, str] = {}
        self._keys: dict[str, str] = {MASTERS: masters_key(order)}
        self._kept: list[str] = []
        self._parts: list[SealedPart] = []
        profile = order.profile
        # What each part takes of the time, roughly: copies are encoded, and decoded again.
        weights = [6.0, 2.0 if profile.untouched != "none" else 0.0, 3.0 if profile.one_file else 0.0]
        self._steps = iter(_steps([*weights, *(4.0 for _ in profile.copies)], tell))

    def masters(self) -> SealedAlbum:
        step = next(self._steps)
        if (album := self._masters_as_they_were(step)) is not None:
            return album
        self._masters.mkdir(parents=True)
        album = seal_album(self._order, self._masters, progress=step, workers=self._workers, made=self._made)
        self._known |= {f"{DATA}/{MASTERS}/{one.name}": one.sha256 for one in album.files}
        return album

    def _masters_as_they_were(self, step: Progress) -> SealedAlbum | None:
        files = take_over(self._earlier, self._keys[MASTERS], MASTERS, self._folder)
        if files is None or self._earlier is None:
            return None
        album = self._earlier.album
        portraits = hear_again(album, self._masters, workers=self._workers, progress=step)
        if portraits is None:
            shutil.rmtree(self._masters)
            return None
        self._made = Made(restored=dict(album.restored), portraits=dict(portraits))
        self._known |= files
        self._kept.append("Masters")
        return album.model_copy(update={"parts": (), "package": (), "keys": {}, "kept": ()})

    def _as_it_was(self, name: str, asked: object, step: Progress) -> bool:
        """Takes over the part in the folder `name`, if the earlier package has it as `asked`."""
        self._keys[name] = key = part_key(self._keys[MASTERS], asked)
        files = take_over(self._earlier, key, name, self._folder)
        if files is None or self._earlier is None:
            return False
        part = next(one for one in self._earlier.album.parts if one.folder == name)
        if part.faults:
            shutil.rmtree(self._data / name, ignore_errors=True)
            return False
        self._known |= files
        self._parts.append(part)
        self._kept.append(part.name)
        step(1.0, f"{part.name}: as it was sealed")
        return True

    def untouched(self) -> None:
        step, form = next(self._steps), self._order.profile.untouched
        if form != "none" and not self._as_it_was(UNTOUCHED, form, step):
            self._parts.append(_untouched(self._order, self._data / UNTOUCHED, step, self._known))

    def one_file(self, album: SealedAlbum) -> None:
        step = next(self._steps)
        if self._order.profile.one_file and not self._as_it_was(ONE_FILE, True, step):
            self._parts.append(assemble(self._order, album, self._masters, self._data / ONE_FILE, step))

    def copies(self, album: SealedAlbum) -> None:
        for wanted, step in zip(self._order.profile.copies, self._steps, strict=True):
            name = f"{COPIES}/{filing.safe_name(wanted.label)}"
            if not self._as_it_was(name, wanted.model_dump(mode="json"), step):
                self._parts.append(self._copies(album, wanted, name, step))

    def _copies(self, album: SealedAlbum, wanted: CopyOrder, name: str, step: Progress) -> SealedPart:
        target = self._data / name
        paths = [self._masters / track.file for track in album.tracks]
        more = {"loud": album.loudness, "progress": step, "workers": self._workers}
        done = make_copies_beside(paths, wanted, target, **more)
        if done.not_made:
            return SealedPart(name=wanted.label, folder=name, faults=done.faults)
        entries = [
            (copy.samples / copy.rate_hz, track.artist, track.title, copy.file)
            for copy, track in zip(done.copies, album.tracks, strict=True)
        ]
        write_synced(target / PLAYLIST, playlist_of(entries).encode())
        said = [f"{done.gain_db:+.2f} dB", *done.notes] if done.gain_db else list(done.notes)
        return SealedPart(name=wanted.label, folder=name, told=tuple(said), faults=done.faults)

    def close(self, album: SealedAlbum) -> SealedAlbum:
        """Papers, checksums, and the bag round it all."""
        self._tell(0.95, "papers and checksums")
        order, folder, data = self._order, self._folder, self._data
        _plans(order, data / PLANS)
        write_synced(data / DESCRIPTION, as_json(order, album.tracks).encode())
        write_synced(data / DUBLIN_CORE, as_dublin_core(order, album.tracks).encode())
        payload = payload_of(folder, self._known, workers=self._workers)
        made = self._made
        notes = [*album.word_length_notes, *(f"{part.name}: {words}" for part in self._parts for words in part.told)]
        notes += [f"{part.name}: NOT PROVEN: {fault}" for part in self._parts for fault in part.faults]
        if self._kept and self._earlier is not None:
            notes.append(f"As sealed on {self._earlier.sealed_at}, and proven again: {', '.join(self._kept)}")
        page = report_html(order, album, payload, restored=made.restored, portraits=made.portraits, notes=notes)
        write_synced(data / REPORT, page.encode())
        payload = payload_of(folder, {one.name: one.sha256 for one in payload}, workers=1)
        tags = close_bag(folder, _bag_info(order, album), payload)
        return album.model_copy(
            update={
                "parts": tuple(self._parts),
                "package": (*payload, *tags),
                "keys": self._keys,
                "kept": tuple(self._kept),
            }
        )


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
    held = tuple(one.name for one in album.package)
    return masters | {
        part.name: part.folder
        for part in album.parts
        if not part.faults or any(name.startswith(f"{DATA}/{part.folder}/") for name in held)
    }
