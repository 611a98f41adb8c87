"""The survey: when it was made, what it found, what was dismissed, which names are where."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import BigInteger, ForeignKey, Index, String
from sqlalchemy.orm import Mapped, mapped_column

from inkwell_groove.store.models.base import EXACT, Base, now


class SurveyRun(Base):
    """One survey: by which rules, of what had changed until when."""

    __tablename__ = "survey_run"

    id: Mapped[int] = mapped_column(primary_key=True)
    house: Mapped[str] = mapped_column(String(64))
    seen_until: Mapped[datetime]
    ended_at: Mapped[datetime | None]
    files: Mapped[int]
    by: Mapped[str] = mapped_column(String(100))


class SurveyFinding(Base):
    """One finding. `place` is its release's folder, the bundle's number first; empty for the whole collection."""

    __tablename__ = "survey_finding"
    __table_args__ = (Index("ix_survey_finding_place", "place", mysql_length={"place": 191}),)

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(40), index=True)
    place: Mapped[str] = mapped_column(String(1000, collation=EXACT))
    about: Mapped[str] = mapped_column(String(64), index=True)
    document: Mapped[dict[str, Any]]


class Dismissal(Base):
    """A finding that is none, and why; it is known again by what it is about."""

    __tablename__ = "dismissal"

    about: Mapped[str] = mapped_column(String(64), primary_key=True)
    reason: Mapped[str] = mapped_column(String(500))
    at: Mapped[datetime] = mapped_column(default=now)
    by: Mapped[str] = mapped_column(String(100))


NAME_LENGTH = 700  # what an index still covers whole; longer ones are no names


class NameUse(Base):
    """That a file has a name in a field."""

    __tablename__ = "name_use"
    __table_args__ = (Index("ix_name_use_value", "field", "value"),)

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    file_id: Mapped[int] = mapped_column(ForeignKey("bundle_file.id", ondelete="CASCADE"), index=True)
    field: Mapped[str] = mapped_column(String(20))
    value: Mapped[str] = mapped_column(String(NAME_LENGTH, collation=EXACT))
