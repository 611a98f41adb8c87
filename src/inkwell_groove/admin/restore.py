"""What is done with backups: restored to an empty installation, checked, and the oldest of them given up."""

from __future__ import annotations

import os
import shutil
from collections.abc import Mapping
from pathlib import Path

from inkwell_groove.admin import contents
from inkwell_groove.admin.backup import PART, Backup, Entry, Say, alone_in, backups_in, objects_in
from inkwell_groove.core.errors import Conflict, Missing, ProofFailed, Refused
from inkwell_groove.store.dump import load, tables_of
from inkwell_groove.store.durable import sync_tree
from inkwell_groove.store.migrate import knows_revision, upgrade
from inkwell_groove.store.settings import Settings

_TOLD_EVERY = 1_000


def chosen(folder: Path, name: str = "") -> Backup:
    """Return the backup of that name, by default the newest. Raises Missing."""
    found = backups_in(folder)
    if not found:
        raise Missing("there is no backup in this folder", where=str(folder), remedy="Make one, or look elsewhere")
    if not name:
        return found[-1]
    for one in found:
        if one.name == name:
            return one
    names = ", ".join(one.name for one in found[-10:])
    raise Missing(f"there is no backup {name}", where=str(folder), remedy=f"There are {names}")


def check(folder: Path, backup: Backup, *, say: Say) -> list[str]:
    """Read every file of a backup; return what is not as it was when it was made, in words."""
    wrong = [f"{name} is damaged or gone" for name in backup.check_papers()]
    if wrong:
        return wrong
    objects, checked = objects_in(folder), dict[str, bool]()
    for number, entry in enumerate(backup.entries()):
        if number % _TOLD_EVERY == 0:
            say(f"{number} of {backup.facts.files} files read")
        if entry.kind != "file":
            continue
        if entry.sha256 not in checked:
            checked[entry.sha256] = objects.is_sound(entry.sha256)
        if not checked[entry.sha256]:
            wrong.append(f"{entry.root}:{entry.path} is damaged or gone")
    return wrong


def restore(given: Settings, folder: Path, backup: Backup, *, say: Say) -> None:
    """Bring a backup back to an empty database and empty folders, and its tables up to this version.

    Raises Refused if a folder or the database is not empty, or a newer version made the backup, ProofFailed for a file
    that is damaged there, DumpFailed, DatabaseAway. Broken off, it leaves what a second attempt refuses: empty that
    first.
    """
    roots = contents.roots_of(given)
    _check_can_be_restored(given, backup, roots)
    entries = list(backup.entries())
    if unknown := sorted({entry.root for entry in entries} - roots.keys()):
        raise Refused(
            f"this backup has files of {', '.join(unknown)}, which this machine has no folder for",
            where=backup.name,
            remedy="Set INKWELL_PLACES and INKWELL_RECORDINGS_ROOT as they were, with the paths of this machine",
        )
    objects = objects_in(folder)
    for number, entry in enumerate(entries):
        if number % _TOLD_EVERY == 0:
            say(f"{number} of {len(entries)} files restored")
        target = _target(roots[entry.root], entry)
        if entry.kind == "folder":
            target.mkdir(parents=True, exist_ok=True)
            continue
        try:
            objects.fetch(entry.sha256, target)
        except FileNotFoundError as cause:
            raise ProofFailed(
                "a file of this backup is gone", where=str(objects.path(entry.sha256)), remedy="Restore another backup"
            ) from cause
        target.chmod(entry.mode)
        os.utime(target, ns=(entry.mtime_ns, entry.mtime_ns))
    for root in roots.values():
        sync_tree(root)
    say("reading the dump into the database")
    load(given.database_url, backup.dump)
    upgrade(given.database_url)


def _check_can_be_restored(given: Settings, backup: Backup, roots: Mapping[str, Path]) -> None:
    if wrong := backup.check_papers():
        raise ProofFailed(
            f"{wrong[0]} is damaged or gone", where=str(backup.folder), remedy="Restore another of the backups"
        )
    if not knows_revision(backup.facts.schema_revision):
        raise Refused(
            f"version {backup.facts.version} made this backup, with tables of release {backup.facts.schema_revision}, "
            "which this version does not know",
            where=backup.name,
            remedy="Restore it with that version, or a newer one",
        )
    for name, root in roots.items():
        tops = contents.tops_of({name: root})[name]
        if any(not one.is_folder for one in contents.walk(name, root, tops)):
            raise Refused(
                "this folder has files already: a backup is restored to an empty installation",
                where=str(root),
                remedy="Name other folders in the settings, or move what is there away",
            )
    if tables_of(given.database_url):
        raise Refused(
            "the database has tables already: a backup is restored to an empty one",
            where="INKWELL_DATABASE_URL",
            remedy="Make another database, or drop this one's tables",
        )


def keep_newest(folder: Path, count: int, *, say: Say) -> int:
    """Give up all backups of a folder but the newest ones; return how many bytes were freed.

    Raises Conflict for fewer than one, or while a backup is made there.
    """
    if count < 1:
        raise Conflict("at least one backup is kept", where="--keep", remedy="Delete the folder by hand if you mean it")
    with alone_in(folder):
        for one in backups_in(folder)[:-count]:
            # Under that name it counts for nothing: killed now, it is removed by the next backup.
            shutil.rmtree(one.folder.rename(one.folder.with_name(f"{one.name}{PART}")))
            say(f"gave up {one.name}")
        wanted = {entry.sha256 for one in backups_in(folder) for entry in one.entries()}
        objects = objects_in(folder)
        return sum(objects.remove(sha256) for sha256 in list(objects.names()) if sha256 not in wanted)


def _target(root: Path, entry: Entry) -> Path:
    """Return where an entry goes. Raises Refused for one that leads out of its root."""
    path = root / entry.path
    if ".." in Path(entry.path).parts or not path.is_relative_to(root):
        raise Refused("it leads out of its folder", where=entry.path, remedy="Restore another of the backups")
    return path
