"""An older dump beside newer recordings: no number that names a folder is given twice."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import closing
from pathlib import Path

import pytest

from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import FileStep, Job, now
from inkwell_groove.store.numbering import count_on
from launcher.database import Database as MariaDb
from tests.live import new_schema


@pytest.fixture
def database(mariadb: MariaDb) -> Iterator[Database]:
    with closing(Database(new_schema(mariadb))) as database:
        yield database


def new_step(database: Database) -> int:
    with database.begin() as session:
        row = FileStep(what="1 file written", state="written", counts={}, told={"told": []}, at=now(), by="x")
        session.add(row)
        session.flush()
        return row.id


def new_job(database: Database) -> int:
    with database.begin() as session:
        row = Job(kind="seal", lane="quick", subject="", arguments={})
        row.state, row.progress, row.message, row.attempts, row.is_cancelled = "waiting", 0.0, "", 0, False
        session.add(row)
        session.flush()
        return row.id


def test_steps_and_packages_get_numbers_that_no_folder_has(database: Database, tmp_path: Path) -> None:
    media = MediaStore(tmp_path / "media", recordings=tmp_path / "own")
    first = new_step(database)
    for name in ("steps/40", "steps/no number", "uploads/9.kept", "sealed/WH-0012/77/Slack Water", "sealed/WH-2/５"):
        (media.root / name).mkdir(parents=True)
    (media.recordings / "12").mkdir()
    assert count_on(database, media) == {"file_step": 40, "upload": 9, "job": 77, "recording": 12}
    assert (first, new_step(database), new_job(database)) == (1, 41, 78)
    assert count_on(database, media) == {}, "and a second time there is nothing to do"


def test_a_database_that_knows_all_of_them_is_left_as_it_is(database: Database, tmp_path: Path) -> None:
    media = MediaStore(tmp_path / "media")
    numbers = [new_step(database) for _ in range(3)]
    (media.root / "steps" / str(numbers[0])).mkdir(parents=True)
    with database.begin() as session:
        for number in numbers[1:]:
            session.delete(session.get_one(FileStep, number))
    assert count_on(database, media) == {}
    assert new_step(database) == numbers[-1] + 1, "a number that was given once is not given again"
