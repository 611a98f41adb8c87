"""Failures to sign in, which all servers of a house count together and no restart forgets."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from datetime import timedelta

from sqlalchemy import delete, select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from inkwell_groove.core.attempts import AttemptLimit
from inkwell_groove.store.database import DATABASE_NOW, Database, try_again
from inkwell_groove.store.models import FailedAttempts

_MOST_KEYS = 10_000  # beyond that the oldest are forgotten, so that nobody fills the table with keys that mean nothing


class Attempts:
    """Failures by key, each key under a limit of its own. Times are the database's."""

    def __init__(self, database: Database, *, most_keys: int = _MOST_KEYS) -> None:
        self._database, self._most_keys = database, most_keys

    def begin(self, limits: Mapping[str, AttemptLimit]) -> float:
        """Count a try as failed before it is made, so that many at once do not pass the limit.

        Returns how many seconds one has to wait before trying, and then counts nothing; 0 if it may be made now.
        """
        return try_again(lambda: self._begin(limits))

    def succeeded(self, key: str) -> None:
        """Forget a key's failures."""
        self._take_back(key, all_of_them=True)

    def not_failed(self, key: str) -> None:
        """Take back one failure that was counted before its outcome was known."""
        self._take_back(key, all_of_them=False)

    def _begin(self, limits: Mapping[str, AttemptLimit]) -> float:
        by_key = {_digest(key): limit for key, limit in limits.items()}
        with self._database.begin() as session:
            time = session.scalars(select(DATABASE_NOW)).one()
            self._forget(session, time - timedelta(seconds=max(limit.forget_s for limit in limits.values())))
            # In one order, so that no two tries wait for each other.
            keys = sorted(by_key)
            session.execute(
                insert(FailedAttempts).prefix_with("IGNORE"),
                [{"key_sha256": key, "failures": 0, "last_at": time} for key in keys],
            )
            locked = select(FailedAttempts).where(FailedAttempts.key_sha256.in_(keys))
            rows = session.scalars(locked.order_by(FailedAttempts.key_sha256).with_for_update()).all()
            since_s = {row.key_sha256: (time - row.last_at).total_seconds() for row in rows}
            wait_s = max(by_key[row.key_sha256].wait_s(row.failures, since_s[row.key_sha256]) for row in rows)
            if wait_s <= 0:
                for row in rows:
                    row.failures = by_key[row.key_sha256].counted(row.failures, since_s[row.key_sha256]) + 1
                    row.last_at = time
            return wait_s

    def _forget(self, session: Session, before: object) -> None:
        # Looked for without locks: a DELETE would wait for every row that another try is just counting.
        too_many = select(FailedAttempts.key_sha256).order_by(FailedAttempts.last_at.desc()).offset(self._most_keys)
        old = select(FailedAttempts.key_sha256).where(FailedAttempts.last_at < before)
        for forgotten in {*session.scalars(old.limit(100)), *session.scalars(too_many.limit(100))}:
            session.execute(delete(FailedAttempts).where(FailedAttempts.key_sha256 == forgotten))

    def _take_back(self, key: str, *, all_of_them: bool) -> None:
        def take_back() -> None:
            with self._database.begin() as session:
                row = session.get(FailedAttempts, _digest(key), with_for_update=True)
                if row is not None and (all_of_them or row.failures <= 1):
                    session.delete(row)
                elif row is not None:
                    row.failures -= 1

        try_again(take_back)


def _digest(key: str) -> str:
    """Return what is kept of a key: names that were tried, and by whom, are nobody's business."""
    return hashlib.sha256(key.encode()).hexdigest()
