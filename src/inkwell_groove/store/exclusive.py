"""One server at a time works with a store and a database: a second would take the first one's jobs for left over."""

from __future__ import annotations

import contextlib
import fcntl
import os
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import structlog
from sqlalchemy import Connection, NullPool, create_engine, text
from sqlalchemy.exc import SQLAlchemyError

from inkwell_groove.core.errors import InkwellError
from inkwell_groove.store.database import DatabaseAway, connection_options

LOCK_NAME = "in use"
_WAIT_S = 10  # a server that was just killed holds its lock until the database notices
_LONGEST_S = 365 * 24 * 3600
_LOOK_EVERY_S = 2.0
_NAME = "CONCAT('inkwell ', DATABASE())"
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
    with _locked_store(media_root):
        lock = DatabaseLock(database_url, on_loss=on_loss)
        try:
            lock.take(_WAIT_S)
            lock.keep()
            yield
        finally:
            lock.close()


@contextmanager
def _locked_store(media_root: Path) -> Iterator[None]:
    media_root.mkdir(parents=True, exist_ok=True)
    path = media_root / LOCK_NAME
    with path.open("a+") as file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError as cause:
            file.seek(0)
            raise InUse(
                f"another server works with these recordings: process {file.read().strip() or 'unknown'}",
                where=str(media_root),
                remedy="Stop that one first, or set INKWELL_MEDIA_ROOT to another folder",
            ) from cause
        file.truncate(0)
        file.write(f"{os.getpid()}\n")
        file.flush()
        yield


class DatabaseLock:
    """A database's named lock, which lasts as long as the connection that took it.

    It is looked at every few seconds, and taken again after the database was restarted.
    """

    def __init__(self, database_url: str, *, on_loss: Callable[[InUse], None]) -> None:
        self._engine = create_engine(
            database_url, hide_parameters=True, poolclass=NullPool, connect_args=connection_options(database_url)
        )
        self._on_loss = on_loss
        self._connection: Connection | None = None
        self._closing = threading.Event()
        self._thread: threading.Thread | None = None

    def take(self, wait_s: float = 0) -> None:
        """Raises InUse if another server holds it for longer than that, DatabaseAway if the database is away."""
        try:
            connection = self._engine.connect()
            # It is idle as long as the server runs.
            connection.execute(text(f"SET SESSION wait_timeout = {_LONGEST_S}"))
            taken = connection.execute(text(f"SELECT GET_LOCK({_NAME}, :wait_s)"), {"wait_s": wait_s}).scalar_one()
            name = connection.execute(text("SELECT DATABASE()")).scalar_one()
            connection.commit()
        except SQLAlchemyError as cause:
            raise DatabaseAway(
                "the database does not answer", where="MariaDB", remedy="Run ./inkwell status, then ./inkwell serve"
            ) from cause
        if taken != 1:
            connection.close()
            raise InUse(
                "another server works with this database",
                where=str(name),
                remedy="Stop that one first, or set INKWELL_DATABASE_URL to another database",
            )
        self._connection = connection

    def keep(self) -> None:
        """Look after it on a thread of its own, until it is closed."""
        self._thread = threading.Thread(target=self._look_after, name="database lock", daemon=True)
        self._thread.start()

    def look(self) -> None:
        """Take it again if it was lost. Raises InUse if another server has taken it, DatabaseAway as `take` does."""
        if self._connection is not None:
            try:
                mine = self._connection.execute(text(f"SELECT IS_USED_LOCK({_NAME}) = CONNECTION_ID()")).scalar()
                self._connection.commit()
                if mine:
                    return
            except SQLAlchemyError:
                log.warning("the database was away", remedy="its lock is taken again")
            with contextlib.suppress(SQLAlchemyError):
                self._connection.close()
            self._connection = None
        self.take()

    def close(self) -> None:
        """Give it up."""
        self._closing.set()
        if self._thread is not None:
            self._thread.join()
        if self._connection is not None:
            with contextlib.suppress(SQLAlchemyError):
                self._connection.close()
        self._engine.dispose()

    def _look_after(self) -> None:
        while not self._closing.wait(_LOOK_EVERY_S):
            try:
                self.look()
            except DatabaseAway:
                continue
            except InUse as refusal:
                self._on_loss(refusal)
                return
