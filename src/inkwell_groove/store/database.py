"""Sessions on the database, and foreign errors put into our words at the border."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from sqlalchemy import Engine, create_engine
from sqlalchemy.exc import DataError, DBAPIError, IntegrityError, InterfaceError, OperationalError
from sqlalchemy.exc import TimeoutError as PoolTimeout
from sqlalchemy.orm import Session, sessionmaker

from inkwell_groove.core.errors import Conflict, InkwellError, Refused


class DatabaseAway(InkwellError):
    """The database does not answer."""


# MariaDB's error codes (mariadb.com/kb, "MariaDB Error Codes") that the same statement may be free of a moment later:
# too many connections, server going down, lock wait timeout, deadlock; and those of a connection that is lost.
_PASSING = {1040, 1053, 1205, 1213, 2002, 2003, 2006, 2013}


def is_passing(error: Exception) -> bool:
    """Whether the same work may succeed in a moment: the database is away or busy, the work itself is not at fault."""
    if isinstance(error, PoolTimeout | InterfaceError):
        return True
    if not isinstance(error, DBAPIError):
        return False
    arguments = error.orig.args if error.orig is not None else ()
    return error.connection_invalidated or bool(arguments and arguments[0] in _PASSING)


class Database:
    """The door to the rows: one transaction at a time."""

    def __init__(self, url: str) -> None:
        # A connection that died in the pool is found out before it is used.
        self.engine: Engine = create_engine(
            url,
            pool_pre_ping=True,
            pool_size=10,
            max_overflow=20,
            connect_args={"connect_timeout": 5},
            hide_parameters=True,  # of a statement that failed: its values belong into no log
        )
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)

    @contextmanager
    def begin(self) -> Iterator[Session]:
        """A transaction: committed at the end, rolled back on any exception.

        Raises DatabaseAway where it cannot be reached, Conflict where a rule of the tables is broken, Refused where a
        value does not fit into its column.
        """
        try:
            with self._sessions.begin() as session:
                yield session
        except IntegrityError as cause:
            raise Conflict(
                "somebody changed the same thing at the same moment", remedy="Reload and try again"
            ) from cause
        except DataError as cause:
            raise Refused(
                "a value is too long or too large to be kept", where="the request", remedy="Make it shorter or smaller"
            ) from cause
        except (OperationalError, InterfaceError, PoolTimeout) as cause:
            raise DatabaseAway(
                "the database does not answer", where="MariaDB", remedy="Run ./inkwell status, then ./inkwell serve"
            ) from cause

    def close(self) -> None:
        self.engine.dispose()
