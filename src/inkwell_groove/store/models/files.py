"""Files that others made, steps of work on them, and the house's saved rules."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import BigInteger, FetchedValue, ForeignKey, Index, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from inkwell_groove.store.models.base import EXACT, NOW, Base, now


class Bundle(Base):
    """A folder of files that was brought in: copied into the store, or edited where it lies."""

    __tablename__ = "bundle"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(200))
    origin: Mapped[str] = mapped_column(String(1000))
    in_place: Mapped[bool]
    state: Mapped[str] = mapped_column(String(20))
    told: Mapped[dict[str, Any]]
    made_at: Mapped[datetime] = mapped_column(default=now)
    changed_at: Mapped[datetime] = mapped_column(server_default=NOW, server_onupdate=FetchedValue())


class BundleFile(Base):
    """One file of a bundle as it is stored, and what was changed on the sheet but is not written yet.

    `changed_at` is set by the database whenever a row becomes another, by its own clock and in its own time zone: it is
    only ever compared with the same clock. The survey looks at what changed since.
    """

    __tablename__ = "bundle_file"
    __table_args__ = (Index("ix_bundle_file_place", "bundle_id", "path", mysql_length={"path": 191}),)

    id: Mapped[int] = mapped_column(primary_key=True)
    bundle_id: Mapped[int] = mapped_column(ForeignKey("bundle.id"), index=True)
    path: Mapped[str] = mapped_column(String(1000, collation=EXACT))
    kind: Mapped[str] = mapped_column(String(12))
    size_bytes: Mapped[int] = mapped_column(BigInteger)
    sha256: Mapped[str] = mapped_column(String(64))
    audio_digest: Mapped[str] = mapped_column(String(64), index=True)
    origin_path: Mapped[str] = mapped_column(String(1000, collation=EXACT))
    origin_sha256: Mapped[str] = mapped_column(String(64))
    facts: Mapped[dict[str, Any]]
    fields: Mapped[dict[str, Any]]
    pending: Mapped[dict[str, Any]]
    problem: Mapped[dict[str, Any] | None]
    changed_at: Mapped[datetime] = mapped_column(server_default=NOW, server_onupdate=FetchedValue(), index=True)


class FileStep(Base):
    """One step of work on many files. How it is undone is in its journal in the store, for as long as that is kept."""

    __tablename__ = "file_step"

    id: Mapped[int] = mapped_column(primary_key=True)
    what: Mapped[str] = mapped_column(String(300))
    state: Mapped[str] = mapped_column(String(20))
    counts: Mapped[dict[str, Any]]
    told: Mapped[dict[str, Any]]
    at: Mapped[datetime] = mapped_column(default=now)
    by: Mapped[str] = mapped_column(String(100))
    has_journal: Mapped[bool] = mapped_column(default=True)


class HouseDocument(Base):
    """A rule that somebody saved: how texts are worded, how files are named, what pictures they have."""

    __tablename__ = "house_document"
    __table_args__ = (UniqueConstraint("kind", "name"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str] = mapped_column(String(20))
    name: Mapped[str] = mapped_column(String(100))
    position: Mapped[int]
    document: Mapped[dict[str, Any]]
