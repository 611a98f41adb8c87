"""How recordings are related, and files that were set aside."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import ForeignKey, String
from sqlalchemy.orm import Mapped, mapped_column

from inkwell_groove.store.models.base import EXACT, Base, now


class SoundRelation(Base):
    """How two sounds are related (`core.duplicates.relation.Relation`), the lesser identity first."""

    __tablename__ = "sound_relation"

    first: Mapped[str] = mapped_column(String(64, collation=EXACT), primary_key=True)
    second: Mapped[str] = mapped_column(String(64, collation=EXACT), primary_key=True, index=True)
    kind: Mapped[str] = mapped_column(String(20))
    document: Mapped[dict[str, Any]]
    at: Mapped[datetime] = mapped_column(default=now)


class HeldFile(Base):
    """A file that was set aside: kept until a day, to be brought back until then. `row` is what its row was."""

    __tablename__ = "held_file"

    id: Mapped[int] = mapped_column(primary_key=True)
    bundle_id: Mapped[int] = mapped_column(ForeignKey("bundle.id"), index=True)
    path: Mapped[str] = mapped_column(String(1000, collation=EXACT))
    place: Mapped[str] = mapped_column(String(200))
    sha256: Mapped[str] = mapped_column(String(64))
    row: Mapped[dict[str, Any]]
    reason: Mapped[str] = mapped_column(String(300))
    state: Mapped[str] = mapped_column(String(20), index=True)
    at: Mapped[datetime] = mapped_column(default=now)
    by: Mapped[str] = mapped_column(String(100))
    until: Mapped[datetime]
