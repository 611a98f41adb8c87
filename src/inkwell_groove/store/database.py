"""Transactions on the database, and its errors in the application's own words.

A transaction reads what is committed (READ COMMITTED), so that a row read after a lock was waited for is the row as it
is, not as it was when the transaction began. What must happen only if the transaction is committed is registered with
`after_commit`: no file is deleted, and nobody is told anything, before that is certain.
"""

from __future__ import annotations

import random
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from datetime import datetime
from typing import Any, TypeVar

import structlog
from sqlalchemy import ColumnElement, Engine, create_engine, event, func, make_url
from sqlalchemy.exc import DataError, DBAPIError, IntegrityError, InterfaceError, InvalidatePoolError, OperationalError
from sqlalchemy.exc import TimeoutError as PoolTimeout
from sqlalchemy.orm import ORMExecuteState, Session, sessionmaker
from sqlalchemy.pool import ConnectionPoolEntry

from inkwell_groove.core.errors import Conflict, InkwellError, Refused
from inkwell_groove.store.models.base import UtcDateTime
from inkwell_groove.store.settings import LOOPBACK

T = TypeVar("T")
log = structlog.get_logger()

# MariaDB's error codes (mariadb.com/kb, "MariaDB Error Codes"). The same work may succeed a moment later after: lock
# wait timeout, deadlock, a row that changed since it was read, a savepoint that is gone: a deadlock undoes the whole
# transaction, so that going back to a savepoint within it fails in place of the deadlock;
_BUSY = {1205, 1213, 1020, 1305}
# and after: too many connections, server going down, a connection that is lost.
_AWAY = {1040, 1053, 2002, 2003, 2006, 2013}
_ATTEMPTS = 6
_ANSWER_WITHIN_S = 120  # more than a lock is waited for (50 s); a network that is cut off says nothing at all
_PAUSE_S = 0.02
_FRESH_S = 0.5  # a connection that was used so recently is used again without a question
_AFTER, _WROTE, _USED_S = "after commit", "wrote", "used at"
# The time of the database, which all machines share.
DATABASE_NOW: ColumnElement[datetime] = func.utc_timestamp(6, type_=UtcDateTime())


class DatabaseAway(InkwellError):
    """The database does not answer."""


class Busy(InkwellError):
    """Others held the same rows for too long, or this transaction was ended so that another one could go on.

    Nothing was changed. The same work may be tried again.
    """


class Attempt:
    """What one attempt at a piece of work has done so far, however many transactions it takes."""

    def __init__(self) -> None:
        self.has_committed = False


_attempt: ContextVar[Attempt | None] = ContextVar("attempt", default=None)


@contextmanager
def attempting() -> Iterator[Attempt]:
    """Note whether the transactions of the block have changed anything, in this thread or in threads it starts."""
    attempt, around = Attempt(), _attempt.get()
    token = _attempt.set(attempt)
    try:
        yield attempt
    finally:
        _attempt.reset(token)
        if around is not None:
            around.has_committed |= attempt.has_committed


def may_try_again(error: Exception, attempt: Attempt, number: int) -> bool:
    """Return whether work may be done again that failed in its attempt of that `number`, counted from 0."""
    return isinstance(error, Busy) and not attempt.has_committed and number + 1 < _ATTEMPTS


def pause_s(number: int) -> float:
    """Return how long to wait after that attempt: longer each time, and a random part so that no two meet again."""
    return _PAUSE_S * (1 << number) * random.uniform(0.5, 1.5)


def try_again(work: Callable[[], T]) -> T:
    """Return what `work` returns. Does it again if others were in its way and it has changed nothing yet.

    Raises whatever the work raises, and Busy if the last attempt failed too.
    """
    number = 0
    while True:
        with attempting() as attempt:
            try:
                return work()
            except Busy as error:
                if not may_try_again(error, attempt, number):
                    raise
        time.sleep(pause_s(number))
        number += 1


def after_commit(session: Session, act: Callable[[], object]) -> None:
    """Do something once the transaction is committed, and only then.

    Acts are done in the order in which they were registered. One that fails is logged, and the others are done.
    """
    session.info.setdefault(_AFTER, []).append(act)


@contextmanager
def savepoint(session: Session) -> Iterator[None]:
    """Undo this part of a transaction if it raises, with what it registered to be done after the commit."""
    acts = session.info.setdefault(_AFTER, [])
    before = len(acts)
    try:
        with session.begin_nested():
            yield
    except BaseException:
        del acts[before:]
        raise


def is_passing(error: Exception) -> bool:
    """Return whether the same work may succeed in a moment, because the database is only away or busy."""
    if isinstance(error, PoolTimeout | InterfaceError | Busy | DatabaseAway):
        return True
    if not isinstance(error, DBAPIError):
        return False
    return error.connection_invalidated or _code(error) in _BUSY | _AWAY


def _code(error: DBAPIError) -> int:
    """Return MariaDB's number of an error, 0 if it has none."""
    arguments = error.orig.args if error.orig is not None else ()
    return arguments[0] if arguments and isinstance(arguments[0], int) else 0


def connection_options(url: str, *, has_time: bool = False) -> dict[str, Any]:
    """Return how to connect: with time limits, and without TLS on loopback, where making its context takes 50 ms.

    What changes whole tables `has_time`: an answer may take as long as it takes.
    """
    answer_within_s = None if has_time else _ANSWER_WITHIN_S
    parts = make_url(url)
    is_asked_for = any(name.startswith("ssl") for name in parts.query)
    without_tls = {"ssl_disabled": True} if parts.host in LOOPBACK and not is_asked_for else {}
    limits = {"connect_timeout": 5, "read_timeout": answer_within_s, "write_timeout": answer_within_s}
    return {**limits, **without_tls}


class Database:
    """Begins and commits transactions."""

    def __init__(self, url: str) -> None:
        self.engine: Engine = create_engine(
            url,
            isolation_level="READ COMMITTED",
            pool_size=10,
            max_overflow=20,
            connect_args=connection_options(url),
            hide_parameters=True,  # of a statement that failed: its values belong into no log
        )
        event.listen(self.engine, "checkin", _note_use)
        event.listen(self.engine, "checkout", _check_connection)
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)
        event.listen(self._sessions, "after_flush", _note_flush)
        event.listen(self._sessions, "do_orm_execute", _note_statement)

    @contextmanager
    def begin(self) -> Iterator[Session]:
        """Open a transaction. It is committed at the end of the block and rolled back on any exception.

        Raises DatabaseAway if the database cannot be reached, Busy if others were in the way, Conflict if a rule of the
        tables is broken, Refused if a value does not fit into its column.
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
            if isinstance(cause, DBAPIError) and _code(cause) in _BUSY:
                raise Busy(
                    "others are changing the same thing", remedy="Nothing was changed. Try again in a moment"
                ) from cause
            raise DatabaseAway(
                "the database does not answer", where="MariaDB", remedy="Run ./inkwell status, then ./inkwell serve"
            ) from cause
        attempt = _attempt.get()
        if attempt is not None and session.info.get(_WROTE):
            attempt.has_committed = True
        for act in session.info.get(_AFTER, ()):
            try:
                act()
            except Exception:
                log.exception("what follows from a change could not be done; the change itself is kept")

    def close(self) -> None:
        self.engine.dispose()


def _note_use(_: Any, record: ConnectionPoolEntry) -> None:
    record.info[_USED_S] = time.monotonic()


def _check_connection(connection: Any, record: ConnectionPoolEntry, _: Any) -> None:
    """Find out before it is used that a connection died in the pool. One that was used a moment ago is not asked.

    SQLAlchemy asks every time (`pool_pre_ping`), which is a third of the way of a short transaction.
    """
    if time.monotonic() - record.info.get(_USED_S, time.monotonic()) < _FRESH_S:
        return
    try:
        connection.ping(reconnect=False)
    except Exception as cause:
        raise InvalidatePoolError from cause


def _note_flush(session: Session, _: Any) -> None:
    session.info[_WROTE] = True


def _note_statement(statement: ORMExecuteState) -> None:
    # Of a statement that is given as text nobody knows what it does: it counts as a change.
    if not statement.is_select:
        statement.session.info[_WROTE] = True
