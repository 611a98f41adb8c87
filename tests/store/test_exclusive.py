"""A store and a database are used by one server alone, or by servers of a house that have other names each."""

from __future__ import annotations

import contextlib
import multiprocessing
import os
import signal
import threading
import time
from pathlib import Path

import pytest
from sqlalchemy import text
from sqlalchemy.exc import SQLAlchemyError

from inkwell_groove.store import exclusive
from inkwell_groove.store.database import DatabaseAway
from inkwell_groove.store.exclusive import DatabaseLock, InUse, exclusive_use, shared_use
from launcher.database import Database as MariaDb
from tests.live import new_schema


@pytest.fixture(autouse=True)
def no_waiting(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(exclusive, "_WAIT_S", 0)


def test_a_second_server_on_the_same_store_is_refused_with_the_process_of_the_first(
    mariadb: MariaDb, tmp_path: Path
) -> None:
    with exclusive_use(tmp_path, new_schema(mariadb)):
        with pytest.raises(InUse, match=f"process {os.getpid()}"), exclusive_use(tmp_path, new_schema(mariadb)):
            pass
        with exclusive_use(tmp_path / "other", new_schema(mariadb)):
            pass
    with exclusive_use(tmp_path, new_schema(mariadb)):
        pass


def test_a_second_server_on_the_same_database_is_refused(mariadb: MariaDb, tmp_path: Path) -> None:
    url = new_schema(mariadb)
    first, second = exclusive_use(tmp_path / "one", url), exclusive_use(tmp_path / "two", url)
    with first, pytest.raises(InUse, match="this database"), second:
        pass
    with exclusive_use(tmp_path / "two", url):
        pass


def hold(root: Path, url: str, held: object) -> None:
    with exclusive_use(root, url):
        held.set()  # type: ignore[attr-defined]
        signal.pause()


def test_a_server_that_was_killed_holds_nothing(
    mariadb: MariaDb, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    url, held = new_schema(mariadb), multiprocessing.get_context("spawn").Event()
    process = multiprocessing.get_context("spawn").Process(target=hold, args=(tmp_path, url, held))
    process.start()
    assert held.wait(60)
    with pytest.raises(InUse), exclusive_use(tmp_path, url):
        pass
    process.kill()
    process.join()
    monkeypatch.setattr(exclusive, "_WAIT_S", 10)
    with exclusive_use(tmp_path, url):
        pass


def test_a_database_that_is_away_is_said_to_be(tmp_path: Path) -> None:
    with pytest.raises(DatabaseAway), exclusive_use(tmp_path, "mysql+pymysql://inkwell:x@127.0.0.1:1/inkwell"):
        pass


def forget(mariadb: MariaDb, url: str, lock: str = "") -> None:
    """End the connection that holds a lock of a database, as a restart of MariaDB does."""
    name = url.rsplit("/", 1)[1].split("?", maxsplit=1)[0]
    question = f"SELECT IS_USED_LOCK('inkwell {name}{lock}')"
    found = mariadb.query(question).stdout.split()[-1]
    assert mariadb.query(f"KILL {found}").returncode == 0
    until_s = time.monotonic() + 60
    while mariadb.query(question).stdout.split()[-1] == found:  # KILL returns before the connection has ended
        assert time.monotonic() < until_s


def test_a_lock_that_was_lost_with_the_database_is_taken_again(mariadb: MariaDb) -> None:
    url, lost = new_schema(mariadb), []
    lock, other = DatabaseLock(url, on_loss=lost.append), DatabaseLock(url, on_loss=lost.append)
    lock.take()
    forget(mariadb, url)
    lock.look()
    with pytest.raises(InUse):
        other.take()
    lock.close()
    other.take()
    other.close()
    assert lost == []


def test_a_server_is_told_when_another_took_its_database_meanwhile(
    mariadb: MariaDb, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(exclusive, "_LOOK_EVERY_S", 0.05)
    url, lost = new_schema(mariadb), threading.Event()
    lock = DatabaseLock(url, on_loss=lambda refusal: lost.set())
    other = DatabaseLock(url, on_loss=lambda refusal: None)
    lock.take()
    forget(mariadb, url)
    other.take()
    lock.keep()
    assert lost.wait(60)
    lock.close()
    other.close()


def test_servers_of_a_house_work_beside_each_other_under_names_of_their_own(mariadb: MariaDb, tmp_path: Path) -> None:
    url = new_schema(mariadb)
    with shared_use(tmp_path, url, "upstairs"):
        with shared_use(tmp_path, url, "cellar"):
            pass
        with pytest.raises(InUse, match="called upstairs"), shared_use(tmp_path, url, "upstairs"):
            pass
    with shared_use(tmp_path, url, "upstairs"):
        pass


def test_one_that_works_alone_and_those_of_a_house_keep_each_other_out(mariadb: MariaDb, tmp_path: Path) -> None:
    url = new_schema(mariadb)
    with shared_use(tmp_path / "house", url, "upstairs"):
        with pytest.raises(InUse, match="servers that have workers"), exclusive_use(tmp_path / "elsewhere", url):
            pass
        with (
            pytest.raises(InUse, match="servers of a house"),
            exclusive_use(tmp_path / "house", new_schema(mariadb)),
        ):
            pass
    with exclusive_use(tmp_path / "house", url):
        with pytest.raises(InUse, match="this database"), shared_use(tmp_path / "elsewhere", url, "upstairs"):
            pass
        with (
            pytest.raises(InUse, match=f"process {os.getpid()}"),
            shared_use(tmp_path / "house", new_schema(mariadb), "upstairs"),
        ):
            pass


def test_a_server_whose_connection_was_lost_takes_its_own_name_again(mariadb: MariaDb) -> None:
    """After a network was cut off the database takes the lost connection for one that is well."""
    url = new_schema(mariadb)
    lock = DatabaseLock(url, on_loss=lambda refusal: None, node="cellar")
    lock.take()
    lost, lock._connection = lock._connection, None
    lock.look()
    assert lost is not None and lost.connection.dbapi_connection is not None
    with pytest.raises(Exception, match=r"2006|2013"):
        lost.connection.dbapi_connection.cursor().execute("SELECT 1")
    lock.close()


@pytest.mark.parametrize("node", [None, "cellar"])
def test_a_lost_connection_that_ends_slowly_is_waited_for(node: str | None, mariadb: MariaDb) -> None:
    """KILL returns before the connection has given its locks up, later still if it is at work."""
    url = new_schema(mariadb)
    lock = DatabaseLock(url, on_loss=lambda refusal: None, node=node)
    lock.take()
    lost, lock._connection = lock._connection, None
    assert lost is not None
    digest = "SHA2(REPEAT('a', 16000000), 512)"  # KILL does not break a function off in its midst
    work = text("DO " + ", ".join([digest] * 20))

    def be_busy() -> None:
        with contextlib.suppress(SQLAlchemyError):
            lost.execute(work)

    busy = threading.Thread(target=be_busy)
    busy.start()
    at_work = "SELECT COUNT(*) FROM information_schema.PROCESSLIST WHERE INFO LIKE 'DO SHA2%'"
    while mariadb.query(at_work).stdout.split()[-1] == "0":
        assert busy.is_alive()
    lock.look()
    busy.join()
    lock.close()


def test_a_server_of_a_house_is_told_when_another_took_its_name(
    mariadb: MariaDb, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(exclusive, "_LOOK_EVERY_S", 0.05)
    url, lost = new_schema(mariadb), threading.Event()
    lock = DatabaseLock(url, on_loss=lambda refusal: lost.set(), node="cellar")
    other = DatabaseLock(url, on_loss=lambda refusal: None, node="cellar")
    lock.take()
    forget(mariadb, url, " node cellar")
    other.take()
    lock.keep()
    assert lost.wait(60)
    lock.close()
    other.close()
