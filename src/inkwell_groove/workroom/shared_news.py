"""News that all processes of a house tell each other, through a table with numbers.

A transaction may be committed after a later one: number 12 can be read before number 11 is there. `InOrder` waits for
what is missing, for a short while, so that everybody hears everything once and in the order of the numbers. What must
not be lost with the process that tells it is written in the transaction that it tells of; everything else soon after.
"""

from __future__ import annotations

import threading
import time
from collections import deque
from collections.abc import Callable, Sequence
from datetime import timedelta
from typing import Any

import structlog
from sqlalchemy import delete, insert, select
from sqlalchemy.orm import Session

from inkwell_groove.store.database import Database, after_commit
from inkwell_groove.store.models import News, now

_LOOK_EVERY_S = 0.2
_PATIENCE_S = 2.0  # for a number that is missing: it is taken last in a transaction, a moment before the commit
_REMEMBERED_S = 60.0  # a number that comes later than that is not told
_GATHERED_S = 0.03  # what is told at nearly the same time is written together
_KEPT = timedelta(hours=1)
_PRUNE_EVERY_S = 300.0
_AT_ONCE = 500
_CAUGHT_UP = 2_000  # whoever missed more than that reads everything anew
_UNTOLD = 20_000  # items kept while the database is away; then the oldest are lost
_PAUSE_S = 1.0
Item = dict[str, Any]
log = structlog.get_logger()


class InOrder:
    """Puts numbered items into the order of their numbers, each once.

    A number that is not there after `patience_s` is passed over. Should it come after all, its item is given then.
    """

    def __init__(self, last: int, *, patience_s: float = _PATIENCE_S, remembered_s: float = _REMEMBERED_S) -> None:
        """Numbers up to `last` are taken as given."""
        self._next = last + 1
        self._patience_s, self._remembered_s = patience_s, remembered_s
        self._ahead: dict[int, Item] = {}
        self._missing: dict[int, float] = {}  # since when

    @property
    def next_number(self) -> int:
        """Return the number from which on nothing was given."""
        return self._next

    @property
    def missing(self) -> list[int]:
        """Return the numbers that are missing, among them those that were passed over and may still come."""
        return list(self._missing)

    def take(self, rows: Sequence[tuple[int, Item]], at_s: float) -> list[Item]:
        """Return what is to be told now that these rows were read, in order."""
        given: list[Item] = []
        for number, item in sorted(rows, key=lambda row: row[0]):
            if number >= self._next:
                self._ahead[number] = item
            elif self._missing.pop(number, None) is not None:
                given.append(item)  # it was passed over, and is late
        for number in range(self._next, max(self._ahead, default=self._next)):
            if number not in self._ahead:
                self._missing.setdefault(number, at_s)
        while self._ahead:
            if self._next in self._ahead:
                given.append(self._ahead.pop(self._next))
                self._missing.pop(self._next, None)
            elif at_s - self._missing[self._next] < self._patience_s:
                break
            self._next += 1
        for number in [one for one, since_s in self._missing.items() if at_s - since_s > self._remembered_s]:
            del self._missing[number]
        return given


class SharedNews:
    """Writes what this process tells into the table, and gives on what is in it, whoever wrote it."""

    def __init__(self, database: Database, give: Callable[[Item], None]) -> None:
        """`give` is called with each item and its number in it, on one thread, where this process listens."""
        self._database, self._give = database, give
        self._untold: deque[Item] = deque(maxlen=_UNTOLD)
        self._to_write, self._to_read, self._stopping = threading.Event(), threading.Event(), threading.Event()
        self._writer = threading.Thread(target=self._write, name="news out", daemon=True)
        self._reader = threading.Thread(target=self._read, name="news in", daemon=True)

    def start(self, *, listens: bool) -> None:
        """Write from now on, and read too if this process `listens`: what is told from now on."""
        self._writer.start()
        if listens:
            with self._database.begin() as session:
                first = News(at=now(), item={"kind": "listener"})
                session.add(first)
                session.flush()
                self._order = InOrder(first.id)
            self._reader.start()

    def tell(self, item: Item) -> None:
        """Tell everybody, soon. Nobody waits for the database here."""
        self._untold.append(item)
        self._to_write.set()

    def tell_with(self, session: Session, item: Item) -> None:
        """Write an item in a transaction: it is told if that is committed, even if this process is killed then."""
        session.execute(insert(News), {"at": now(), "item": item})
        after_commit(session, self._to_read.set)

    def since(self, number: int) -> list[Item] | None:
        """Return what was told after a number, as far as it is in the table; None if that may not be all of it."""
        with self._database.begin() as session:
            # What is older is taken out of the table: while this is there, all that came after it is.
            if session.get(News, number) is None:
                return None
            later = list(session.scalars(select(News).where(News.id > number).order_by(News.id).limit(_CAUGHT_UP + 1)))
        return [_numbered(row) for row in later] if len(later) <= _CAUGHT_UP else None

    def close(self) -> None:
        """Stop once what was to be told is written, if the database answers."""
        self._stopping.set()
        self._to_write.set()
        self._to_read.set()
        for thread in (self._writer, self._reader):
            if thread.is_alive():
                thread.join(_PAUSE_S * 5)

    def _write(self) -> None:
        while not (self._stopping.is_set() and not self._untold):
            self._to_write.wait()
            self._stopping.wait(_GATHERED_S)
            self._to_write.clear()
            while items := [self._untold[place] for place in range(min(_AT_ONCE, len(self._untold)))]:
                try:
                    at = now()
                    with self._database.begin() as session:
                        session.execute(insert(News), [{"at": at, "item": item} for item in items])
                except Exception:
                    log.warning("news wait: they could not be written", exc_info=True)
                    if self._stopping.wait(_PAUSE_S):
                        return
                    continue
                for item in items:
                    if self._untold and self._untold[0] is item:  # unless there were too many, and it was dropped
                        self._untold.popleft()
                self._to_read.set()

    def _read(self) -> None:
        pruned_s = time.monotonic()
        while not self._stopping.is_set():
            self._to_read.wait(_LOOK_EVERY_S)
            self._to_read.clear()
            try:
                self._read_once()
                if time.monotonic() - pruned_s > _PRUNE_EVERY_S:
                    pruned_s = time.monotonic()
                    with self._database.begin() as session:
                        session.execute(delete(News).where(News.at < now() - _KEPT))
            except Exception:
                log.warning("news could not be read", exc_info=True)
                self._stopping.wait(_PAUSE_S)

    def _read_once(self) -> None:
        newer = select(News).where(News.id >= self._order.next_number).order_by(News.id).limit(_AT_ONCE)
        with self._database.begin() as session:
            rows = list(session.scalars(newer))
            if missing := self._order.missing[:_AT_ONCE]:
                rows += session.scalars(select(News).where(News.id.in_(missing)))
        for item in self._order.take([(row.id, _numbered(row)) for row in rows], time.monotonic()):
            self._give(item)


def _numbered(row: News) -> Item:
    return {**row.item, "news_id": row.id}
