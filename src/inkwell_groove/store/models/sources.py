"""What outside catalogues answered, and what was chosen of it."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import JSON, ForeignKey, String, UniqueConstraint
from sqlalchemy.dialects.mysql import MEDIUMBLOB
from sqlalchemy.orm import Mapped, mapped_column

from inkwell_groove.store.models.base import EXACT, Base, now


class SourceAnswer(Base):
    """What a source answered to a question, by the question's digest: asked for again only once it is old."""

    __tablename__ = "source_answer"

    source: Mapped[str] = mapped_column(String(60, collation=EXACT), primary_key=True)
    key: Mapped[str] = mapped_column(String(64, collation=EXACT), primary_key=True)
    body: Mapped[bytes] = mapped_column(MEDIUMBLOB)
    fetched_at: Mapped[datetime] = mapped_column(default=now)


class LookUp(Base):
    """A docket's newest look-up: what was asked, how each source answered, and the releases that came of it.

    `outcome` is what it came to, for lists; what a docket's own screen shows is weighed anew.
    """

    __tablename__ = "look_up"

    docket_id: Mapped[int] = mapped_column(ForeignKey("docket.id"), primary_key=True)
    state: Mapped[str] = mapped_column(String(20))
    asks: Mapped[list[Any]] = mapped_column(JSON)
    answers: Mapped[list[Any]] = mapped_column(JSON)
    releases: Mapped[list[Any]] = mapped_column(JSON)
    heard: Mapped[dict[str, Any]]
    outcome: Mapped[dict[str, Any] | None]
    began_at: Mapped[datetime] = mapped_column(default=now)
    began_by: Mapped[str] = mapped_column(String(100))
    node: Mapped[str | None] = mapped_column(String(24))  # the server that asks


class SourceChoice(Base):
    """The pressing chosen for a docket: what each source says of it, and which of its tracks is which here.

    `pairs` are [track key or none, place in the release or none] as somebody paired them by hand; empty where they are
    laid by themselves. `taken_back` is what stood before the last values were taken, so that they can be given back.
    """

    __tablename__ = "source_choice"

    docket_id: Mapped[int] = mapped_column(ForeignKey("docket.id"), primary_key=True)
    entries: Mapped[list[Any]] = mapped_column(JSON)
    pairs: Mapped[list[Any]] = mapped_column(JSON)
    taken_back: Mapped[list[Any] | None] = mapped_column(JSON(none_as_null=True))
    chosen_at: Mapped[datetime] = mapped_column(default=now)
    chosen_by: Mapped[str] = mapped_column(String(100))


class SourceRule(Base):
    """How often a source's word was taken for a field, and whether it is preferred by hand (`core` has `Rule`)."""

    __tablename__ = "source_rule"

    field: Mapped[str] = mapped_column(String(40), primary_key=True)
    source: Mapped[str] = mapped_column(String(60, collation=EXACT), primary_key=True)
    taken: Mapped[int] = mapped_column(default=0)
    passed_over: Mapped[int] = mapped_column(default=0)
    fixed: Mapped[bool] = mapped_column(default=False)


class OwnRelease(Base):
    """A release described here, to be found for the next copy of it (`core.matching.release.SourceRelease`)."""

    __tablename__ = "own_release"
    __table_args__ = (UniqueConstraint("docket_id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    docket_id: Mapped[int] = mapped_column(ForeignKey("docket.id"))
    document: Mapped[dict[str, Any]]
    made_at: Mapped[datetime] = mapped_column(default=now)
    made_by: Mapped[str] = mapped_column(String(100))
