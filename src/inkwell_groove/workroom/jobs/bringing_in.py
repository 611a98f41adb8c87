"""Looks at a folder of files that others made, and copies it into the store unless it is edited where it lies.

No file keeps the others out: what cannot be read is brought in with its reason, what cannot be brought in is told.
"""

from __future__ import annotations

import shutil
import stat
import unicodedata
import zipfile
from collections.abc import Iterable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path, PurePosixPath

import structlog

from inkwell_groove.core import archives
from inkwell_groove.core.errors import InkwellError, Refused
from inkwell_groove.core.files.audio_bytes import digests
from inkwell_groove.core.files.reading import read_file
from inkwell_groove.core.files.silence import silent_tail_s
from inkwell_groove.core.filing import MAX_NAME_BYTES
from inkwell_groove.core.fixity import sha256_of
from inkwell_groove.core.sealing.apart import take_apart
from inkwell_groove.store.disk import DiskSpace
from inkwell_groove.store.durable import sync_folder, sync_tree
from inkwell_groove.workroom.files.folders import MOST_FILES, files_below, kind_of, shown
from inkwell_groove.workroom.files.orders import Result, facts_of, fault_of, problem_of, write_lines
from inkwell_groove.workroom.jobs.arguments import BringIn
from inkwell_groove.workroom.jobs.kind import Result as JobResult
from inkwell_groove.workroom.jobs.kind import Task

log = structlog.get_logger()
_THREADS = 4
_MOST_ZIP_BYTES = 1 << 40


def bring_in(arguments: BringIn, task: Task) -> JobResult:
    """Look at every file of a folder; copy them into the store unless they are edited in place.

    What was found is written beside them, in lines.
    """
    media, progress = task.media, task.progress
    source, target = media.path_of(arguments.source), media.bundle(arguments.bundle_id)
    told: list[str] = []
    with task.media.workspace() as work:
        folder = source
        if not arguments.in_place:
            folder = work / "files"
            folder.mkdir()
            if arguments.apart:
                copy = _cut(source, folder, told)
            else:
                is_archive = source.is_file()
                copy = _unpacked(source, folder, media.space, told) if is_archive else _copied(source, folder, told)
            for share in copy:
                progress(0.5 * share, "copying")
        paths = sorted(files_below(folder, told))
        found = []
        with ThreadPoolExecutor(_THREADS) as pool:
            for number, one in enumerate(pool.map(lambda path: _look_at(folder, path), paths)):
                found.append(one)
                if number % 20 == 0:
                    progress(0.5 + 0.5 * number / max(1, len(paths)), f"reading {number} of {len(paths)}")
        if not arguments.in_place:
            sync_tree(folder)
            shutil.rmtree(target, ignore_errors=True)
            target.parent.mkdir(parents=True, exist_ok=True)
            folder.rename(target)
            sync_folder(target.parent)
        write_lines(media.root / "bundles" / f"{arguments.bundle_id}.found", found)
    return {"told": told, "files": len(found)}


def _look_at(folder: Path, path: Path) -> Result:
    """What a file is and holds; of one that cannot be read, why. No file keeps the others of its folder out."""
    name = path.relative_to(folder).as_posix()
    try:
        return _seen(path, name)
    except InkwellError as cause:
        refusal: InkwellError = cause
    except OSError as cause:
        refusal = Refused(f"it cannot be read ({cause.strerror})", where=name, remedy="Look at the disk and its rights")
    except Exception as cause:
        log.exception("a file could not be looked at", file=name)
        refusal = fault_of(cause, name)
    try:
        sha256, size = sha256_of(path), path.stat().st_size
    except OSError:
        sha256, size = "", 0
    return Result(path=name, kind="unreadable", sha256=sha256, size_bytes=size, problem=problem_of(refusal))


def _seen(path: Path, name: str) -> Result:
    size = path.stat().st_size
    if (kind := kind_of(path)) != "audio":
        return Result(path=name, kind=kind, sha256=sha256_of(path), size_bytes=size)
    tags, found = read_file(path), digests(path)
    facts = facts_of(tags)
    if tags.format in ("FLAC", "WAV", "AIFF"):
        try:
            facts["silent_tail_s"] = silent_tail_s(path)
        except InkwellError as refusal:
            return Result(
                path=name,
                kind="unreadable",
                sha256=found.whole,
                size_bytes=size,
                problem=problem_of(refusal),
                facts=facts,
                fields=tags.fields,
            )
    return Result(
        path=name,
        kind="audio",
        sha256=found.whole,
        audio_digest=found.audio,
        size_bytes=size,
        fields=tags.fields,
        facts=facts,
    )


def _copied(source: Path, target: Path, told: list[str]) -> Iterable[float]:
    paths = list(files_below(source, told))
    for number, path in enumerate(paths):
        to = target / path.relative_to(source)
        to.parent.mkdir(parents=True, exist_ok=True)
        shutil.copy2(path, to)
        yield number / len(paths)


def _cut(source: Path, target: Path, told: list[str]) -> Iterable[float]:
    done = take_apart(source, target)
    told.append(f"Cut into {len(done.tracks)} tracks as its {done.cuts_from} says, every sample compared")
    yield 1.0


def _unpacked(source: Path, target: Path, space: DiskSpace, told: list[str]) -> Iterable[float]:
    size = source.stat().st_size
    with archives.opened(source, where=source.name, remedy="Pack the folder anew") as archive:
        parts = archives.parts_of(
            archive, where=source.name, most_parts=MOST_FILES, most_bytes=_MOST_ZIP_BYTES, packed_bytes=size
        )
        space.need(sum(one.file_size for one in parts), where=source.name)
        there: set[str] = set()
        for number, part in enumerate(parts):
            name = PurePosixPath(part.filename.replace("\\", "/"))
            if why := _why_not(part, name, there):
                told.append(f"{shown(part.filename)} {why}: left out")
                continue
            to = target / name
            try:
                to.parent.mkdir(parents=True, exist_ok=True)
                archives.unpack(archive, part, to)
            except (FileExistsError, NotADirectoryError, IsADirectoryError):
                told.append(f"{shown(part.filename)} is a file and a folder in the archive: left out")
                continue
            except Refused as refusal:
                told.append(f"{shown(part.filename)}: {refusal.what}: left out")
                continue
            there.add(_one_name(name))
            yield number / len(parts)


def _why_not(part: zipfile.ZipInfo, name: PurePosixPath, there: set[str]) -> str:
    """Return why a part of an archive is not unpacked; empty if it is."""
    if name.is_absolute() or ".." in name.parts or stat.S_ISLNK(part.external_attr >> 16):
        return "points outside the archive"
    if not name.parts:
        return "has no name"
    if part.flag_bits & 1:
        return "is locked with a password"
    if any(len(one.encode("utf-8", "surrogatepass")) > MAX_NAME_BYTES for one in name.parts):
        return f"has a name of over {MAX_NAME_BYTES} bytes"
    if _one_name(name) in there:
        return "is there twice, and the first was kept"
    return ""


def _one_name(name: PurePosixPath) -> str:
    """Return a name in Unicode NFC, so that two spellings that look the same are one. Case counts."""
    return unicodedata.normalize("NFC", str(name))
