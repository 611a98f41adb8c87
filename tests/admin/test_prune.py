"""What is old and not needed is deleted; what runs, what is spoken of and what is young stays."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import closing
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import select

from inkwell_groove.admin import prune
from inkwell_groove.admin.prune import prune_derived, prune_jobs, prune_journals
from inkwell_groove.core.errors import Conflict
from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import Carrier, DiscRead, Docket, FileStep, Job, LedgerEntry, Side, now
from inkwell_groove.workroom.doctor.examination import examine
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.files.steps import BACK, IN_PART, UNDER_WAY, WRITTEN, Steps, step_view
from inkwell_groove.workroom.files.views import StepView
from launcher.database import Database as MariaDb
from tests.crashing import every_kill
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


def step(database: Database, media: MediaStore, days_ago: float, state: str = WRITTEN) -> int:
    """Add a step of work on files that was done so many days ago, with its journal; return its number."""
    with database.begin() as session:
        row = FileStep(what="title written", state=state, counts={"files": 1}, told={"told": ["one thing"]}, by="x")
        row.at = now() - timedelta(days=days_ago)
        session.add(row)
        session.flush()
        (media.step(row.id) / "kept").mkdir(parents=True)
        (media.step(row.id) / "order").write_text("{}\n")
        return row.id


def views(database: Database) -> dict[int, StepView]:
    with database.begin() as session:
        return {one.id: step_view(one) for one in session.scalars(select(FileStep))}


def test_an_old_step_loses_its_journal_and_says_that_it_cannot_be_undone(database: Database, tmp_path: Path) -> None:
    media = MediaStore(tmp_path)
    old, in_part, undone = (step(database, media, 400, state) for state in (WRITTEN, IN_PART, BACK))
    young, under_way = step(database, media, 10), step(database, media, 400, UNDER_WAY)
    assert prune_journals(database, media, now() - timedelta(days=180)) == 3
    assert [media.step(number).exists() for number in (old, in_part, undone, young, under_way)] == [
        False,
        False,
        False,
        True,
        True,
    ]
    now_said = views(database)
    assert not now_said[old].can_be_taken_back and now_said[young].can_be_taken_back
    assert now_said[in_part].state == IN_PART, "what was done is still told"
    assert "can no longer be undone" in now_said[old].told[0] and now_said[old].told[1] == "one thing"
    assert now_said[undone].told == ["one thing"], "it was undone"
    assert prune_journals(database, media, now() - timedelta(days=180)) == 0


def test_a_step_without_its_journal_is_not_undone_and_the_doctor_does_not_miss_it(
    mariadb: MariaDb, database: Database, tmp_path: Path
) -> None:
    media = MediaStore(tmp_path)
    number = step(database, media, 400)
    prune_journals(database, media, now())
    steps = Steps(database, media, Events())
    with pytest.raises(Conflict, match="what would undo this step was deleted"):
        steps.take_back(number, who="x")
    with database.begin() as session:
        assert steps.way_back().is_open(session, {1: number}) == set()
    assert [one for one in examine(database, media, depth="usual") if "step" in one.kind] == []


def test_pruning_that_is_killed_leaves_no_step_that_claims_a_journal_which_is_gone(
    mariadb: MariaDb, tmp_path: Path
) -> None:
    url = new_schema(mariadb)
    media = MediaStore(tmp_path)

    def prune_all() -> None:
        with closing(Database(url)) as mine:
            prune_journals(mine, media, now())

    def anew() -> None:
        with closing(Database(url)) as mine:
            step(mine, media, 400)

    for point in every_kill(prune_all, anew):
        with closing(Database(url)) as database:
            said = views(database)
            gone = [number for number in said if not media.step(number).is_dir()]
            assert not any(said[number].can_be_taken_back for number in gone), point
            prune_journals(database, media, now())
            assert not list((media.root / "steps").iterdir()), "the rest goes with the next run"


def test_what_was_heard_of_a_take_long_ago_goes_and_its_damage_and_overview_stay(tmp_path: Path) -> None:
    media = MediaStore(tmp_path)
    names = ("heard", "heard 0 end", "learnt 1f", "harm 2e", "peaks", "scan")
    for sha256, days_ago in (("a" * 64, 400), ("b" * 64, 10)):
        for name in names:
            path = media.derived(sha256, name)
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(b"x")
            at = (now() - timedelta(days=days_ago)).timestamp()
            os.utime(path, (at, at))
    assert prune_derived(media, now() - timedelta(days=180)) == 4
    assert {one.name for one in media.derived("a" * 64, "").iterdir()} == {"peaks", "scan"}
    assert {one.name for one in media.derived("b" * 64, "").iterdir()} == set(names)
