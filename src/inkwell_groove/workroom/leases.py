"""Leases: what one process of a house does for all of them, until it no longer says that it does."""

from __future__ import annotations

import os
import socket
from datetime import timedelta

from sqlalchemy import case, delete, or_, select
from sqlalchemy.dialects.mysql import insert

from inkwell_groove.store.database import DATABASE_NOW, Database
from inkwell_groove.store.models import Lease


class Leases:
    """Leases by name. Times are the database's; a lease that has ended is anybody's."""

    def __init__(self, database: Database, *, owner: str | None = None) -> None:
        """`owner` names this process; by default its machine and number do."""
        self._database = database
        self._owner = owner or f"{socket.gethostname()[:60]} {os.getpid()}"

    def hold(self, name: str, for_s: float) -> bool:
        """Take a lease, or renew it; return whether this process has it now."""
        with self._database.begin() as session:
            time = session.scalars(select(DATABASE_NOW)).one()
            until = time + timedelta(seconds=for_s)
            is_free = or_(Lease.until < time, Lease.owner == self._owner)
            put = insert(Lease).values(name=name, owner=self._owner, until=until)
            # The database sets the columns in this order: `until` is looked at before it is changed.
            session.execute(
                put.on_duplicate_key_update(
                    [
                        ("owner", case((is_free, self._owner), else_=Lease.owner)),
                        ("until", case((Lease.owner == self._owner, until), else_=Lease.until)),
                    ]
                )
            )
            return session.scalars(select(Lease.owner).where(Lease.name == name)).one() == self._owner

    def is_held(self, name: str) -> bool:
        """Return whether any process has a lease."""
        with self._database.begin() as session:
            held = select(Lease.name).where(Lease.name == name, Lease.until >= DATABASE_NOW)
            return session.scalar(held) is not None

    def let_go(self, name: str) -> None:
        """Give a lease up, if this process has it."""
        with self._database.begin() as session:
            session.execute(delete(Lease).where(Lease.name == name, Lease.owner == self._owner))
