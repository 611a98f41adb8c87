"""Recording and reading: chains, starting points, recordings going on, drives and what was read of discs."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import ForeignKey, String
from sqlalchemy.orm import Mapped, mapped_column

from inkwell_groove.store.models.base import EXACT, Base, now


class StoredChain(Base):
    """A chain, stored once. Never changed: another one gets a row of its own, and this one may be retired."""

    __tablename__ = "chain"

    id: Mapped[int] = mapped_column(primary_key=True)
    document: Mapped[dict[str, Any]]
    made_at: Mapped[datetime] = mapped_column(default=now)
    made_by: Mapped[str] = mapped_column(String(100))
    retired_at: Mapped[datetime | None]


class StoredStartingPoint(Base):
    """A plan's steps saved as something to start from, besides those the application brings."""

    __tablename__ = "starting_point"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(60), unique=True)
    document: Mapped[dict[str, Any]]
    made_at: Mapped[datetime]
    made_by: Mapped[str] = mapped_column(String(100))


class Recording(Base):
    """A recording that is going on, or ended and is being made a take. Its row outlives the server that began it.

    `document` is what is needed to finish it without that server: `recorder.Begun`, as data.
    """

    __tablename__ = "recording"

    id: Mapped[int] = mapped_column(primary_key=True)
    docket_id: Mapped[int] = mapped_column(ForeignKey("docket.id"), index=True)
    side_id: Mapped[int] = mapped_column(ForeignKey("side.id"))
    transfer_key: Mapped[str] = mapped_column(String(32, collation=EXACT), index=True)
    state: Mapped[str] = mapped_column(String(30), default="recording")
    document: Mapped[dict[str, Any]]
    refusal: Mapped[dict[str, Any] | None]
    began_at: Mapped[datetime] = mapped_column(default=now)
    node: Mapped[str | None] = mapped_column(String(24))  # the server that records it, and takes it up again


class Connection(Base):
    """A source that is connected to a docket, and the server that has it. Its row goes when it is let go."""

    __tablename__ = "connection"

    transfer_key: Mapped[str] = mapped_column(String(32, collation=EXACT), primary_key=True)
    docket_id: Mapped[int] = mapped_column(ForeignKey("docket.id"), index=True)
    node: Mapped[str] = mapped_column(String(24))


class OpticalDrive(Base):
    """What is known of a drive: how many samples late it delivers, and who or what says so."""

    __tablename__ = "optical_drive"

    id: Mapped[str] = mapped_column(String(40, collation=EXACT), primary_key=True)
    offset_samples: Mapped[int]
    offset_from: Mapped[str] = mapped_column(String(40))
    found_at: Mapped[datetime] = mapped_column(default=now)
