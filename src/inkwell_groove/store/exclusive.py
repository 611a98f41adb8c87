"""Who works with a store and a database: one server alone, or several that have workers run their jobs.

A server that works alone takes the jobs of another for left over. Two of one name would take up each other's
recordings.
"""

from __future__ import annotations

import contextlib
import fcntl
import os
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import structlog
from sqlalchemy import Connection, NullPool, create_engine, text
from sqlalchemy.exc import SQLAlchemyError

from inkwell_groove.core.errors import InkwellError
from inkwell_groove.store.database import DatabaseAway, connection_options

LOCK_NAME = "in use"
_WAIT_S = 10  # a server that was just killed holds its locks until the database notices
_LONGEST_S = 365 * 24 * 3600
_LOOK_EVERY_S = 2.0
_LONGEST_END_S = 10.0  # of a connection that is ended
_ASK_EVERY_S = 0.02
_MOST_SERVERS = 64
log = structlog.get_logger()


class InUse(InkwellError):
    """Another server works with these data."""


@contextmanager
def exclusive_use(
    media_root: Path, database_url: str, *, on_loss: Callable[[InUse], None] = lambda refusal: None
) -> Iterator[None]:
    """Hold the media store and the database for one server, until the block or the process ends.

    `on_loss` is called, on another thread, if the database was away and another server took it meanwhile. Raises InUse
    if another server holds one of them, DatabaseAway if the database cannot be reached.
    """
    with _use(media_root, DatabaseLock(database_url, on_loss=on_loss)):
        yield


@contextmanager
def shared_use(
    media_root: Path, database_url: str, node: str, *, on_loss: Callable[[InUse], None] = lambda refusal: None
) -> Iterator[None]:
    """Hold the media store and the database for a server of that name, beside servers of other names.

    Raises InUse if a server works alone with them or has that name, DatabaseAway if the database cannot be reached.
    """
    with _use(media_root, DatabaseLock(database_url, on_loss=on_loss, node=node)):
        yield


@contextmanager
def _use(media_root: Path, lock: DatabaseLock) -> Iterator[None]:
    with _locked_store(media_root, is_shared=lock.is_shared):
        try:
            lock.take(_WAIT_S)
            lock.keep()
            yield
        finally:
            lock.close()


@contextmanager
def _locked_store(media_root: Path, *, is_shared: bool) -> Iterator[None]:
    media_root.mkdir(parents=True, exist_ok=True)
    path = media_root / LOCK_NAME
    with path.open("a+") as file:
        try:
            fcntl.flock(file, (fcntl.LOCK_SH if is_shared else fcntl.LOCK_EX) | fcntl.LOCK_NB)
        except BlockingIOError as cause:
            file.seek(0)
            who = file.read().strip()
            raise InUse(
                f"another server works with these recordings: process {who or 'unknown'}"
                if is_shared or who.isdigit()
                else "servers of a house work with these recordings",
                where=str(media_root),
                remedy="Stop that one first, or set INKWELL_MEDIA_ROOT to another folder",
            ) from cause
        if not is_shared:
            file.truncate(0)
            file.write(f"{os.getpid()}\n")
            file.flush()
        try:
            yield
        finally:
            if not is_shared:
                file.truncate(0)


class DatabaseLock:
    """A database's named locks, which last as long as the connection that took them.

    They are looked at every few seconds, and taken again after the database was restarted.
    """

    def __init__(self, database_url: str, *, on_loss: Callable[[InUse], None], node: str | None = None) -> None:
        """`node` is the name of a server that works beside others; None for one that works alone."""
        self._engine = create_engine(
            database_url, hide_parameters=True, poolclass=NullPool, connect_args=connection_options(database_url)
        )
        self._node = node
        self._on_loss = on_loss
        self._held: list[str] = []
        self._number: int | None = None  # the database's, of the connection that took them
        self._connection: Connection | None = None
        self._closing = threading.Event()
        self._thread: threading.Thread | None = None

    @property
    def is_shared(self) -> bool:
        return self._node is not None

    def take(self, wait_s: float = 0) -> None:
        """Take the locks. Raises InUse if another server holds one for longer than `wait_s`, or DatabaseAway."""
        try:
            connection = self._engine.connect()
            # It is idle as long as the server runs.
            connection.execute(text(f"SET SESSION wait_timeout = {_LONGEST_S}"))
            number = int(connection.execute(text("SELECT CONNECTION_ID()")).scalar_one())
            self._end_lost(connection)
            base = str(connection.execute(text("SELECT CONCAT('inkwell ', DATABASE())")).scalar_one())
            refusal = self._enter(connection, base, wait_s)
            if refusal is not None:
                connection.execute(_RELEASE)
            connection.commit()
        except SQLAlchemyError as cause:
            raise DatabaseAway(
                "the database does not answer", where="MariaDB", remedy="Run ./inkwell status, then ./inkwell serve"
            ) from cause
        if refusal is not None:
            self._held = []
            connection.close()
            raise refusal
        self._connection, self._number = connection, number

    def keep(self) -> None:
        """Look after it on a thread of its own, until it is closed."""
        self._thread = threading.Thread(target=self._look_after, name="database lock", daemon=True)
        self._thread.start()

    def look(self) -> None:
        """Take the locks again if they were lost. Raises InUse if another server has one by now, or DatabaseAway."""
        if self._connection is not None:
            try:
                mine = [self._connection.execute(_IS_MINE, {"name": name}).scalar() for name in self._held]
                self._connection.commit()
                if all(mine):
                    return
            except SQLAlchemyError:
                log.warning("the database was away", remedy="its lock is taken again")
            with contextlib.suppress(SQLAlchemyError):
                self._connection.close()
            self._connection = None
        # Others may just be coming in, and hold the gate for a moment.
        self.take(_WAIT_S if self.is_shared else 0)

    def close(self) -> None:
        """Give it up."""
        self._closing.set()
        if self._thread is not None:
            self._thread.join()
        if self._connection is not None:
            with contextlib.suppress(SQLAlchemyError):
                self._connection.execute(_RELEASE)
                self._connection.close()
        self._engine.dispose()

    def _enter(self, connection: Connection, base: str, wait_s: float) -> InUse | None:
        """Take the locks that this server needs; return why it cannot have them."""
        database = base.removeprefix("inkwell ")
        gate = base  # held by a server that works alone, and by others while they come in
        if not _get(connection, gate, wait_s):
            return InUse(
                "another server works with this database",
                where=database,
                remedy="Stop that one first, or set INKWELL_DATABASE_URL to another database",
            )
        places = [f"{base} server {number}" for number in range(_MOST_SERVERS)]
        if self._node is None:
            self._held = [gate]
            if all(connection.execute(_IS_FREE, {"name": name}).scalar() for name in places):
                return None
            return InUse(
                "servers that have workers work with this database",
                where=database,
                remedy="Stop all of them first, or set INKWELL_ENGINE=celery to be one of them",
            )
        name = f"{base} node {self._node}"
        if not _get(connection, name, wait_s):
            return InUse(
                f"another server is called {self._node}",
                where=database,
                remedy="Stop that one first, or set INKWELL_NODE to another name",
            )
        place = next((one for one in places if _get(connection, one, 0)), None)
        connection.execute(text("DO RELEASE_LOCK(:name)"), {"name": gate})
        if place is None:
            return InUse(f"{_MOST_SERVERS} servers work with this database", where=database, remedy="Stop one first")
        self._held = [name, place]
        return None

    def _end_lost(self, connection: Connection) -> None:
        """End the connection that this process had before, if it still holds a lock.

        Where the network was away the database does not know that nobody is left at its other end.
        """
        if self._number is None or not self._is_held_by(connection, self._number):
            return
        with contextlib.suppress(SQLAlchemyError):
            connection.execute(text(f"KILL {self._number}"))
        # KILL returns before the connection has ended and given its locks up.
        until_s = time.monotonic() + _LONGEST_END_S
        while self._is_held_by(connection, self._number) and time.monotonic() < until_s:
            time.sleep(_ASK_EVERY_S)

    def _is_held_by(self, connection: Connection, number: int) -> bool:
        """Return whether the database's connection of that number holds one of the locks."""
        return any(
            connection.execute(text("SELECT IS_USED_LOCK(:name)"), {"name": name}).scalar() == number
            for name in self._held
        )

    def _look_after(self) -> None:
        while not self._closing.wait(_LOOK_EVERY_S):
            try:
                self.look()
            except DatabaseAway:
                continue
            except InUse as refusal:
                self._on_loss(refusal)
                return


# The database notices only a moment later that a connection was closed, and whoever comes right then would be refused.
_RELEASE = text("DO RELEASE_ALL_LOCKS()")
_IS_FREE = text("SELECT IS_FREE_LOCK(:name)")
_IS_MINE = text("SELECT IS_USED_LOCK(:name) = CONNECTION_ID()")


def _get(connection: Connection, name: str, wait_s: float) -> bool:
    """Take a named lock, or wait for it so long; return whether it was got."""
    taken = connection.execute(text("SELECT GET_LOCK(:name, :wait_s)"), {"name": name, "wait_s": wait_s})
    return bool(taken.scalar_one() == 1)
