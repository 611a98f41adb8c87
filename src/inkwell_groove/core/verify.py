"""Verifying what lies on a disk: FLAC files against their own MD5, packages against their checksums."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from pathlib import Path
from typing import Literal

from pydantic import BaseModel, ConfigDict

from inkwell_groove.core import cuesheet, tagging
from inkwell_groove.core.disc import log as disc_log
from inkwell_groove.core.errors import InkwellError, Missing
from inkwell_groove.core.flacfile import read_streaminfo
from inkwell_groove.core.sealing.album import SUMS_NAME
from inkwell_groove.core.sealing.papers import parse_checksum_list
from inkwell_groove.core.sealing.tracks import pcm_bytes
from inkwell_groove.core.soundfiles import FileReader, blocks

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

    In a folder with SHA256SUMS every listed file must be there and match, and every other file is reported.
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
    present = sorted(str(path.relative_to(folder)) for path in folder.rglob("*") if path.is_file())
    expected: dict[str, str] = {}
    sums = folder / SUMS_NAME
    if sums.is_file():
        try:
            expected = dict(parse_checksum_list(sums.read_text("utf-8")))
        except ValueError as cause:
            yield FileVerdict(file=SUMS_NAME, verdict="faulty", reasons=(str(cause),))
        else:
            yield FileVerdict(file=SUMS_NAME, verdict="sound", reasons=(f"it lists {len(expected)} files",))
    for name in sorted(set(expected) - set(present)):
        yield FileVerdict(file=name, verdict="faulty", reasons=(f"it is listed in {SUMS_NAME} and missing",))
    for name in present:
        if name != SUMS_NAME:
            yield _held_against(expected.get(name), folder / name, name, bool(expected))


def _held_against(listed: str | None, path: Path, name: str, has_list: bool) -> FileVerdict:
    own = verify_file(path, name)
    if listed is None:
        return own.model_copy(update={"reasons": (*own.reasons, f"not listed in {SUMS_NAME}")}) if has_list else own
    with path.open("rb") as file:
        found = hashlib.file_digest(file, "sha256").hexdigest()
    if found != listed:
        reason = f"its SHA-256 is {found}, {SUMS_NAME} says {listed}"
        return own.model_copy(update={"verdict": "faulty", "reasons": (*own.reasons, reason)})
    reasons = (*(() if own.verdict == "unproven" else own.reasons), f"SHA-256 as in {SUMS_NAME}")
    return own.model_copy(update={"verdict": "sound" if own.verdict == "unproven" else own.verdict, "reasons": reasons})
