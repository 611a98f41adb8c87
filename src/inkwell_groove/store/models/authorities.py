"""Headings: the one form of a name, the variants that point to it, and the merges by which they came to do so."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import JSON, ForeignKey, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from inkwell_groove.store.models.base import EXACT, Base, now
from inkwell_groove.store.models.survey import NAME_LENGTH


class Heading(Base):
    """A person, label or work, by the name that the house uses."""

    __tablename__ = "heading"
    __table_args__ = (UniqueConstraint("kind", "name"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str] = mapped_column(String(12))
    name: Mapped[str] = mapped_column(String(NAME_LENGTH, collation=EXACT))
    sort_name: Mapped[str] = mapped_column(String(NAME_LENGTH, collation=EXACT), default="")
    made_at: Mapped[datetime] = mapped_column(default=now)
    made_by: Mapped[str] = mapped_column(String(100))


class HeadingVariant(Base):
    """A form of the name that is to become the heading wherever it stands."""

    __tablename__ = "heading_variant"
    __table_args__ = (UniqueConstraint("kind", "value"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str] = mapped_column(String(12))
    value: Mapped[str] = mapped_column(String(NAME_LENGTH, collation=EXACT))
    heading_id: Mapped[int] = mapped_column(ForeignKey("heading.id"), index=True)


class HeadingMerge(Base):
    """One merge. `before` is what leads back: variants, the heading as it was, what dockets said."""

    __tablename__ = "heading_merge"

    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str] = mapped_column(String(12))
    name: Mapped[str] = mapped_column(String(NAME_LENGTH, collation=EXACT))
    variants: Mapped[list[Any]] = mapped_column(JSON)
    file_step_id: Mapped[int | None]
    before: Mapped[dict[str, Any]]
    at: Mapped[datetime] = mapped_column(default=now)
    by: Mapped[str] = mapped_column(String(100))
    taken_back_at: Mapped[datetime | None]
