"""People who may sign in, where they are signed in, their scripts' tokens, and the access log."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import ForeignKey, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from inkwell_groove.store.models.base import EXACT, Base, now


class Account(Base):
    """Somebody. Never deleted, since the ledger names them: closed instead."""

    __tablename__ = "account"
    __table_args__ = (UniqueConstraint("issuer", "subject"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(100))
    # `core.accounts.name_key`: what one must write to be this person. The database's own collation would take
    # other accents, and characters that nobody sees, for the same.
    name_key: Mapped[str] = mapped_column(String(200, collation=EXACT), unique=True)
    role: Mapped[str] = mapped_column(String(12))
    password_hash: Mapped[str] = mapped_column(String(200, collation=EXACT))
    made_at: Mapped[datetime] = mapped_column(default=now)
    made_by: Mapped[str] = mapped_column(String(100))
    closed_at: Mapped[datetime | None]
    # Who signs in elsewhere is known by these two (OpenID Connect Core 1.0, 5.7), and has no password here.
    issuer: Mapped[str | None] = mapped_column(String(255, collation=EXACT))
    subject: Mapped[str | None] = mapped_column(String(255, collation=EXACT))


class SignIn(Base):
    """A browser that is signed in, known by the SHA-256 of the token it holds: the token itself is kept nowhere."""

    __tablename__ = "sign_in"

    token_sha256: Mapped[str] = mapped_column(String(64, collation=EXACT), primary_key=True)
    account_id: Mapped[int] = mapped_column(ForeignKey("account.id"), index=True)
    at: Mapped[datetime] = mapped_column(default=now)
    seen_at: Mapped[datetime] = mapped_column(default=now)


class FailedAttempts(Base):
    """Failures to sign in, by a key that tells a name and an address, or an address alone; kept as its SHA-256."""

    __tablename__ = "failed_attempts"

    key_sha256: Mapped[str] = mapped_column(String(64, collation=EXACT), primary_key=True)
    failures: Mapped[int]
    last_at: Mapped[datetime] = mapped_column(index=True)


class ScriptToken(Base):
    """What a script of somebody's shows instead of signing in; kept as its SHA-256 alone. Never deleted: revoked."""

    __tablename__ = "script_token"

    id: Mapped[int] = mapped_column(primary_key=True)
    token_sha256: Mapped[str] = mapped_column(String(64, collation=EXACT), unique=True)
    account_id: Mapped[int] = mapped_column(ForeignKey("account.id"), index=True)
    purpose: Mapped[str] = mapped_column(String(100))
    role: Mapped[str] = mapped_column(String(12))
    made_at: Mapped[datetime] = mapped_column(default=now)
    ends_at: Mapped[datetime]
    used_at: Mapped[datetime | None]
    revoked_at: Mapped[datetime | None]


class AccessEntry(Base):
    """One line of the access log: who came in, or did not, and what of the house's data went out."""

    __tablename__ = "access_entry"

    id: Mapped[int] = mapped_column(primary_key=True)
    at: Mapped[datetime] = mapped_column(default=now, index=True)
    kind: Mapped[str] = mapped_column(String(20))
    who: Mapped[str] = mapped_column(String(100))
    address: Mapped[str] = mapped_column(String(64))
    what: Mapped[str] = mapped_column(String(300))
