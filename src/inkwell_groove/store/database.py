"""Sessions on the database, and foreign errors put into our words at the border."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from sqlalchemy import Engine, create_engine
from sqlalchemy.exc import IntegrityError, OperationalError
from sqlalchemy.orm import Session, sessionmaker

from inkwell_groove.core.errors import Conflict, InkwellError


class DatabaseAway(InkwellError):
    """The database does not answer."""


class Database:
    """The door to the rows: one transaction at a time."""

    def __init__(self, url: str) -> None:
        # A connection that died in the pool is found out before it is used.
        self.engine: Engine = create_engine(
            url, pool_pre_ping=True, pool_size=10, max_overflow=20, connect_args={"connect_timeout": 5}
        )
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)

    @contextmanager
    def begin(self) -> Iterator[Session]:
        """A transaction: committed at the end, rolled back on any exception.

        Raises DatabaseAway where it cannot be reached, Conflict where a rule of the tables is broken.
        """
        try:
            with self._sessions.begin() as session:
                yield session
        except IntegrityError as cause:
            raise Conflict(
                "somebody changed the same thing at the same moment", remedy="Reload and try again"
            ) from cause
        except OperationalError as cause:
            raise DatabaseAway(
                "the database does not answer", where="MariaDB", remedy="Run ./inkwell status, then ./inkwell serve"
            ) from cause

    def close(self) -> None:
        self.engine.dispose()
