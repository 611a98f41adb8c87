"""Backups by themselves: what they keep, what they find changed, what they refuse, and what a kill leaves of them."""

from __future__ import annotations

import os
import shutil
import threading
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path

import pytest
from sqlalchemy import text

from inkwell_groove.admin import backup as backups
from inkwell_groove.admin import contents, restore
from inkwell_groove.admin.backup import Backup, back_up, backups_in, objects_in
from inkwell_groove.admin.objects import Objects
from inkwell_groove.core.errors import Conflict, Missing, ProofFailed, Refused
from inkwell_groove.store.database import Database
from inkwell_groove.store.dump import DumpFailed, load, tables_of
from inkwell_groove.store.models import Docket, FileStep, now
from inkwell_groove.store.places import Place
from inkwell_groove.store.settings import Settings
from launcher.database import Database as MariaDb
from tests.crashing import killed_at
from tests.live import new_schema
from tests.patience import until

FILES = {
    "takes/ab/abcd": b"the sound of a side",
    "bundles/3/Box 1/01 ebb.flac": b"files that others made",
    "steps/4/journal": b"what leads back",
    "uploads/7": b"half a recording",
    "sealed/WH-1/2/Première/bagit.txt": b"BagIt",
    "sealed/WH-1/2/Première/odd \udcff name": b"a name that is no text",
    "derived/abcd/peaks": b"",
}


def quiet(words: str) -> None:
    """Say nothing."""


@pytest.fixture
def given(mariadb: MariaDb, tmp_path: Path) -> Settings:
    """An installation with some files on two disks and two dockets, and a folder for backups beside it."""
    (tmp_path / "vault").mkdir()
    (tmp_path / "backups").mkdir()
    settings = Settings(
        database_url=new_schema(mariadb),
        media_root=tmp_path / "media",
        recordings_root=tmp_path / "recordings",
        places=(Place(name="vault", path=tmp_path / "vault"),),
    )
    for name, data in FILES.items():
        write(settings.media_root / name, data)
    write(tmp_path / "vault" / "takes" / "cd" / "cdef", b"a take on another disk")
    write(tmp_path / "recordings" / "5" / "sound.wav", b"a recording that goes on")
    (settings.media_root / "bundles" / "3" / "empty").mkdir()
    write(settings.media_root / "work" / "17 x" / "half", b"work in progress")
    with closing(Database(settings.database_url)) as database, database.begin() as session:
        session.add_all(Docket(shelfmark=mark, folder_pattern="", file_pattern="") for mark in ("WH-1", "WH-2'; --"))
    return settings


def write(path: Path, data: bytes) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(data)


def elsewhere(given: Settings, mariadb: MariaDb, root: Path) -> Settings:
    """Settings of an empty machine."""
    (root / "vault").mkdir(parents=True)
    return given.model_copy(
        update={
            "database_url": new_schema(mariadb, migrated=False),
            "media_root": root / "media",
            "recordings_root": root / "recordings",
            "places": (Place(name="vault", path=root / "vault"),),
        }
    )


def state(given: Settings) -> dict[str, object]:
    """Return all that a backup must bring back, as it is."""
    there: dict[str, object] = {}
    for name, folder in contents.roots_of(given).items():
        tops = contents.tops_of({name: folder})[name]
        for one in contents.walk(name, folder, tops):
            data = None if one.is_folder else one.at.read_bytes()
            there[f"{name}:{one.path}"] = data, one.known.st_mode & 0o777
            if data is not None:
                there[f"{name}:{one.path}, written"] = one.known.st_mtime_ns
    with closing(Database(given.database_url)) as database, database.begin() as session:
        there["dockets"] = sorted(session.scalars(text("SELECT shelfmark FROM docket")))
    return there


def test_what_was_backed_up_comes_back_on_another_path_to_the_byte_and_the_moment(
    given: Settings, mariadb: MariaDb, tmp_path: Path
) -> None:
    (given.media_root / "takes" / "ab" / "abcd").chmod(0o444)
    os.utime(given.media_root / "bundles" / "3" / "Box 1" / "01 ebb.flac", ns=(5, 1_700_000_000_123_456_789))
    before = state(given)
    made = back_up(given, tmp_path / "backups", say=quiet)
    assert (made.facts.files, made.facts.new_files) == (len(FILES) + 2, len(FILES) + 2)
    assert state(given) == before, "a backup leaves everything as it is"
    assert restore.check(tmp_path / "backups", made, say=quiet) == []

    shutil.rmtree(given.media_root)
    there = elsewhere(given, mariadb, tmp_path / "another machine")
    restore.restore(there, tmp_path / "backups", restore.chosen(tmp_path / "backups"), say=quiet)
    assert state(there) == before
    assert not (there.media_root / "work" / "17 x").exists()


def test_nobody_else_can_read_a_backup(given: Settings, tmp_path: Path) -> None:
    (tmp_path / "backups" / "objects").mkdir(mode=0o755)
    back_up(given, tmp_path / "backups", say=quiet)
    for name in ("objects", "backups"):
        assert (tmp_path / "backups" / name).stat().st_mode & 0o007 == 0


def test_a_second_backup_copies_what_is_new_alone(given: Settings, tmp_path: Path) -> None:
    first = back_up(given, tmp_path / "backups", say=quiet)
    write(given.media_root / "takes" / "ef" / "ef01", b"a new side")
    write(given.media_root / "bundles" / "3" / "Box 1" / "01 ebb.flac", b"written anew")
    (given.media_root / "uploads" / "7").rename(given.media_root / "takes" / "ef" / "ef02")
    second = back_up(given, tmp_path / "backups", say=quiet)
    assert (second.facts.new_files, second.facts.new_bytes) == (2, len(b"a new side") + len(b"written anew"))
    assert [one.name for one in backups_in(tmp_path / "backups")] == [first.name, second.name]
    paths = {one.path for one in second.entries()}
    assert "takes/ef/ef02" in paths and "uploads/7" not in paths
    for one in (first, second):
        assert restore.check(tmp_path / "backups", one, say=quiet) == []


def test_what_is_damaged_in_a_backup_is_named_and_never_restored(
    given: Settings, mariadb: MariaDb, tmp_path: Path
) -> None:
    made = back_up(given, tmp_path / "backups", say=quiet)
    entry = next(one for one in made.entries() if one.path == "takes/ab/abcd")
    path = objects_in(tmp_path / "backups").path(entry.sha256)
    path.chmod(0o644)
    path.write_bytes(b"the sound of a siDe")
    assert restore.check(tmp_path / "backups", made, say=quiet) == ["media:takes/ab/abcd is damaged or gone"]
    with pytest.raises(ProofFailed, match="not what it was"):
        restore.restore(elsewhere(given, mariadb, tmp_path / "b"), tmp_path / "backups", made, say=quiet)
    path.unlink()
    with pytest.raises(ProofFailed, match="is gone"):
        restore.restore(elsewhere(given, mariadb, tmp_path / "c"), tmp_path / "backups", made, say=quiet)
    made.dump.write_bytes(made.dump.read_bytes()[:-3])
    assert restore.check(tmp_path / "backups", made, say=quiet) == ["database.sql.gz is damaged or gone"]
    with pytest.raises(ProofFailed, match=r"database\.sql\.gz"):
        restore.restore(elsewhere(given, mariadb, tmp_path / "d"), tmp_path / "backups", made, say=quiet)


def test_an_object_that_is_gone_is_copied_again_by_the_next_backup(given: Settings, tmp_path: Path) -> None:
    made = back_up(given, tmp_path / "backups", say=quiet)
    entry = next(one for one in made.entries() if one.path == "takes/ab/abcd")
    objects_in(tmp_path / "backups").remove(entry.sha256)
    again = back_up(given, tmp_path / "backups", say=quiet)
    assert again.facts.new_files == 1
    assert restore.check(tmp_path / "backups", again, say=quiet) == []


def test_older_backups_are_given_up_and_what_the_others_share_stays(given: Settings, tmp_path: Path) -> None:
    back_up(given, tmp_path / "backups", say=quiet)
    (given.media_root / "steps" / "4" / "journal").unlink()
    newest = back_up(given, tmp_path / "backups", say=quiet)
    assert restore.keep_newest(tmp_path / "backups", 1, say=quiet) == len(FILES["steps/4/journal"])
    assert [one.name for one in backups_in(tmp_path / "backups")] == [newest.name]
    assert restore.check(tmp_path / "backups", newest, say=quiet) == []
    with pytest.raises(Conflict, match="at least one"):
        restore.keep_newest(tmp_path / "backups", 0, say=quiet)


def test_killed_while_older_ones_are_given_up_the_others_stay_whole(given: Settings, tmp_path: Path) -> None:
    target, marks = tmp_path / "backups", iter(range(100))
    back_up(given, target, say=quiet)
    for number in range(1, 100):
        write(given.media_root / "takes" / "ef" / "changing", b"%d" % next(marks))
        newest = back_up(given, target, say=quiet)
        point = killed_at(lambda: restore.keep_newest(target, 1, say=quiet), number)
        for one in backups_in(target):
            assert restore.check(target, one, say=quiet) == [], str(point)
        assert newest.name in {one.name for one in backups_in(target)}, str(point)
        if point is None:
            break
    assert number > 2 and len(backups_in(target)) == 1


def test_only_what_is_empty_is_restored_to(given: Settings, mariadb: MariaDb, tmp_path: Path) -> None:
    made = back_up(given, tmp_path / "backups", say=quiet)
    with pytest.raises(Refused, match="has files already"):
        restore.restore(given, tmp_path / "backups", made, say=quiet)
    there = elsewhere(given, mariadb, tmp_path / "b")
    with pytest.raises(Refused, match="has tables already"):
        restore.restore(
            there.model_copy(update={"database_url": given.database_url}), tmp_path / "backups", made, say=quiet
        )
    with pytest.raises(Refused, match="files of vault") as refusal:
        restore.restore(there.model_copy(update={"places": ()}), tmp_path / "backups", made, say=quiet)
    assert "INKWELL_PLACES" in str(refusal.value)
    assert tables_of(there.database_url) == []


def test_a_backup_of_a_newer_version_is_refused_in_a_sentence(
    given: Settings, mariadb: MariaDb, tmp_path: Path
) -> None:
    made = back_up(given, tmp_path / "backups", say=quiet)
    newer = Backup(made.folder, made.facts.model_copy(update={"version": "9.0", "schema_revision": "0999"}))
    with pytest.raises(Refused, match=r"version 9.0 made this backup, with tables of release 0999"):
        restore.restore(elsewhere(given, mariadb, tmp_path / "b"), tmp_path / "backups", newer, say=quiet)


def test_a_folder_that_is_not_there_or_lies_within_is_refused(given: Settings, tmp_path: Path) -> None:
    with pytest.raises(Missing, match="no such folder"):
        back_up(given, tmp_path / "away", say=quiet)
    (given.media_root / "mine").mkdir()
    with pytest.raises(Refused, match="lies in the folder 'media'"):
        back_up(given, given.media_root / "mine", say=quiet)
    with pytest.raises(Missing, match="no backup in this folder"):
        restore.chosen(tmp_path / "backups")
    made = back_up(given, tmp_path / "backups", say=quiet)
    with pytest.raises(Missing, match=f"There are {made.name}"):
        restore.chosen(tmp_path / "backups", "yesterday")
    (made.folder / "backup.json").write_text("{}")
    with pytest.raises(Refused, match="does not know, or it is damaged"):
        backups_in(tmp_path / "backups")


def test_two_backups_at_once_to_one_folder_are_refused(given: Settings, tmp_path: Path) -> None:
    with backups.alone_in(tmp_path / "backups"), pytest.raises(Conflict, match="another backup"):
        back_up(given, tmp_path / "backups", say=quiet)


@pytest.fixture
def step(given: Settings) -> Iterator[tuple[Database, int]]:
    """A step of work on files that is under way."""
    with closing(Database(given.database_url)) as database:
        with database.begin() as session:
            row = FileStep(what="1 file written", state="under way", counts={}, told={"told": []}, at=now(), by="x")
            session.add(row)
            session.flush()
            number = row.id
        yield database, number


def test_it_waits_until_a_step_of_work_on_files_has_ended(
    given: Settings, step: tuple[Database, int], tmp_path: Path
) -> None:
    database, number = step
    said: list[str] = []
    making = threading.Thread(target=back_up, args=(given, tmp_path / "backups"), kwargs={"say": said.append})
    making.start()
    until(lambda: "waiting until files are written" in said, "it did not wait")
    write(given.media_root / "bundles" / "3" / "Box 1" / "01 ebb.flac", b"as the step left it")
    with database.begin() as session:
        session.get_one(FileStep, number).state = "written"
    making.join()
    (made,) = backups_in(tmp_path / "backups")
    entry = next(one for one in made.entries() if one.path.endswith("01 ebb.flac"))
    assert objects_in(tmp_path / "backups").path(entry.sha256).read_bytes() == b"as the step left it"


def test_what_is_moved_while_the_database_is_dumped_is_in_the_backup_all_the_same(
    given: Settings, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """An upload becomes a take right after the dump: the dump's row speaks of the upload."""
    dump = backups.dump

    def moving(url: str, target: Path) -> None:
        dump(url, target)
        (given.media_root / "uploads" / "7").rename(given.media_root / "takes" / "ab" / "7777")
        write(given.media_root / "uploads" / "8", b"it came meanwhile")
        write(given.media_root / "steps" / "4" / "beside", b"what leads back, written anew")
        (given.media_root / "steps" / "4" / "beside").rename(given.media_root / "steps" / "4" / "journal")

    monkeypatch.setattr(backups, "dump", moving)
    made = back_up(given, tmp_path / "backups", say=quiet)
    paths = {one.path for one in made.entries()}
    assert {"uploads/7", "uploads/8", "takes/ab/7777"} <= paths
    journal = next(one for one in made.entries() if one.path == "steps/4/journal")
    data = objects_in(tmp_path / "backups").path(journal.sha256).read_bytes()
    assert data == b"what leads back, written anew", "of a file that was written anew meanwhile the newer one is kept"
    assert not any((root / contents.HELD).exists() for root in contents.roots_of(given).values())


def test_killed_at_any_point_it_counts_for_nothing_and_the_next_one_is_whole(
    given: Settings, mariadb: MariaDb, tmp_path: Path
) -> None:
    target, before = tmp_path / "backups", state(given)

    def work() -> None:
        back_up(given, target, say=quiet)

    number = 1
    while (point := killed_at(work, number)) is not None:
        for one in backups_in(target):
            assert restore.check(target, one, say=quiet) == [], str(point)
        assert state(given) == before, str(point)
        number += 7  # of some ninety points, from another one each round
    whole = back_up(given, target, say=quiet)
    assert restore.check(target, whole, say=quiet) == []
    assert not list((target / "objects").glob("*.part")) and not list((target / "backups").glob("*.part"))
    there = elsewhere(given, mariadb, tmp_path / "b")
    restore.restore(there, target, whole, say=quiet)
    assert state(there) == before


def test_a_dump_that_is_no_dump_is_refused_with_what_the_database_says(given: Settings, tmp_path: Path) -> None:
    import gzip

    with gzip.open(tmp_path / "dump.gz", "wt") as file:
        file.write("CREATE TABLE;\n")
    with pytest.raises(DumpFailed, match="could not be read") as refusal:
        load(given.database_url, tmp_path / "dump.gz")
    assert "syntax" in str(refusal.value)


def test_a_disk_that_gives_back_something_else_is_found_out(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    write(tmp_path / "file", b"sound")
    monkeypatch.setattr("inkwell_groove.admin.objects.sha256_from_disk", lambda path: "0" * 64)
    with pytest.raises(ProofFailed, match="comes back as something else"):
        Objects(tmp_path / "objects").add(tmp_path / "file")
    assert [path for path in (tmp_path / "objects").rglob("*") if path.is_file()] == []
