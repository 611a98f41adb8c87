"""People who may sign in, and where they are signed in."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import ForeignKey, String
from sqlalchemy.orm import Mapped, mapped_column

from inkwell_groove.store.models.base import EXACT, Base, now


class Account(Base):
    """Somebody. Never deleted, since the ledger names them: closed instead."""

    __tablename__ = "account"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(100), unique=True)
    role: Mapped[str] = mapped_column(String(12))
    password_hash: Mapped[str] = mapped_column(String(200, collation=EXACT))
    made_at: Mapped[datetime] = mapped_column(default=now)
    made_by: Mapped[str] = mapped_column(String(100))
    closed_at: Mapped[datetime | None]


class SignIn(Base):
    """A browser that is signed in, known by the SHA-256 of the token it holds: the token itself is kept nowhere."""

    __tablename__ = "sign_in"

    token_sha256: Mapped[str] = mapped_column(String(64, collation=EXACT), primary_key=True)
    account_id: Mapped[int] = mapped_column(ForeignKey("account.id"), index=True)
    at: Mapped[datetime] = mapped_column(default=now)
    seen_at: Mapped[datetime] = mapped_column(default=now)
