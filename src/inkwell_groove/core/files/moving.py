"""Many files moved at once: what goes where, who stands in whose way, and what pointed there."""

from __future__ import annotations

import posixpath
import re
import unicodedata
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from inkwell_groove.core.errors import Refused
from inkwell_groove.core.filing import safe_name

_URL = re.compile(r"^[a-z][a-z0-9+.-]*://", re.IGNORECASE)
_CUE_FILE = re.compile(r'^(\s*FILE\s+)("[^"]*"|\S+)(\s+\S+\s*)$', re.IGNORECASE)


@dataclass(frozen=True)
class Move:
    """One file's way. `told` says why it goes elsewhere than was asked."""

    key: int
    old: str
    new: str
    told: str = ""


def plan_moves(now: Mapping[int, str], wanted: Mapping[int, str], *, others: Iterable[str] = ()) -> list[Move]:
    """The moves that bring files where they are wanted, in the order of `wanted`; those that stay are not among them.

    `others` are paths of files that stay where they are. Two files that want one name, on any system (case and the form
    of accents do not count), are told apart by (2), (3) ...
    """
    moving = {key for key in wanted if key in now}
    taken = {_same(path) for path in others} | {_same(path) for key, path in now.items() if key not in moving}
    moves = []
    for key, path in wanted.items():
        if key not in now:
            continue
        free, count = path, 2
        folder, name = posixpath.split(path)
        stem, suffix = posixpath.splitext(name)
        while _same(free) in taken:
            mark = f" ({count}){suffix}"
            free = posixpath.join(folder, safe_name(stem[: 200 - len(mark)], suffix=mark, keep_percent=True))
            count += 1
        taken.add(_same(free))
        if free != now[key]:
            moves.append(Move(key, now[key], free, "" if free == path else f"'{name}' is taken there already"))
    return moves


def rename_all(moves: Sequence[tuple[Path, str, str]], *, settle: Callable[[Path], None] = lambda _: None) -> None:
    """Moves files (root, old, new) at once: all aside first, so that they may change places, or a name its case.

    Can be begun again: what lies aside already, or is there already, is not moved twice. Folders that are left empty
    go; `settle` is called for every folder that changed. Raises Refused where a file lies in the way.
    """
    waiting: list[tuple[Path, Path]] = []
    left: set[Path] = set()
    for number, (root, old, new) in enumerate(moves):
        source, target = root / old, root / new
        target.parent.mkdir(parents=True, exist_ok=True)
        aside = target.parent / f".moving-{number}-{len(moves)}"
        if not aside.exists() and source.exists():
            source.rename(aside)
        if aside.exists():
            waiting.append((aside, target))
            left.add(source.parent)
            left.update(one for one in source.parents if one != root and one.is_relative_to(root))
    for aside, target in waiting:
        if target.exists():
            raise Refused(
                f"{target.name} is there already", where=str(target), remedy="Look at the folder, write again"
            )
        aside.rename(target)
    for folder in {target.parent for _, target in waiting} | {one for one in left if one.exists()}:
        settle(folder)
    roots = {root for root, _, _ in moves}
    for folder in sorted(left - roots, key=lambda one: -len(one.parts)):
        if folder.exists() and not any(folder.iterdir()):
            folder.rmdir()


def corrected_playlist(text: str, moved: Mapping[str, str], folder: str) -> str:
    """A playlist of lines (M3U), lying in `folder`, with the moved files' new places; all else to the letter."""
    out = []
    for line in text.splitlines(keepends=True):
        body = line.rstrip("\r\n")
        new = _elsewhere(body, moved, folder) if body and not body.startswith("#") else None
        out.append(line if new is None else new + line[len(body) :])
    return "".join(out)


def corrected_cue(text: str, moved: Mapping[str, str], folder: str) -> str:
    """A cue sheet's FILE lines likewise."""
    out = []
    for line in text.splitlines(keepends=True):
        body = line.rstrip("\r\n")
        match = _CUE_FILE.match(body)
        new = _elsewhere(match[2].strip('"'), moved, folder) if match else None
        out.append(line if match is None or new is None else f'{match[1]}"{new}"{match[3]}' + line[len(body) :])
    return "".join(out)


def _elsewhere(written: str, moved: Mapping[str, str], folder: str) -> str | None:
    if _URL.match(written) or written.startswith("/"):
        return None
    path = posixpath.normpath(posixpath.join(folder, written.replace("\\", "/")))
    new = moved.get(path) or next((to for old, to in moved.items() if _same(old) == _same(path)), None)
    if new is None:
        return None
    relative = posixpath.relpath(new, folder or ".")
    return relative.replace("/", "\\") if "\\" in written else relative


def _same(path: str) -> str:
    return unicodedata.normalize("NFC", unicodedata.normalize("NFKD", path).casefold())
