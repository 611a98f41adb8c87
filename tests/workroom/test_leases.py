"""What one process of a house does for all of them."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import closing

import pytest

from inkwell_groove.store.database import Database
from inkwell_groove.workroom.leases import Leases
from launcher.database import Database as MariaDb
from tests.live import new_schema


@pytest.fixture(scope="module")
def database(mariadb: MariaDb) -> Iterator[Database]:
    with closing(Database(new_schema(mariadb))) as database:
        yield database


def test_one_of_two_holds_a_lease_and_renews_it(database: Database) -> None:
    one, other = Leases(database, owner="one"), Leases(database, owner="other")
    assert one.hold("fixity", 60) and one.hold("fixity", 60)
    assert not other.hold("fixity", 60)
    assert other.hold("holding", 60), "another lease is another matter"
    assert other.is_held("fixity") and not one.is_held("survey")


def test_a_lease_that_has_ended_is_anybodys(database: Database) -> None:
    one, other = Leases(database, owner="one"), Leases(database, owner="other")
    assert one.hold("ended", -1)
    assert not one.is_held("ended")
    assert other.hold("ended", 60)
    assert not one.hold("ended", 60)


def test_only_its_holder_gives_a_lease_up(database: Database) -> None:
    one, other = Leases(database, owner="one"), Leases(database, owner="other")
    assert one.hold("given up", 60)
    other.let_go("given up")
    assert not other.hold("given up", 60)
    one.let_go("given up")
    assert other.hold("given up", 60)
