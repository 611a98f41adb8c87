"""Whoever checks that no files are being written keeps others from beginning until that is committed."""

from __future__ import annotations

import threading
from collections.abc import Iterator

import pytest

from inkwell_groove.core.errors import Conflict
from inkwell_groove.store.database import Database
from inkwell_groove.store.models import FileStep
from inkwell_groove.workroom.files.steps import UNDER_WAY, nothing_else_runs
from tests.patience import PATIENCE_S


@pytest.fixture
def database(database_url: str) -> Iterator[Database]:
    database = Database(database_url)
    yield database
    database.close()


def test_a_second_one_waits_and_then_sees_what_the_first_began(database: Database) -> None:
    refused, asked = threading.Event(), threading.Event()

    def second() -> None:
        asked.set()
        try:
            with database.begin() as session:
                nothing_else_runs(session)
        except Conflict:
            refused.set()

    thread = threading.Thread(target=second)
    with database.begin() as session:
        nothing_else_runs(session)
        thread.start()
        assert asked.wait(20)
        # Without a lock it would look now, see nothing, and go on.
        thread.join(0.5)
        session.add(FileStep(what="write", state=UNDER_WAY, counts={"files": 1}, told={"told": []}, by="Ilse"))
    thread.join(PATIENCE_S)
    assert refused.is_set()
