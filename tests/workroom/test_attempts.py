"""Failures to sign in, counted by all servers of a house together."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import closing

import pytest
from sqlalchemy import func, select

from inkwell_groove.core.attempts import AttemptLimit
from inkwell_groove.store.database import Database
from inkwell_groove.store.models import FailedAttempts
from inkwell_groove.workroom.people.attempts import Attempts
from launcher.database import Database as MariaDb
from tests.live import new_schema

LIMIT = AttemptLimit(free=2, first_wait_s=600.0, longest_wait_s=600.0, forget_s=1_000.0)
LOOSE = AttemptLimit(free=50, first_wait_s=30.0, longest_wait_s=30.0, forget_s=1_000.0)


@pytest.fixture(scope="module")
def database(mariadb: MariaDb) -> Iterator[Database]:
    with closing(Database(new_schema(mariadb))) as database:
        yield database


def test_what_one_server_counts_another_one_knows(database: Database) -> None:
    one, other = Attempts(database), Attempts(database)
    assert one.begin({"ilse": LIMIT}) == other.begin({"ilse": LIMIT}) == 0
    assert 595 < one.begin({"ilse": LIMIT}) <= 600
    assert other.begin({"jon": LIMIT}) == 0
    other.succeeded("ilse")
    assert one.begin({"ilse": LIMIT}) == 0


def test_a_failure_that_was_none_is_taken_back(database: Database) -> None:
    tried = Attempts(database)
    for _ in range(5):
        assert tried.begin({"hanne": LIMIT}) == 0
        tried.not_failed("hanne")
    tried.not_failed("hanne")
    assert [tried.begin({"hanne": LIMIT}) > 0 for _ in range(3)] == [False, False, True]


def test_a_refused_try_counts_under_neither_key(database: Database) -> None:
    tried = Attempts(database)
    for _ in range(2):
        tried.begin({"mats at home": LIMIT})
    for _ in range(60):
        assert tried.begin({"mats at home": LIMIT, "home": LOOSE}) > 0
    assert tried.begin({"home": LOOSE}) == 0


def test_many_tries_at_once_do_not_pass_the_limit(database: Database) -> None:
    let_through, together = [], threading.Barrier(12)

    def guess() -> None:
        together.wait()
        let_through.append(Attempts(database).begin({"at once": LIMIT, "one address": LOOSE}) == 0)

    threads = [threading.Thread(target=guess) for _ in range(12)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sum(let_through) == LIMIT.free


def test_made_up_names_do_not_fill_the_table(database: Database) -> None:
    tried = Attempts(database, most_keys=20)
    for number in range(60):
        tried.begin({f"name {number}": LIMIT})
    with database.begin() as session:
        assert session.scalars(select(func.count()).select_from(FailedAttempts)).one() <= 21
