"""Many files moved at once: what goes where, who stands in whose way, and what pointed there."""

from __future__ import annotations

import contextlib
import posixpath
import re
import unicodedata
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path, PurePath

from inkwell_groove.core.errors import Refused
from inkwell_groove.core.files.beneath import check, held
from inkwell_groove.core.filing import safe_name
from inkwell_groove.core.fixity import sha256_of

_LOOK_AGAIN = "Look at the folder again"
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
    """Return the moves that bring files where they are wanted, in the order of `wanted`, without those that stay.

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


@dataclass(frozen=True)
class FileIdentity:
    """Tells a file again under any name: by its number on the disk, or by its content if that is another."""

    device: int
    inode: int
    size: int
    modified_ns: int
    sha256: str = ""

    @classmethod
    def of(cls, path: Path, sha256: str = "") -> FileIdentity:
        """Return the identity of the file at a path. Raises OSError if there is none."""
        found = path.lstat()
        return cls(found.st_dev, found.st_ino, found.st_size, found.st_mtime_ns, sha256)

    def is_at(self, path: Path) -> bool:
        """Return whether this very file lies there, or one with its content."""
        try:
            found = path.lstat()
        except OSError:
            return False
        if found.st_size != self.size or not path.is_file():
            return False
        # The number of a file that was deleted is given to another one: the time tells them apart.
        if (found.st_dev, found.st_ino, found.st_mtime_ns) == (self.device, self.inode, self.modified_ns):
            return True
        return bool(self.sha256) and sha256_of(path) == self.sha256


@dataclass(frozen=True)
class Renaming:
    """One file on its way. `key` tells it from all others that are on their way in the same folders."""

    root: Path
    old: str
    new: str
    identity: FileIdentity
    key: str

    @property
    def source(self) -> Path:
        return self.root / self.old

    @property
    def target(self) -> Path:
        return self.root / self.new

    @property
    def inside_aside(self) -> PurePath:
        """Where it lies while all are on their way, below the root."""
        return PurePath(self.new).parent / f".moving-{self.key}"

    @property
    def aside(self) -> Path:
        return self.root / self.inside_aside


def rename_all(renamings: Sequence[Renaming], *, settle: Callable[[Path], None] = lambda _: None) -> None:
    """Rename files at once: all aside first, so that they may change places, or a name its case.

    Can be begun again at any point: where each file is, is told by its identity, never by its name, which may be
    another's by then. Folders that are left empty go; `settle` is called for every folder that changed. Raises Refused,
    with every file back where it was, if a file is gone, another one lies in the way, or a folder is a link.
    """
    waiting = [one for one in renamings if one.aside.exists() or not one.identity.is_at(one.target)]
    leaving = {one.source for one in waiting}
    try:
        for one in waiting:
            check(one.root, one.old)
            check(one.root, one.new)
            if not one.aside.exists() and not one.identity.is_at(one.source):
                raise Refused("the file is gone, or another lies there", where=one.old, remedy=_LOOK_AGAIN)
            if one.target.exists() and one.target not in leaving:
                raise _in_the_way(one)
        for one in waiting:
            with held(one.root, one.inside_aside, make=True) as aside:
                if not aside.exists():
                    with held(one.root, one.old) as source:
                        source.rename(aside)
        for one in waiting:
            if one.target.exists():
                raise _in_the_way(one)
            _arrive(one, one.new)
    except Refused:
        _back(waiting)
        raise
    left = {one.source.parent for one in renamings}
    left |= {
        parent
        for one in renamings
        for parent in one.source.parents
        if parent != one.root and parent.is_relative_to(one.root)
    }
    for folder in {one.target.parent for one in renamings} | {one for one in left if one.exists()}:
        settle(folder)
    for folder in sorted(left - {one.root for one in renamings}, key=lambda one: -len(one.parts)):
        if folder.exists() and not any(folder.iterdir()):
            folder.rmdir()


def _in_the_way(one: Renaming) -> Refused:
    return Refused(f"{one.target.name} is there already", where=one.new, remedy=_LOOK_AGAIN)


def _arrive(one: Renaming, name: str) -> None:
    """Rename a file that lies aside to a name, whose folder is made if need be."""
    with held(one.root, one.inside_aside) as aside, held(one.root, name, make=True) as target:
        aside.rename(target)


def _back(waiting: Sequence[Renaming]) -> None:
    """Put what lies aside, or has arrived, back under its old name, where nothing else has that."""
    for one in waiting:
        if not one.aside.exists() and one.identity.is_at(one.target) and one.target != one.source:
            with (
                contextlib.suppress(Refused),
                held(one.root, one.new) as target,
                held(one.root, one.inside_aside) as aside,
            ):
                target.rename(aside)
    for one in waiting:
        if one.aside.exists() and not one.source.exists():
            with contextlib.suppress(Refused):
                _arrive(one, one.old)


def going_along(moves: Mapping[str, str], staying: Iterable[str], beside: Iterable[str]) -> dict[str, str]:
    """Return where files that lie beside sound go with it, by where they lie now.

    `moves` are the old and new paths of sound files, `staying` those of sound that stays, `beside` those of all else:
    covers, logs, playlists, folders of scans. They go where all sound of their folder goes, if it goes to one folder
    and keeps the order of its own inner folders; where there is no sound in a folder, that above it counts.
    """
    goes: dict[str, str | None] = {}
    for old, new in [*moves.items(), *((path, path) for path in staying)]:
        was = posixpath.dirname(old)
        will_be: str | None = posixpath.dirname(new)
        while True:
            known = goes.setdefault(was, will_be)
            if known != will_be:
                goes[was] = None  # to more than one folder
            if not was:
                break
            if will_be is None or posixpath.basename(was) != posixpath.basename(will_be):
                will_be = None  # its own name is another one there: the folder above it does not go as a whole
            else:
                will_be = posixpath.dirname(will_be)
            was = posixpath.dirname(was)
    found = {}
    for path in beside:
        folder = posixpath.dirname(path)
        while folder and folder not in goes:
            folder = posixpath.dirname(folder)
        target = goes.get(folder)
        if target is None or target == folder:
            continue
        if path.startswith(f"{target}/") and (not folder or target.startswith(f"{folder}/")):
            continue  # the folder that the sound goes into was there already, with this in it
        found[path] = posixpath.join(target, posixpath.relpath(path, folder or "."))
    return found


def corrected_playlist(text: str, moved: Mapping[str, str], was_in: str, lies_in: str) -> str:
    """Return a playlist of lines (M3U) with the moved files' new places; all else to the letter.

    It lay in the folder `was_in` as it was written, and lies in `lies_in` now.
    """
    out = []
    for line in text.splitlines(keepends=True):
        body = line.rstrip("\r\n")
        new = _elsewhere(body, moved, was_in, lies_in) if body and not body.startswith("#") else None
        out.append(line if new is None else new + line[len(body) :])
    return "".join(out)


def corrected_cue(text: str, moved: Mapping[str, str], was_in: str, lies_in: str) -> str:
    """Return a cue sheet with its FILE lines corrected likewise."""
    out = []
    for line in text.splitlines(keepends=True):
        body = line.rstrip("\r\n")
        match = _CUE_FILE.match(body)
        new = _elsewhere(match[2].strip('"'), moved, was_in, lies_in) if match else None
        out.append(line if match is None or new is None else f'{match[1]}"{new}"{match[3]}' + line[len(body) :])
    return "".join(out)


def _elsewhere(written: str, moved: Mapping[str, str], was_in: str, lies_in: str) -> str | None:
    """Return what a list is to say instead of `written`, None to leave it."""
    if _URL.match(written) or written.startswith("/"):
        return None
    path = posixpath.normpath(posixpath.join(was_in, written.replace("\\", "/")))
    new = moved.get(path) or next((to for old, to in moved.items() if _same(old) == _same(path)), None)
    if new is None:
        if was_in == lies_in:
            return None
        new = path  # it stayed, but the list did not
    relative = posixpath.relpath(new, lies_in or ".")
    return relative.replace("/", "\\") if "\\" in written else relative


def _same(path: str) -> str:
    return unicodedata.normalize("NFC", unicodedata.normalize("NFKD", path).casefold())
