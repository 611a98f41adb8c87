"""Transactions read what is committed, are repeated after a deadlock, and delete and tell only after the commit."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator

import pytest
from fastapi import FastAPI
from fastapi.testclient import TestClient
from sqlalchemy import literal, select, text
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session

from inkwell_groove.core.errors import Conflict
from inkwell_groove.store.database import (
    Busy,
    Database,
    DatabaseAway,
    after_commit,
    attempting,
    is_passing,
    savepoint,
    try_again,
)
from inkwell_groove.web import problems
from inkwell_groove.web.routing import Router
from tests.patience import PATIENCE_S


@pytest.fixture
def database(database_url: str) -> Iterator[Database]:
    database = Database(database_url)
    with database.begin() as session:
        session.execute(text("CREATE OR REPLACE TABLE counter (id INT PRIMARY KEY, value INT NOT NULL)"))
        session.execute(text("INSERT INTO counter VALUES (1, 0), (2, 0), (3, 0), (4, 0), (5, 0)"))
    yield database
    database.close()


def add(session: Session, *ids: int) -> None:
    for number in ids:
        session.execute(text("UPDATE counter SET value = value + 1 WHERE id = :id"), {"id": number})


def values(database: Database) -> list[int]:
    with database.begin() as session:
        return list(session.execute(text("SELECT value FROM counter ORDER BY id")).scalars())


class InTheWay:
    """Another transaction that has changed more rows, so that a deadlock ends the tested one and not this."""

    def __init__(self, database: Database) -> None:
        self._database = database
        self._holds, self._meet = threading.Event(), threading.Event()
        self._thread = threading.Thread(target=self._work)

    def _work(self) -> None:
        with self._database.begin() as session:
            add(session, 2, 3, 4, 5)
            self._holds.set()
            self._meet.wait(20)
            add(session, 1)

    def __enter__(self) -> InTheWay:
        self._thread.start()
        assert self._holds.wait(20)
        return self

    def meet(self) -> None:
        self._meet.set()

    def __exit__(self, *_: object) -> None:
        self._meet.set()
        self._thread.join(PATIENCE_S)


def test_what_follows_is_done_after_the_commit_in_order(database: Database) -> None:
    seen: list[object] = []
    with database.begin() as session:
        add(session, 1)
        after_commit(session, lambda: seen.append(values(database)[0]))
        after_commit(session, lambda: seen.append("second"))
        assert seen == []
    assert seen == [1, "second"]


def test_nothing_follows_what_was_not_committed(database: Database) -> None:
    seen: list[str] = []
    with pytest.raises(RuntimeError), database.begin() as session:
        add(session, 1)
        after_commit(session, lambda: seen.append("raised"))
        raise RuntimeError
    with pytest.raises(DatabaseAway), database.begin() as session:
        add(session, 1)
        after_commit(session, lambda: seen.append("commit lost"))
        number = session.execute(text("SELECT CONNECTION_ID()")).scalar_one()
        with database.begin() as other:
            other.execute(text(f"KILL {number}"))
    assert seen == []
    assert values(database)[0] == 0


def test_what_follows_a_part_that_was_undone_is_not_done(database: Database) -> None:
    seen: list[str] = []
    with database.begin() as session:
        after_commit(session, lambda: seen.append("before"))
        with pytest.raises(ValueError, match="this part"), savepoint(session):
            add(session, 1)
            after_commit(session, lambda: seen.append("inside"))
            raise ValueError("this part")
        with savepoint(session):
            add(session, 2)
            after_commit(session, lambda: seen.append("kept"))
    assert seen == ["before", "kept"]
    assert values(database)[:2] == [0, 1]


def test_one_that_fails_keeps_neither_the_change_nor_the_others_from_being(database: Database) -> None:
    seen: list[str] = []
    with database.begin() as session:
        add(session, 1)
        after_commit(session, lambda: 1 / 0)
        after_commit(session, lambda: seen.append("next"))
    assert seen == ["next"]
    assert values(database)[0] == 1


def test_a_row_that_was_waited_for_is_read_as_it_is_now(database: Database) -> None:
    with database.begin() as waiting:
        # A transaction that saw rows as they were when it began would go on seeing 0.
        assert waiting.execute(text("SELECT value FROM counter WHERE id = 1")).scalar_one() == 0
        with database.begin() as other:
            add(other, 1)
        assert waiting.execute(text("SELECT value FROM counter WHERE id = 1 FOR UPDATE")).scalar_one() == 1
        assert waiting.execute(text("SELECT value FROM counter WHERE id = 1")).scalar_one() == 1


def test_a_deadlock_is_not_said_to_be_a_database_that_is_away(database: Database) -> None:
    with InTheWay(database) as other, pytest.raises(Busy, match="others are changing"), database.begin() as session:
        add(session, 1)
        other.meet()
        add(session, 2)
    assert values(database) == [1, 1, 1, 1, 1]


def test_a_deadlock_within_a_part_of_a_transaction_is_no_fault_of_the_part(database: Database) -> None:
    """The database undoes the whole transaction: going back to where the part began fails then, with another error."""
    seen: list[bool] = []
    with InTheWay(database) as other, pytest.raises(Busy), database.begin() as session:
        add(session, 1)
        try:
            with savepoint(session):
                other.meet()
                add(session, 2)
        except DBAPIError as cause:
            seen.append(is_passing(cause))
            raise
    assert seen == [True]
    assert values(database) == [1, 1, 1, 1, 1]


def deadlocking_once(database: Database, other: InTheWay, attempts: list[int]) -> Callable[[], None]:
    def work() -> None:
        attempts.append(len(attempts))
        with database.begin() as session:
            add(session, 1)
            other.meet()
            add(session, 2)

    return work


def test_work_that_met_a_deadlock_is_done_again(database: Database) -> None:
    attempts: list[int] = []
    with InTheWay(database) as other:
        try_again(deadlocking_once(database, other, attempts))
    assert attempts == [0, 1]
    assert values(database) == [2, 2, 1, 1, 1]


def changing_first(database: Database, part: Callable[[], None]) -> Callable[[], None]:
    """Return work of two transactions, of which the first changes something."""

    def work() -> None:
        with database.begin() as session:
            session.execute(text("INSERT INTO counter VALUES (10, 0)"))
        part()

    return work


def test_work_that_has_changed_something_is_not_done_again(database: Database) -> None:
    attempts: list[int] = []
    with InTheWay(database) as other, pytest.raises(Busy):
        try_again(changing_first(database, deadlocking_once(database, other, attempts)))
    assert attempts == [0]


def test_what_an_inner_attempt_has_changed_counts_for_the_one_around_it(database: Database) -> None:
    def work() -> None:
        with database.begin() as session:
            add(session, 1)

    def read() -> None:
        with database.begin() as session:
            assert session.scalar(select(literal(1))) == 1

    with attempting() as around:
        try_again(read)
        assert not around.has_committed, "it only read"
        try_again(work)
    assert around.has_committed


def app_of(endpoint: Callable[[], None]) -> TestClient:
    app, router = FastAPI(), Router("test")
    router.post("/work", status_code=204)(endpoint)
    app.include_router(router)
    problems.install(app)
    return TestClient(app, raise_server_exceptions=False)


def test_a_request_that_met_a_deadlock_is_done_again(database: Database) -> None:
    attempts: list[int] = []
    with InTheWay(database) as other:
        answer = app_of(deadlocking_once(database, other, attempts)).post("/work")
    assert answer.status_code == 204
    assert attempts == [0, 1]
    assert values(database) == [2, 2, 1, 1, 1]


def test_a_request_that_has_changed_something_is_told_to_try_again(database: Database) -> None:
    attempts: list[int] = []
    with InTheWay(database) as other:
        answer = app_of(changing_first(database, deadlocking_once(database, other, attempts))).post("/work")
    assert answer.status_code == 503
    assert answer.json()["code"] == "Busy"
    assert attempts == [0]


def test_a_broken_rule_is_not_tried_again(database: Database) -> None:
    attempts: list[int] = []

    def work() -> None:
        attempts.append(0)
        with database.begin() as session:
            session.execute(text("INSERT INTO counter VALUES (1, 0)"))

    with pytest.raises(Conflict):
        try_again(work)
    assert attempts == [0]
