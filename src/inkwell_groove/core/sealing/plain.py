"""Lossless files of a plain folder, sealed as they are: copied bit for bit, proven, copied for players, bagged."""

from __future__ import annotations

import shutil
from collections.abc import Sequence
from pathlib import Path

from pydantic import BaseModel, ConfigDict

from inkwell_groove import __version__
from inkwell_groove.core import filing
from inkwell_groove.core.audio.soundfiles import FileReader
from inkwell_groove.core.copies.album import CopiesMade, make_copies_beside
from inkwell_groove.core.copies.order import CopyOrder
from inkwell_groove.core.errors import LossyForMaster, ProofFailed, Refused
from inkwell_groove.core.files.reading import read_file, read_pictures
from inkwell_groove.core.fixity import sha256_from_disk, sha256_of
from inkwell_groove.core.playlist import playlist_of
from inkwell_groove.core.sealing.album import write_synced
from inkwell_groove.core.sealing.bag import DATA, close_bag, payload_of
from inkwell_groove.core.sealing.onefile import Apart, Part, Whole, same_format, write_whole
from inkwell_groove.core.sealing.package import COPIES, MASTERS, ONE_FILE, PLAYLIST
from inkwell_groove.core.sealing.verify import FileVerdict, verify_file
from inkwell_groove.core.tagging import read_tags


class PlainSealed(BaseModel):
    """What was made: the masters with their verdicts, copies, and how many files the bag has."""

    model_config = ConfigDict(frozen=True)

    masters: tuple[FileVerdict, ...]
    one_file: Whole | None
    copies: tuple[CopiesMade, ...]
    files: int


def seal_files(
    masters: Sequence[Path], folder: Path, *, one_file: bool = False, copies: Sequence[CopyOrder] = ()
) -> PlainSealed:
    """Seals the files of one album, in order, into `folder`, which must be empty or not there yet.

    Raises Refused, before anything is written, where they cannot be sealed so; LossyForMaster for a lossy file;
    ProofFailed where a master is not what it must be. Copies that are not name that as their fault.
    """
    _check(masters, folder, one_file=one_file)
    target = folder / DATA / MASTERS
    target.mkdir(parents=True)
    verdicts, known = [], {}
    for master in masters:
        digest = sha256_of(master)
        shutil.copy2(master, target / master.name)
        if sha256_from_disk(target / master.name) != digest:
            raise ProofFailed(
                "the disk gives back something else than was written", where=master.name, remedy="Look at the disk"
            )
        verdict = verify_file(target / master.name, master.name)
        if verdict.verdict == "faulty":
            raise ProofFailed("; ".join(verdict.reasons), where=master.name, remedy="Make it again from its source")
        verdicts.append(verdict)
        known[f"{DATA}/{MASTERS}/{master.name}"] = digest
    paths = [target / master.name for master in masters]
    write_synced(target / PLAYLIST, _playlist(paths).encode())
    whole = _one_file(paths, folder / DATA / ONE_FILE) if one_file else None
    made = []
    for order in copies:
        beside = folder / DATA / COPIES / filing.safe_name(order.label)
        made.append(make_copies_beside(paths, order, beside))
        if made[-1].not_made:
            continue
        write_synced(beside / PLAYLIST, _playlist([beside / one.file for one in made[-1].copies]).encode())
    payload = payload_of(folder, known)
    told = read_file(paths[0]).fields
    tags = close_bag(
        folder,
        {
            "External-Description": " / ".join(
                part for part in (told.get("album", ""), told.get("album_artist") or told.get("artist", "")) if part
            ),
            "Bag-Software-Agent": f"Inkwell Groove {__version__}",
        },
        payload,
    )
    return PlainSealed(masters=tuple(verdicts), one_file=whole, copies=tuple(made), files=len(payload) + len(tags))


def _check(masters: Sequence[Path], folder: Path, *, one_file: bool) -> None:
    if not masters:
        raise Refused("there is nothing to seal", where=str(folder), remedy="Give FLAC, WAV or AIFF files")
    if folder.exists() and any(folder.iterdir()):
        raise Refused("there is something in it already", where=str(folder), remedy="Give an empty folder")
    names = [master.name.casefold() for master in masters]
    if len(set(names)) < len(names):
        raise Refused("two files have the same name", where=str(folder), remedy="Rename one of them")
    for master in masters:
        if set("%\r\n") & set(master.name):
            raise Refused(
                "its name has a percent sign or a line break, which not every tool finds in a bag",
                where=master.name,
                remedy="Rename it, then seal it",
            )
        with FileReader(master) as reader:
            if not reader.format.lossless:
                raise LossyForMaster("it is lossy", where=master.name, remedy="Seal a lossless file")
    if one_file and any(master.suffix.lower() != ".flac" for master in masters):
        raise Refused("one file is made of FLAC masters only", where="--one-file", remedy="Leave it out")
    if one_file and not same_format(masters):
        raise Refused("the files differ in rate or word length", where="--one-file", remedy="Leave it out")


def _playlist(paths: Sequence[Path]) -> str:
    entries = []
    for path in paths:
        told = read_file(path)
        entries.append((told.duration_s, told.fields.get("artist", ""), told.fields.get("title", path.stem), path.name))
    return playlist_of(entries)


def _one_file(paths: Sequence[Path], folder: Path) -> Whole:
    folder.mkdir()
    parts = []
    for number, path in enumerate(paths, start=1):
        with FileReader(path) as reader:
            samples = reader.format.samples
        fields: dict[str, list[str]] = {}
        for name, value in read_tags(path).fields:
            fields.setdefault(name, []).append(value)
        parts.append(
            Part(
                file=path.name,
                number=number,
                title=fields.get("TITLE", [path.stem])[0],
                artist=fields.get("ARTIST", [""])[0],
                gap_sample=samples,
                samples=samples,
                fields=fields,
            )
        )
    first = parts[0].fields
    shared = {name: values for name, values in first.items() if all(one.fields.get(name) == values for one in parts)}
    title = first.get("ALBUM", [paths[0].parent.name])[0]
    performer = first.get("ALBUMARTIST", first.get("ARTIST", [""]))[0]
    pictures = [picture for path in paths for picture in read_pictures(path)]
    target = folder / filing.safe_name(title, suffix=".flac")
    return write_whole(
        target,
        paths[0].parent,
        Apart(parts=tuple(parts)),
        {**shared, "TITLE": [title]},
        title=title,
        performer=performer,
        pictures=pictures,
    )
