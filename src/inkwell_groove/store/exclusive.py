"""One server at a time works with a store and a database: a second would take the first one's jobs for left over."""

from __future__ import annotations

import fcntl
import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from sqlalchemy import create_engine, text
from sqlalchemy.exc import SQLAlchemyError

from inkwell_groove.core.errors import InkwellError
from inkwell_groove.store.database import DatabaseAway, connection_options

LOCK_NAME = "in use"
_WAIT_S = 10  # a server that was just killed holds its lock until the database notices
_LONGEST_S = 365 * 24 * 3600


class InUse(InkwellError):
    """Another server works with these data."""


@contextmanager
def exclusive_use(media_root: Path, database_url: str) -> Iterator[None]:
    """Hold the media store and the database for one server, until the block or the process ends.

    Raises InUse if another server holds one of them, DatabaseAway if the database cannot be reached.
    """
    with _locked_store(media_root), _locked_database(database_url):
        yield


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


@contextmanager
def _locked_database(database_url: str) -> Iterator[None]:
    engine = create_engine(database_url, hide_parameters=True, connect_args=connection_options(database_url))
    try:
        with engine.connect() as connection:
            # The lock is held as long as this connection, which is idle as long as the server runs.
            connection.execute(text(f"SET SESSION wait_timeout = {_LONGEST_S}"))
            lock = text("SELECT GET_LOCK(CONCAT('inkwell ', DATABASE()), :wait_s)")
            if connection.execute(lock, {"wait_s": _WAIT_S}).scalar_one() != 1:
                raise InUse(
                    "another server works with this database",
                    where=str(connection.execute(text("SELECT DATABASE()")).scalar_one()),
                    remedy="Stop that one first, or set INKWELL_DATABASE_URL to another database",
                )
            connection.commit()
            yield
    except SQLAlchemyError as cause:
        raise DatabaseAway(
            "the database does not answer", where="MariaDB", remedy="Run ./inkwell status, then ./inkwell serve"
        ) from cause
    finally:
        engine.dispose()
