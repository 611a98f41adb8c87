"""The media store and the migrations."""

from __future__ import annotations

import errno
import hashlib
from pathlib import Path

import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import create_engine, text

from inkwell_groove.core.errors import Conflict
from inkwell_groove.core.fixity import sha256_of
from inkwell_groove.store.database import Database, DatabaseAway
from inkwell_groove.store.disk import DiskFull
from inkwell_groove.store.durable import move_into_place
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.migrate import upgrade
from inkwell_groove.store.models import Base, Docket
from launcher.database import Database as MariaDb
from tests.live import new_schema


def test_a_take_is_kept_once_read_only_under_its_digest(tmp_path: Path) -> None:
    media = MediaStore(tmp_path)
    digest = hashlib.sha256(b"sound").hexdigest()
    for _ in range(2):
        file = tmp_path / "incoming"
        file.write_bytes(b"sound")
        kept = media.keep_take(file, digest)
        assert not file.exists()
    assert kept.read_bytes() == b"sound"
    assert kept.stat().st_mode & 0o222 == 0
    assert sha256_of(kept) == digest


@pytest.mark.parametrize("name", ["../../etc/passwd", "", "ABC", "a" * 63, "g" * 64])
def test_only_a_digest_leads_to_a_take(tmp_path: Path, name: str) -> None:
    with pytest.raises(ValueError, match="not a SHA-256"):
        MediaStore(tmp_path).take(name)


@pytest.mark.parametrize("folder", ["../takes", "WH/../../uploads", "/etc"])
def test_a_package_never_lies_outside_the_store(tmp_path: Path, folder: str) -> None:
    with pytest.raises(ValueError, match="outside the store"):
        MediaStore(tmp_path).package(folder)


def test_a_workspace_is_gone_after_a_failure_with_all_that_was_in_it(tmp_path: Path) -> None:
    media = MediaStore(tmp_path)
    with pytest.raises(RuntimeError), media.workspace() as work:
        (work / "half").write_bytes(b"x")
        raise RuntimeError
    assert list((tmp_path / "work").iterdir()) == []


def test_what_is_moved_out_of_a_workspace_stays(tmp_path: Path) -> None:
    media = MediaStore(tmp_path)
    with media.workspace() as work:
        (work / "whole").write_bytes(b"x")
        move_into_place(work / "whole", media.derived("a" * 64, "peaks"))
    assert media.derived("a" * 64, "peaks").read_bytes() == b"x"


def test_a_full_disk_is_told_as_one(tmp_path: Path) -> None:
    with pytest.raises(DiskFull, match="disk is full"), MediaStore(tmp_path).workspace():
        raise OSError(errno.ENOSPC, "No space left on device")


def test_a_picture_is_kept_once(tmp_path: Path) -> None:
    media = MediaStore(tmp_path)
    assert media.keep_picture(b"picture") == media.keep_picture(b"picture") == hashlib.sha256(b"picture").hexdigest()
    assert media.picture(hashlib.sha256(b"picture").hexdigest()).read_bytes() == b"picture"


def test_the_migrations_lead_to_exactly_the_models(mariadb: MariaDb) -> None:
    url = new_schema(mariadb)
    engine = create_engine(url)
    with engine.connect() as connection:
        context = MigrationContext.configure(connection, opts={"compare_type": True})
        assert compare_metadata(context, Base.metadata) == []
    upgrade(url)  # a second time changes nothing
    engine.dispose()


def test_a_broken_rule_of_the_tables_is_a_conflict_and_changes_nothing(database_url: str) -> None:
    database = Database(database_url)
    patterns = {"folder_pattern": "{title}", "file_pattern": "{number}"}
    with database.begin() as session:
        session.add(Docket(shelfmark="T-1", **patterns))
    with pytest.raises(Conflict), database.begin() as session:
        session.add(Docket(shelfmark="T-2", **patterns))
        session.add(Docket(shelfmark="T-1", **patterns))
    with database.begin() as session:
        assert session.execute(text("SELECT shelfmark FROM docket")).scalars().all() == ["T-1"]
        session.add(Docket(shelfmark="t-1", **patterns))  # shelfmarks tell case
    database.close()


def test_a_database_that_is_away_is_told_in_one_answer() -> None:
    database = Database("mysql+pymysql://inkwell:x@127.0.0.1:1/inkwell")
    with pytest.raises(DatabaseAway, match="does not answer"), database.begin() as session:
        session.execute(text("SELECT 1"))
