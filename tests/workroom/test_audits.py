"""Audits of many packages: a job whose pieces are checks, which all workers of a house share."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import closing
from pathlib import Path

import pytest
from sqlalchemy import select

from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import Audit, Docket, Job, LedgerEntry, Package, now
from inkwell_groove.store.settings import Settings
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.jobs.engine import Claim, Outcome
from inkwell_groove.workroom.jobs.kind import Lane
from inkwell_groove.workroom.jobs.queue import JobQueue
from inkwell_groove.workroom.jobs.runner import JobRunner
from inkwell_groove.workroom.packages.fixity import CHECK, STOPPED, Fixity
from launcher.database import Database as MariaDb
from tests.live import new_schema

PACKAGES = 3
FOUND = {"findings": [], "files": 1, "second_copy": ""}


class House:
    """Packages, what audits them, and a queue at which a test runs the checks itself."""

    def __init__(self, database: Database, root: Path, *, at_once: int) -> None:
        media = MediaStore(root / "media")
        self.database = database
        self.fixity = Fixity(database, media, Events(), Settings(fixity_days=0, fixity_at_once=at_once))
        kinds = self.fixity.kinds()
        self.fixity.jobs = JobRunner(database, Events(), kinds, media, workers=1, memory_bytes=2 * 1024**3)
        self.queue = JobQueue(database, Events(), kinds, owner="test")
        with database.begin() as session:
            for number in range(PACKAGES):
                docket = Docket(shelfmark=f"WH-{number}", folder_pattern="", file_pattern="")
                album = {"package": [{"name": "a.flac", "sha256": "0" * 64, "size_bytes": 10 * (number + 1)}]}
                docket.packages = [
                    Package(folder=f"{number}", basis="", album=album, sealed_by="me", verified_at=None, fixity=None)
                ]
                session.add(docket)

    def claims(self) -> list[Claim]:
        return list(iter(lambda: self.queue.claim(frozenset(Lane)), None))

    def actions(self) -> list[str]:
        with self.database.begin() as session:
            return list(session.scalars(select(LedgerEntry.action).order_by(LedgerEntry.id)))


@pytest.fixture
def database(mariadb: MariaDb) -> Iterator[Database]:
    with closing(Database(new_schema(mariadb))) as database:
        yield database


def test_so_many_are_read_at_a_time_and_the_audit_ends_with_the_last(database: Database, tmp_path: Path) -> None:
    house = House(database, tmp_path, at_once=2)
    assert house.fixity.begin_audit(who="keeper").audit is not None
    first, second = house.claims()
    house.queue.report(second, 0.5, "reading every file")
    house.queue.end(first, Outcome(result=FOUND))
    (third,) = house.claims()
    overview = house.fixity.overview()
    assert overview.audit is not None and (overview.audit.state, overview.audit.checked) == ("under way", 1)
    for claim in (second, third):
        house.queue.end(claim, Outcome(result=FOUND))
    overview = house.fixity.overview()
    assert overview.audit is not None and (overview.audit.state, overview.audit.checked) == ("done", PACKAGES)
    assert {one.state for one in overview.packages} == {"sound"}
    assert house.actions() == [f"audit of {PACKAGES} packages begun", f"audit done: {PACKAGES} packages verified"]


def test_a_stopped_audit_takes_its_checks_along_and_keeps_what_was_verified(database: Database, tmp_path: Path) -> None:
    house = House(database, tmp_path, at_once=2)
    house.fixity.begin_audit(who="keeper")
    first, running = house.claims()
    house.queue.end(first, Outcome(result=FOUND))
    overview = house.fixity.stop_audit(who="keeper")
    assert overview.audit is not None and (overview.audit.state, overview.audit.checked) == (STOPPED, 1)
    assert house.queue.renew([running]) == {running.token}
    house.queue.end(running, Outcome(result=FOUND))
    assert house.claims() == []
    with database.begin() as session:
        states = {job.kind: job.state for job in session.scalars(select(Job)) if job.kind != CHECK}
    assert states == {"audit of packages": "cancelled"}
    assert house.fixity.begin_audit(who="keeper").audit is not None, "another may follow"


def test_a_check_that_cannot_be_made_is_told_of_and_the_others_are_made(database: Database, tmp_path: Path) -> None:
    house = House(database, tmp_path, at_once=PACKAGES)
    house.fixity.begin_audit(who="keeper")
    bad, *others = house.claims()
    house.queue.end(bad, Outcome(error=OSError("the disk is away")))
    for claim in others:
        house.queue.end(claim, Outcome(result=FOUND))
    overview = house.fixity.overview()
    assert overview.audit is not None and overview.audit.state == "done"
    assert sorted(one.state for one in overview.packages) == ["never verified", "sound", "sound"]
    assert any(action.startswith("the package could not be checked: ") for action in house.actions())


def test_an_audit_of_an_earlier_release_does_not_hang(database: Database, tmp_path: Path) -> None:
    """It asked for one check after the other; this release does not ask for the next."""
    house = House(database, tmp_path, at_once=1)
    with database.begin() as session:
        audit = Audit(state="under way", asked_at=now(), asked_by="keeper", packages=PACKAGES, checked=1)
        session.add(audit)
        session.flush()
        arguments = {"package_id": 1, "folder": "0", "expected": {}, "size_bytes": 1, "audit_id": audit.id}
        house.queue.ask(session, CHECK, docket_id=1, subject="WH-0", arguments=arguments)
    (claim,) = house.claims()
    house.queue.end(claim, Outcome(result=FOUND))
    overview = house.fixity.overview()
    assert overview.audit is not None and (overview.audit.state, overview.audit.checked) == (STOPPED, 2)
