"""Verifying what lies on a disk: FLAC files against their own MD5, packages against their checksums."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Literal

from pydantic import BaseModel, ConfigDict

from inkwell_groove.core import cuesheet, tagging
from inkwell_groove.core.audio.flacfile import read_streaminfo
from inkwell_groove.core.audio.packing import pcm_bytes
from inkwell_groove.core.audio.soundfiles import FileReader, blocks
from inkwell_groove.core.disc import log as disc_log
from inkwell_groove.core.errors import InkwellError, Missing, Refused
from inkwell_groove.core.fixity import check_folder
from inkwell_groove.core.sealing.album import SUMS_NAME
from inkwell_groove.core.sealing.bag import MANIFEST, TAG_MANIFEST, is_bag, listed
from inkwell_groove.core.sealing.papers import parse_checksum_list

_BLOCK_SAMPLES = 262_144


class FileVerdict(BaseModel):
    """One file: sound, faulty, or unproven where nothing vouches for it."""

    model_config = ConfigDict(frozen=True)

    file: str
    verdict: Literal["sound", "faulty", "unproven"]
    reasons: tuple[str, ...] = ()
    samples: int | None = None
    md5: str | None = None


class Verification(BaseModel):
    model_config = ConfigDict(frozen=True)

    path: str
    sound: bool
    files: tuple[FileVerdict, ...]


def verify(path: Path) -> Verification:
    """Verdicts on a FLAC file, or on every file of a folder. Raises Missing where there is nothing at `path`.

    In a bag, or a folder with SHA256SUMS, every listed file must be there and match, and every other is reported.
    """
    if path.is_file():
        verdicts: tuple[FileVerdict, ...] = (verify_file(path, path.name),)
    elif path.is_dir():
        verdicts = tuple(_verify_folder(path))
    else:
        raise Missing("there is no such file or folder", where=str(path), remedy="Look at the path")
    if not verdicts:
        raise Missing("the folder is empty", where=str(path), remedy="Give a folder with files")
    return Verification(path=str(path), sound=all(one.verdict != "faulty" for one in verdicts), files=verdicts)


def verify_file(path: Path, name: str) -> FileVerdict:
    """What a file can prove of itself: a FLAC by decoding it, a cue sheet by its syntax; others nothing."""
    suffix = path.suffix.lower()
    if suffix == ".flac":
        return _verify_flac(path, name)
    if suffix == ".cue":
        _, faults = cuesheet.parse(path.read_bytes())
        if faults:
            return FileVerdict(file=name, verdict="faulty", reasons=tuple(str(fault) for fault in faults))
        return FileVerdict(file=name, verdict="sound", reasons=("the cue sheet is well formed",))
    if path.name.endswith(("reading.log", "reading.json")):
        return _verify_reading(path, name)
    return FileVerdict(file=name, verdict="unproven", reasons=("nothing vouches for it",))


def _verify_reading(path: Path, name: str) -> FileVerdict:
    """A disc's reading log vouches for itself."""
    try:
        found = disc_log.check(path.read_bytes())
    except InkwellError as error:
        return FileVerdict(file=name, verdict="faulty", reasons=(str(error),))
    if not found.unaltered:
        return FileVerdict(file=name, verdict="faulty", reasons=found.reasons)
    return FileVerdict(file=name, verdict="sound", reasons=(f"unaltered; the disc: {found.verdict}",))


def _verify_flac(path: Path, name: str) -> FileVerdict:
    try:
        with path.open("rb") as stream:
            info = read_streaminfo(stream, size=path.stat().st_size, name=name)
        tagging.read_tags(path)
        digest = hashlib.md5(usedforsecurity=False)
        with FileReader(path, name=name) as reader:
            for block in blocks(reader, 0, reader.format.samples, _BLOCK_SAMPLES):
                digest.update(pcm_bytes(block, info.bits))
            samples = reader.format.samples
    except InkwellError as error:
        return FileVerdict(file=name, verdict="faulty", reasons=(str(error),))
    found = digest.hexdigest()
    if not info.has_md5:
        return FileVerdict(
            file=name,
            verdict="unproven",
            reasons=("it decodes, but its encoder stored no MD5",),
            samples=samples,
            md5=found,
        )
    if digest.digest() != info.md5:
        return FileVerdict(
            file=name,
            verdict="faulty",
            reasons=(f"its samples have MD5 {found}, STREAMINFO says {info.md5.hex()}",),
            samples=samples,
            md5=found,
        )
    return FileVerdict(
        file=name, verdict="sound", reasons=("every sample has the MD5 stored with it",), samples=samples, md5=found
    )


def _verify_folder(folder: Path) -> Iterator[FileVerdict]:
    lists, expected = _lists(folder)
    yield from lists
    aside = {one.file for one in lists}
    for found in check_folder(folder, expected, aside=aside):
        path, name = folder / found.file, found.file
        if found.state in ("missing", "moved"):
            yield FileVerdict(file=name, verdict="faulty", reasons=(found.words,))
            continue
        own = verify_file(path, name)
        if found.state == "damaged":
            yield own.model_copy(update={"verdict": "faulty", "reasons": (*own.reasons, found.words)})
        elif found.state == "unknown":
            reasons = (*own.reasons, "not listed") if lists else own.reasons
            yield own.model_copy(update={"reasons": reasons})
        else:
            reasons = (*(() if own.verdict == "unproven" else own.reasons), "SHA-256 as listed")
            verdict = "sound" if own.verdict == "unproven" else own.verdict
            yield own.model_copy(update={"verdict": verdict, "reasons": reasons})


def _lists(folder: Path) -> tuple[list[FileVerdict], dict[str, str]]:
    """The lists of checksums a folder has, each with a verdict, and what they say together."""
    if is_bag(folder):
        read: Callable[[], dict[str, str]] = lambda: listed(folder)  # noqa: E731
        name = MANIFEST
    elif (folder / SUMS_NAME).is_file():
        read = lambda: dict(parse_checksum_list((folder / SUMS_NAME).read_text("utf-8")))  # noqa: E731
        name = SUMS_NAME
    else:
        return [], {}
    try:
        expected = read()
    except (ValueError, Refused) as cause:
        return [FileVerdict(file=name, verdict="faulty", reasons=(str(cause),))], {}
    told = FileVerdict(file=name, verdict="sound", reasons=(f"it lists {len(expected)} files",))
    if name != MANIFEST:
        return [told], expected
    # A bag's list is itself listed; the list of lists vouches for nothing but them.
    last = FileVerdict(file=TAG_MANIFEST, verdict="unproven", reasons=("nothing vouches for the list of lists",))
    return [last] if (folder / TAG_MANIFEST).is_file() else [], expected
