"""Backups: the database as it is at one moment, and the files that its rows speak of, while others work.

    objects/ab/abcdef...          files, each kept once for all backups
    backups/20261202T065000Z/     one backup: manifest.jsonl.gz, database.sql.gz and, written last, backup.json

The order makes it whole. First all files are copied, which takes long; then steps of work on files are held back, what
moves as soon as a row says so is held fast by links, and the database is dumped. A row speaks of files that were there
before it was: they are copied by then, or are copied now, each only if it is new. A backup that broke off counts for
nothing, and the next one has what it copied.
"""

from __future__ import annotations

import fcntl
import gzip
import json
import os
import shutil
import time
from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import asdict, dataclass, replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Literal

from pydantic import BaseModel, ConfigDict, ValidationError

from inkwell_groove import __version__
from inkwell_groove.admin import contents
from inkwell_groove.admin.objects import Objects
from inkwell_groove.core.errors import Conflict, Missing, Refused
from inkwell_groove.core.fixity import sha256_of
from inkwell_groove.store.database import Database
from inkwell_groove.store.dump import dump
from inkwell_groove.store.durable import move_into_place, sync_file
from inkwell_groove.store.files import keep_private
from inkwell_groove.store.migrate import check_current, head_revision
from inkwell_groove.store.settings import Settings
from inkwell_groove.workroom.files.steps import nothing_else_runs

FORM = 1  # of a backup's files
_FACTS, _MANIFEST, _DUMP, _LOCK, PART = "backup.json", "manifest.jsonl.gz", "database.sql.gz", "in use", ".part"
_STEPS_WAIT_S = 900.0
Say = Callable[[str], None]


@dataclass(frozen=True)
class Entry:
    """A file of a backup, or a folder with nothing in it. Its name may be no text: bytes are kept as surrogates."""

    root: str
    path: str
    kind: Literal["file", "folder"]
    mtime_ns: int
    mode: int
    size_bytes: int = 0
    inode: int = 0  # where it was: with size and time it tells the next backup that nothing changed
    sha256: str = ""


class Facts(BaseModel):
    """What is known of a backup."""

    model_config = ConfigDict(frozen=True)

    form: int = FORM
    version: str
    schema_revision: str
    began_at: datetime
    ended_at: datetime
    files: int
    size_bytes: int
    new_files: int
    new_bytes: int
    manifest_sha256: str
    dump_sha256: str


class Backup:
    """One backup that is whole."""

    def __init__(self, folder: Path, facts: Facts) -> None:
        self.folder, self.facts = folder, facts
        self.name = folder.name
        self.dump = folder / _DUMP

    def entries(self) -> Iterator[Entry]:
        with gzip.open(self.folder / _MANIFEST, "rt", encoding="ascii") as lines:
            for line in lines:
                yield Entry(**json.loads(line))

    def check_papers(self) -> list[str]:
        """Return which of its own files are not what they were when it was made."""
        wanted = {_MANIFEST: self.facts.manifest_sha256, _DUMP: self.facts.dump_sha256}
        return [
            name
            for name, sha256 in wanted.items()
            if not (self.folder / name).is_file() or sha256_of(self.folder / name) != sha256
        ]


def backups_in(folder: Path) -> list[Backup]:
    """Return the backups of a folder that are whole, the oldest first. Raises Missing if it is not there."""
    if not folder.is_dir():
        raise Missing("there is no such folder", where=str(folder), remedy="Connect its disk, or make it")
    found = []
    for path in sorted((folder / "backups").glob(f"*/{_FACTS}")):
        if path.parent.name.endswith(PART):
            continue  # half made, or half given up
        try:
            facts = Facts.model_validate_json(path.read_bytes())
        except ValidationError as cause:
            raise Refused(
                "this backup was made by a version that this one does not know, or it is damaged",
                where=str(path),
                remedy="Use the version that made it, or another of the backups",
            ) from cause
        found.append(Backup(path.parent, facts))
    return found


def objects_in(folder: Path) -> Objects:
    return Objects(folder / "objects")


def back_up(given: Settings, folder: Path, *, say: Say) -> Backup:
    """Make a backup in a folder, in which others may be already; return it.

    Raises Missing if the folder is not there, Refused if it lies in what is backed up, Conflict if another backup is
    being made there or a step of work on files does not end, ProofFailed, DumpFailed, DatabaseAway.
    """
    earlier = backups_in(folder)
    roots = contents.roots_of(given)
    for name, root in roots.items():
        if folder.resolve().is_relative_to(root.resolve()):
            raise Refused(
                f"it lies in the folder '{name}' of what is backed up", where=str(folder), remedy="Choose another"
            )
    check_current(given.database_url)
    with alone_in(folder):
        return _Making(given, folder, roots, earlier[-1] if earlier else None, say).make()


class _Making:
    """One backup while it is made."""

    def __init__(self, given: Settings, folder: Path, roots: Mapping[str, Path], last: Backup | None, say: Say) -> None:
        self._given, self._folder, self._roots, self._say = given, folder, roots, say
        self._objects = objects_in(folder)
        self._known = {(one.root, one.path): one for one in last.entries()} if last is not None else {}
        self._entries: dict[tuple[str, str], Entry] = {}
        self._new_files = self._new_bytes = 0

    def make(self) -> Backup:
        began_at = datetime.now(UTC)
        for name in ("objects", "backups"):
            keep_private(self._folder / name)  # names and digests of passwords are in it
        self._objects.clear_parts()
        for left in (self._folder / "backups").glob(f"*{PART}"):
            shutil.rmtree(left)
        beside = self._folder / "backups" / f"{began_at:%Y%m%dT%H%M%S.%f}Z{PART}"
        beside.mkdir(parents=True)
        self._say("copying what is not in an earlier backup")
        self._copy(self._found(contents.tops_of(self._roots)))
        self._entries.clear()  # what is gone by the time of the dump is no part of the backup
        with self._held_fast() as held:
            with self._no_step_on_files():
                self._say("dumping the database")
                held.hold()
                dump(self._given.database_url, beside / _DUMP)
                held.hold()  # what came while it was dumped
                self._copy(self._found(contents.altered(self._roots)))
            self._copy(held.found())
        self._say("copying what came meanwhile")
        self._copy(self._found(contents.lasting(self._roots)))
        return self._finish(beside, began_at)

    def _finish(self, beside: Path, began_at: datetime) -> Backup:
        with gzip.open(beside / _MANIFEST, "wt", encoding="ascii") as file:
            for _, entry in sorted(self._entries.items()):
                file.write(json.dumps(asdict(entry)) + "\n")
        for name in (_MANIFEST, _DUMP):
            sync_file(beside / name)
        files = [entry for entry in self._entries.values() if entry.kind == "file"]
        facts = Facts(
            version=__version__,
            schema_revision=head_revision(),
            began_at=began_at,
            ended_at=datetime.now(UTC),
            files=len(files),
            size_bytes=sum(one.size_bytes for one in files),
            new_files=self._new_files,
            new_bytes=self._new_bytes,
            manifest_sha256=sha256_of(beside / _MANIFEST),
            dump_sha256=sha256_of(beside / _DUMP),
        )
        (beside / _FACTS).write_text(facts.model_dump_json(indent=1), "utf-8")
        sync_file(beside / _FACTS)
        target = beside.with_name(beside.name.removesuffix(PART))
        move_into_place(beside, target)
        return Backup(target, facts)

    def _found(self, tops: Mapping[str, Iterable[str]]) -> Iterator[contents.Found]:
        for name, folder in self._roots.items():
            yield from contents.walk(name, folder, tops[name])

    def _copy(self, found: Iterable[contents.Found]) -> None:
        for one in found:
            entry = self._entry(one)
            if entry is not None:
                self._entries[one.root, one.path] = entry

    def _entry(self, one: contents.Found) -> Entry | None:
        """Return the entry of a file, whose content is an object then; None if it vanished."""
        known, mode = one.known, one.known.st_mode & 0o777
        if one.is_folder:
            return Entry(root=one.root, path=one.path, kind="folder", mtime_ns=known.st_mtime_ns, mode=mode)
        before = self._known.get((one.root, one.path))
        same = before is not None and (before.size_bytes, before.mtime_ns, before.inode) == (
            known.st_size,
            known.st_mtime_ns,
            known.st_ino,
        )
        if before is not None and same and self._objects.has(before.sha256, before.size_bytes):
            return replace(before, mode=mode)
        try:
            sha256, size_bytes, is_new = self._objects.add(one.at)
        except FileNotFoundError:
            return None
        self._new_files += is_new
        self._new_bytes += size_bytes if is_new else 0
        made = Entry(
            root=one.root,
            path=one.path,
            kind="file",
            size_bytes=size_bytes,
            mtime_ns=known.st_mtime_ns,
            mode=mode,
            inode=known.st_ino,
            sha256=sha256,
        )
        self._known[one.root, one.path] = made
        return made

    @contextmanager
    def _no_step_on_files(self) -> Iterator[None]:
        """Wait until no step works on files that others made, and let none begin within the block."""
        database, until_s = Database(self._given.database_url), time.monotonic() + _STEPS_WAIT_S
        try:
            while True:
                with database.begin() as session:
                    try:
                        nothing_else_runs(session)
                    except Conflict:
                        if time.monotonic() > until_s:
                            raise
                    else:
                        yield
                        return
                self._say("waiting until files are written")
                time.sleep(1.0)
        finally:
            database.close()

    @contextmanager
    def _held_fast(self) -> Iterator[_HeldFast]:
        held = _HeldFast(self._roots)
        try:
            yield held
        finally:
            held.let_go()


class _HeldFast:
    """Files that are moved or removed as soon as a row says so, kept by a second name until they are copied."""

    def __init__(self, roots: Mapping[str, Path]) -> None:
        self._roots = roots
        self._links = {name: root / contents.HELD for name, root in roots.items()}
        self.let_go()  # what a killed backup held
        for folder in self._links.values():
            folder.mkdir(parents=True)
        self._seen: dict[tuple[str, str], contents.Found] = {}

    def hold(self) -> None:
        """Link what is there now and was not before, or is another file by now.

        A row speaks of a file that was written before it was: the newer one is right.
        """
        for name, tops in contents.passing(self._roots).items():
            for one in contents.walk(name, self._roots[name], tops):
                link, before = self._links[name] / one.path, self._seen.get((one.root, one.path))
                if one.is_folder or (before is not None and before.known.st_ino == one.known.st_ino):
                    self._seen.setdefault((one.root, one.path), one)
                    continue
                link.parent.mkdir(parents=True, exist_ok=True)
                link.unlink(missing_ok=True)
                try:
                    os.link(one.at, link)
                except FileNotFoundError:
                    continue
                self._seen[one.root, one.path] = contents.Found(one.root, one.path, link, one.known)

    def found(self) -> Iterator[contents.Found]:
        """Yield what is held, as it is now."""
        for one in self._seen.values():
            yield one if one.is_folder else contents.Found(one.root, one.path, one.at, one.at.lstat())

    def let_go(self) -> None:
        for folder in self._links.values():
            shutil.rmtree(folder, ignore_errors=True)


@contextmanager
def alone_in(folder: Path) -> Iterator[None]:
    """Keep other processes from making backups in a folder, or giving them up, within the block. Raises Conflict."""
    with (folder / _LOCK).open("a") as file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError as cause:
            raise Conflict(
                "another backup is being made or given up there", where=str(folder), remedy="Wait for its end"
            ) from cause
        yield
