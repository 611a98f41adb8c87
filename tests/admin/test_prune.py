"""Jobs that ended long ago are deleted; what runs, what is spoken of and what is young stays."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import closing
from datetime import timedelta
from typing import Any

import pytest
from sqlalchemy import select

from inkwell_groove.admin import prune
from inkwell_groove.admin.prune import prune_jobs
from inkwell_groove.store.database import Database
from inkwell_groove.store.models import Carrier, DiscRead, Docket, Job, LedgerEntry, Side, now
from launcher.database import Database as MariaDb
from tests.live import new_schema


@pytest.fixture
def database(mariadb: MariaDb) -> Iterator[Database]:
    with closing(Database(new_schema(mariadb))) as database:
        yield database


def job(database: Database, days_ago: float | None, state: str = "done", **more: Any) -> int:
    """Add a job that ended so many days ago, or has not; return its number."""
    with database.begin() as session:
        row = Job(**{"kind": "seal", "lane": "steady", "subject": "", "arguments": {}, **more})
        row.state, row.progress, row.message, row.attempts, row.is_cancelled = state, 1.0, "", 1, False
        row.ended_at = None if days_ago is None else now() - timedelta(days=days_ago)
        session.add(row)
        session.flush()
        return row.id


def left(database: Database) -> list[int]:
    with database.begin() as session:
        return list(session.scalars(select(Job.id).order_by(Job.id)))


def test_only_what_ended_long_ago_goes(database: Database, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(prune, "_AT_ONCE", 2)
    for state in ("done", "failed", "cancelled", "done", "done"):
        job(database, 400, state)
    young, waiting = job(database, 10), job(database, None, "waiting")
    image = job(database, 400, kind="image for burning")
    assert prune_jobs(database, now() - timedelta(days=180)) == 5
    assert left(database) == [young, waiting, image]
    assert prune_jobs(database, now() - timedelta(days=180)) == 0


def test_a_whole_goes_with_all_its_pieces_or_stays(database: Database) -> None:
    old = job(database, 400, kind="audit of packages")
    for _ in range(3):
        job(database, 401, kind="check package", parent_id=old)
    half = job(database, 400, kind="audit of packages")
    job(database, 400, kind="check package", parent_id=half)
    young = job(database, 5, kind="check package", parent_id=half)
    assert prune_jobs(database, now() - timedelta(days=180)) == 5
    assert left(database) == [half, young]


def test_a_job_that_a_reading_of_a_disc_speaks_of_stays_and_so_does_the_ledger(database: Database) -> None:
    number = job(database, 400, "failed", kind="read disc")
    with database.begin() as session:
        docket = Docket(shelfmark="WH-1", folder_pattern="", file_pattern="")
        side = Side(letter="A")
        docket.carriers = [Carrier(number=1, format="LP", sides=[side])]
        session.add(docket)
        session.flush()
        session.add(DiscRead(docket_id=docket.id, side_id=side.id, drive_id="1", job_id=number, asked={}, began_by="x"))
        session.add(LedgerEntry(at=now() - timedelta(days=4_000), who="x", action="docket opened"))
    assert prune_jobs(database, now()) == 0
    assert left(database) == [number]
    with database.begin() as session:
        assert session.scalars(select(LedgerEntry.action)).all() == ["docket opened"]
