"""Jobs, who runs them, what is told of them, requests that are done once, and the ledger."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import BigInteger, ForeignKey, Index, String, UniqueConstraint
from sqlalchemy.dialects.mysql import MEDIUMTEXT
from sqlalchemy.orm import Mapped, mapped_column

from inkwell_groove.store.models.base import EXACT, Base, now


class Job(Base):
    """Long work: what, with what, how far, and how it ended.

    While it runs, `owner` runs it under a claim with a `token`, which holds until `lease_until`. While its pieces run,
    which are jobs with it as their parent, it is running and nobody's.
    """

    __tablename__ = "job"
    __table_args__ = (
        Index("ix_job_state_retry_at", "state", "retry_at"),
        Index("ix_job_state_asked_at", "state", "asked_at"),
        Index("ix_job_parent_id_state", "parent_id", "state"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    parent_id: Mapped[int | None] = mapped_column(ForeignKey("job.id", name="fk_job_parent_id"))
    weight: Mapped[float] = mapped_column(default=1.0)  # of a piece in the progress of the whole
    kind: Mapped[str] = mapped_column(String(40))
    docket_id: Mapped[int | None] = mapped_column(ForeignKey("docket.id"), index=True)
    subject: Mapped[str] = mapped_column(String(200))
    arguments: Mapped[dict[str, Any]]
    state: Mapped[str] = mapped_column(String(12), index=True, default="waiting")
    lane: Mapped[str] = mapped_column(String(12), default="steady")
    node: Mapped[str | None] = mapped_column(String(24))  # the only server that can run it
    owner: Mapped[str | None] = mapped_column(String(80))
    token: Mapped[str | None] = mapped_column(String(16))
    lease_until: Mapped[datetime | None]
    retry_at: Mapped[datetime | None]
    is_cancelled: Mapped[bool] = mapped_column(default=False)
    progress: Mapped[float] = mapped_column(default=0.0)
    message: Mapped[str] = mapped_column(String(300), default="")
    attempts: Mapped[int] = mapped_column(default=0)
    failure: Mapped[dict[str, Any] | None]
    result: Mapped[dict[str, Any] | None]
    asked_at: Mapped[datetime] = mapped_column(default=now)
    started_at: Mapped[datetime | None]
    ended_at: Mapped[datetime | None]


class Worker(Base):
    """A process that runs jobs of some lanes, on any machine of the house. It says now and then that it is there."""

    __tablename__ = "worker"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80), unique=True)  # the `owner` of the jobs that run there
    host: Mapped[str] = mapped_column(String(80))
    cores: Mapped[int]
    processes: Mapped[int]
    lanes: Mapped[str] = mapped_column(String(80))  # commas between
    version: Mapped[str] = mapped_column(String(40))
    is_server: Mapped[bool] = mapped_column(default=False)  # it answers browsers too, so it does not drain
    is_draining: Mapped[bool] = mapped_column(default=False)  # begins no other job, and leaves
    # Of a server: its name, where others reach it, and what it has to record from and to read discs with.
    node: Mapped[str | None] = mapped_column(String(24), index=True)
    address: Mapped[str] = mapped_column(String(200), default="")
    devices: Mapped[dict[str, Any] | None]
    started_at: Mapped[datetime]
    seen_at: Mapped[datetime]


class News(Base):
    """Something that all servers tell whoever looks on, in the order of its numbers. It is kept for an hour."""

    __tablename__ = "news"

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    at: Mapped[datetime] = mapped_column(index=True)
    item: Mapped[dict[str, Any]]


class Lease(Base):
    """What only one process of a house does at a time, and who does it until when."""

    __tablename__ = "lease"

    name: Mapped[str] = mapped_column(String(40), primary_key=True)
    owner: Mapped[str] = mapped_column(String(80))
    until: Mapped[datetime]


class NamedLock(Base):
    """A row that is locked by whoever checks that nothing else runs, until what then begins is committed."""

    __tablename__ = "named_lock"

    name: Mapped[str] = mapped_column(String(40), primary_key=True)


class AnsweredRequest(Base):
    """A request that is done once, and what it was answered: nothing yet while it is done. It is kept for a day."""

    __tablename__ = "answered_request"
    __table_args__ = (UniqueConstraint("who", "key_sha256"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    who: Mapped[str] = mapped_column(String(100))
    key_sha256: Mapped[str] = mapped_column(String(64, collation=EXACT))
    request_sha256: Mapped[str] = mapped_column(String(64, collation=EXACT))
    status: Mapped[int | None]
    location: Mapped[str] = mapped_column(String(300), default="")
    body: Mapped[str | None] = mapped_column(MEDIUMTEXT)
    at: Mapped[datetime] = mapped_column(default=now, index=True)


class LedgerEntry(Base):
    """What was done, when, by whom, before and after. Never changed, never deleted."""

    __tablename__ = "ledger"

    id: Mapped[int] = mapped_column(primary_key=True)
    at: Mapped[datetime] = mapped_column(default=now, index=True)
    who: Mapped[str] = mapped_column(String(100), index=True)
    docket_id: Mapped[int | None] = mapped_column(ForeignKey("docket.id"), index=True)
    action: Mapped[str] = mapped_column(String(300))
    before: Mapped[dict[str, Any] | None]
    after: Mapped[dict[str, Any] | None]
    # What it is taken back by, not for people: {"kind": ..., "to": ...}.
    way_back: Mapped[dict[str, Any] | None]
