"""Comparing sounds, and moving files aside and back, in a worker process."""

from __future__ import annotations

import os
import shutil
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np

from inkwell_groove.core.duplicates.pairs import likely_pairs
from inkwell_groove.core.duplicates.portrait import Portrait, mono_of, portray
from inkwell_groove.core.duplicates.relation import relate
from inkwell_groove.core.errors import InkwellError, Refused
from inkwell_groove.core.fingerprint.likeness import SPEEDS
from inkwell_groove.core.fingerprint.prints import Prints, of_mono
from inkwell_groove.core.fixity import sha256_of
from inkwell_groove.store.durable import sync_file, sync_folder
from inkwell_groove.store.media import MediaStore
from inkwell_groove.workroom.files.orders import (
    CompareOrder,
    CompareResult,
    KnownPair,
    MoveOrder,
    MoveResult,
    append_lines,
    read_lines,
)
from inkwell_groove.workroom.jobs.arguments import InFolder, MoveFiles
from inkwell_groove.workroom.jobs.kind import Result, Task


def compare_sounds(arguments: InFolder, task: Task) -> Result:
    """Compare sounds of an order that are likely to be the same.

    Pairs that are known are left out. What was found is appended in lines, so a job that was killed goes on.
    """
    media, progress, folder = task.media, task.progress, task.media.path_of(arguments.folder)
    paths: dict[str, Path] = {}
    for line in read_lines(folder / "order"):
        order = CompareOrder.model_validate_json(line)
        paths[order.sound_id] = media.path_of(order.path)
    found = [CompareResult.model_validate_json(line) for line in read_lines(folder / "found")]
    known = _pairs(folder / "known") | {(one.first, one.second) for one in found}
    names = [name for number, name in enumerate(paths) if _is_portrayed(task, name, paths[name], number / len(paths))]
    progress(0.3, f"looking for likely pairs among {len(names)} sounds")
    likely = likely_pairs(Portrait.load(media.portrait(name)) for name in names)
    wanted: dict[tuple[str, str], tuple[float, ...]] = {}
    for pair in likely:
        first, second, ratio = names[pair.first], names[pair.second], pair.speed_ratio
        if first > second:
            first, second, ratio = second, first, 1.0 / ratio
        wanted[first, second] = (min(SPEEDS, key=lambda one, ratio=ratio: abs(one - ratio)),)  # type: ignore[misc]
    here = set(names)
    for first, second in _pairs(folder / "titled"):
        if first in here and second in here:
            wanted.setdefault((first, second), SPEEDS)
    todo = [(pair, speeds) for pair, speeds in wanted.items() if pair not in known]
    for number, ((first, second), speeds) in enumerate(todo):
        progress(0.4 + 0.6 * number / len(todo), f"comparing {number + 1} of {len(todo)} pairs")
        one, other = Portrait.load(media.portrait(first)), Portrait.load(media.portrait(second))
        relation = relate(one, other, _at_speed(media, second, paths[second]), speeds=speeds)
        append_lines(folder / "found", [CompareResult(first=first, second=second, relation=relation)])
    _forget_portraits(media, here, (folder / "order").stat().st_mtime)
    return {"pairs": len(todo)}


def _forget_portraits(media: MediaStore, here: set[str], asked_at: float) -> None:
    """Delete the portraits of sounds that are there no more. A sound that comes back is heard again."""
    for one in media.portraits():
        if one.name not in here and one.stat().st_mtime < asked_at:
            one.unlink(missing_ok=True)


def _is_portrayed(task: Task, name: str, path: Path, share: float) -> bool:
    """Return whether a sound has a portrait, made now if it had none; of what cannot be read there is none."""
    if task.media.portrait(name).is_file():
        return True
    task.progress(0.3 * share, f"listening to {path.name}")
    try:
        portrait = portray(task.media.here(path)).portrait
    except InkwellError:
        return False
    keep_portrait(task, name, portrait)
    return True


def keep_portrait(task: Task, name: str, portrait: Portrait) -> None:
    with task.media.workspace() as work:
        portrait.save(work / "portrait")
        target = task.media.portrait(name)
        target.parent.mkdir(parents=True, exist_ok=True)
        (work / "portrait").replace(target)


def _pairs(path: Path) -> set[tuple[str, str]]:
    return {(one.first, one.second) for line in read_lines(path) if (one := KnownPair.model_validate_json(line))}


def _at_speed(media: MediaStore, name: str, sound: Path) -> Any:
    """Return the prints of a sound at one of the speeds: from its portrait, or else from the sound."""

    @lru_cache(maxsize=len(SPEEDS))
    def at(speed: float) -> Prints:
        if speed == 1.0:
            return Portrait.load(media.portrait(name)).prints
        return _prints_of(media, sound, speed)

    return at


def _prints_of(media: MediaStore, path: Path, speed: float) -> Prints:
    try:
        return of_mono(mono_of(media.here(path), speed_ratio=speed)).prints
    except InkwellError:
        return np.zeros(0, np.uint32)


def move_files(arguments: MoveFiles, task: Task) -> Result:
    """Move files aside or back, as the order in the folder says. Each moved file is appended to `moved`.

    A file is copied or linked to where it goes, proven and synced there, and noted, before it is taken away from where
    it was: whenever this is killed it is in one place at least, and done again it ends the same.
    """
    media, folder = task.media, task.media.path_of(arguments.folder)
    orders = [MoveOrder.model_validate_json(line) for line in read_lines(folder / "order")]
    done = {MoveResult.model_validate_json(line).key for line in read_lines(folder / "moved")}
    for number, order in enumerate(orders):
        task.progress(number / len(orders), f"moving {number + 1} of {len(orders)} files")
        source, target = media.path_of(order.source), media.path_of(order.target)
        if order.key not in done:
            problem = _link_in(media, source, target) or _moved(source, target, order.sha256)
            append_lines(folder / "moved", [MoveResult(key=order.key, problem=problem)])
            sync_file(folder / "moved")
            if problem:
                continue
        if target.is_file() and source.is_file() and sha256_of(target) == order.sha256:
            source.unlink()
    return {"files": len(orders)}


def _link_in(media: MediaStore, *paths: Path) -> str:
    """Return that one of the ways is by a link; empty if none is."""
    try:
        for path in paths:
            media.check_no_link(path)
    except Refused as refusal:
        return refusal.what
    return ""


def _moved(source: Path, target: Path, sha256: str) -> str:
    """Why a file could not be moved; empty where it was."""
    if not source.is_file():
        return "the file is gone" if not target.is_file() or sha256_of(target) != sha256 else ""
    if sha256_of(source) != sha256:
        return "somebody altered the file since it was looked at"
    if target.exists():
        return "" if sha256_of(target) == sha256 else "another file lies there"
    target.parent.mkdir(parents=True, exist_ok=True)
    beside = target.with_name(f".{target.name}.part")
    beside.unlink(missing_ok=True)
    try:
        os.link(source, beside)
    except OSError:  # another file system, or one that knows no links
        shutil.copy2(source, beside)
    sync_file(beside)
    if sha256_of(beside) != sha256:
        beside.unlink()
        return "the copy is not the same: the disk does not keep what is written"
    beside.replace(target)
    sync_folder(target.parent)
    return ""
