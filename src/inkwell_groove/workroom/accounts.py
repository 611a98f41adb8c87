"""People: accounts, signing in and out.

Where the server listens on loopback alone nobody signs in, and everybody is the one archivist of the settings.
"""

from __future__ import annotations

import hashlib
import math
import secrets
import time
from collections.abc import Mapping
from datetime import datetime, timedelta
from typing import Any

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerifyMismatchError
from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from inkwell_groove.core.accounts import Attempts, Person, Role, accept_name, accept_password
from inkwell_groove.core.description import clean_text
from inkwell_groove.core.errors import Conflict, Missing, NotSignedIn, Refused, TooOften
from inkwell_groove.core.seen import check_seen
from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import Account, SignIn, now
from inkwell_groove.store.settings import Settings
from inkwell_groove.workroom import ledger
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.ledger import WayBack
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.taking_back import Going, Gone, Way
from inkwell_groove.workroom.views import View

IDLE, LONGEST = timedelta(hours=12), timedelta(days=30)
_SEEN_EVERY = timedelta(minutes=5)  # how exactly it is kept when a browser was last seen
_PER_NAME, _PER_ADDRESS, _WITHIN_S = 5, 30, 15 * 60.0


class AccountView(View):
    id: int
    name: str
    role: Role
    made_at: datetime
    made_by: str
    closed_at: datetime | None
    last_seen_at: datetime | None


class Accounts(Part):
    """Who there is."""

    def __init__(self, database: Database, media: MediaStore, events: Events, given: Settings) -> None:
        super().__init__(database, media, events)
        self._settings = given
        self._hasher = PasswordHasher()  # argon2id, with the parameters of RFC 9106, 4, second choice
        # Compared with if there is no such account, so that the answer takes as long and tells nothing.
        self._nobody = self._hasher.hash(secrets.token_urlsafe()) if given.needs_sign_in else ""
        self._by_name = Attempts(allowed=_PER_NAME, within_s=_WITHIN_S, clock=time.monotonic)
        self._by_address = Attempts(allowed=_PER_ADDRESS, within_s=_WITHIN_S, clock=time.monotonic)

    @property
    def sign_in_needed(self) -> bool:
        return self._settings.needs_sign_in

    def person(self, token: str | None) -> Person:
        """Whose token this is; without sign-in, the archivist of the settings. Raises NotSignedIn."""
        if not self.sign_in_needed:
            return Person(self._settings.archivist, "keeper")
        if token:
            with self._database.begin() as session:
                row = session.get(SignIn, _digest(token))
                account = None if row is None else session.get(Account, row.account_id)
                if row is not None and account is not None and _is_good(row) and account.closed_at is None:
                    if now() - row.seen_at > _SEEN_EVERY:
                        row.seen_at = now()
                    return Person(account.name, _role(account))
        raise NotSignedIn("nobody is signed in", remedy="Sign in")

    def sign_in(self, name: str, password: str, *, address: str) -> tuple[Person, str]:
        """Who it is, and the token by which the browser is known from now on.

        Raises NotSignedIn where name or password are wrong, without saying which; TooOften after five failures with
        one name, or thirty from one address, within a quarter of an hour.
        """
        key = clean_text(name).casefold()[:100]
        if wait := max(self._by_name.wait_s(key), self._by_address.wait_s(address)):
            raise TooOften(
                "too many failed attempts",
                wait_s=wait,
                where="signing in",
                remedy=f"Try again in {math.ceil(wait / 60)} minutes",
            )
        with self._database.begin() as session:
            account = session.scalars(
                select(Account).where(Account.name == clean_text(name), Account.closed_at.is_(None))
            ).first()
            held, number = (account.password_hash, account.id) if account else (self._nobody, None)
        # Outside of any transaction: it takes a fraction of a second on purpose.
        if not self._fits(held, password) or number is None:
            self._by_name.failed(key)
            self._by_address.failed(address)
            raise NotSignedIn("name or password are not right", where="signing in", remedy="Look at both and try again")
        self._by_name.succeeded(key)
        token = secrets.token_urlsafe(32)
        with self._database.begin() as session:
            account = session.get_one(Account, number)
            if self._hasher.check_needs_rehash(held):
                account.password_hash = self._hasher.hash(password)
            session.execute(delete(SignIn).where(SignIn.seen_at < now() - IDLE))
            session.add(SignIn(token_sha256=_digest(token), account_id=number))
            ledger.record(session, who=account.name, action="signed in", docket_id=None)
            return Person(account.name, _role(account)), token

    def sign_out(self, token: str | None) -> None:
        """Forgets a token; from now on it is nobody's."""
        with self._database.begin() as session:
            if token and (row := session.get(SignIn, _digest(token))) is not None:
                account = session.get_one(Account, row.account_id)
                ledger.record(session, who=account.name, action="signed out", docket_id=None)
                session.delete(row)

    def all(self) -> list[AccountView]:
        with self._database.begin() as session:
            seen = dict(
                session.execute(select(SignIn.account_id, func.max(SignIn.seen_at)).group_by(SignIn.account_id)).all()
            )
            return [_view(one, seen.get(one.id)) for one in session.scalars(select(Account).order_by(Account.name))]

    def make(self, name: str, password: str, role: Role, *, who: str) -> AccountView:
        """Raises Refused for a name or password that will not do, Conflict where there is such an account."""
        name = accept_name(name)
        hashed = self._hasher.hash(accept_password(password, name=name))
        with self._database.begin() as session:
            if session.scalar(select(Account.id).where(Account.name == name)) is not None:
                raise Conflict("there is such an account", where=name, remedy="Open it again, or take another name")
            account = Account(name=name, role=role, password_hash=hashed, made_by=who, closed_at=None)
            session.add(account)
            session.flush()
            after = {"role": role, "closed": False}
            to = {"account": account.id, "before": {"role": role, "closed": True}, "after": after}
            way_back = WayBack("account", to)
            ledger.record(
                session, who=who, action=f"account made: {name}", docket_id=None, after=after, way_back=way_back
            )
            return _view(account, None)

    def change(
        self,
        account_id: int,
        *,
        role: Role | None,
        password: str | None,
        closed: bool | None,
        who: str,
        seen: dict[str, Any] | None = None,
    ) -> AccountView:
        """Give an account another role or password, close or open it; wherever it is signed in, it no longer is.

        `seen` is its role and whether it is closed, as far as is known. Raises Missing, Refused, ChangedMeanwhile, or
        Conflict if no keeper would be left.
        """
        with self._database.begin() as session:
            account = session.get(Account, account_id, with_for_update=True)
            if account is None:
                raise Missing(f"there is no account {account_id}", remedy="Look at the list of people")
            before = {"role": account.role, "closed": account.closed_at is not None}
            wanted = {"role": role, "closed": closed}
            asked = {name: value for name, value in wanted.items() if value is not None}
            check_seen((name, seen[name], before[name], value) for name, value in asked.items() if seen is not None)
            if role is not None:
                account.role = role
            if password is not None:
                account.password_hash = self._hasher.hash(accept_password(password, name=account.name))
            if closed is not None:
                account.closed_at = (account.closed_at or now()) if closed else None
            session.flush()
            self._check_keeper_left(session, account)
            session.execute(delete(SignIn).where(SignIn.account_id == account_id))
            after = {"role": account.role, "closed": account.closed_at is not None}
            action = f"account changed: {account.name}{', new password' if password is not None else ''}"
            to = {"account": account.id, "before": before, "after": after}
            ledger.record(
                session,
                who=who,
                action=action,
                docket_id=None,
                before=before,
                after=after,
                way_back=WayBack("account", to) if before != after else None,
            )
            return _view(account, None)

    def _check_keeper_left(self, session: Session, account: Account) -> None:
        """Raise Conflict if a change of this account leaves nobody who may decide for the house."""
        if self.sign_in_needed and not keepers(session):
            raise Conflict("no keeper would be left", where=account.name, remedy="Make somebody else keeper first")

    def way_back(self) -> Way:
        """Return how a role, or the closing of an account, is undone. A made account is closed; no password returns."""
        return Way(_as_they_were_left, self._go_back, is_for_keepers=lambda to: True)

    def _go_back(self, session: Session, to: Any, going: Going) -> Gone:
        account = session.get_one(Account, to["account"], with_for_update=True)
        account.role = to["before"]["role"]
        account.closed_at = (account.closed_at or now()) if to["before"]["closed"] else None
        session.flush()
        self._check_keeper_left(session, account)
        session.execute(delete(SignIn).where(SignIn.account_id == account.id))
        going.record(session, docket_id=None, before=to["after"], after=to["before"])
        return Gone()

    def change_own(self, person: Person, old: str, new: str, *, token: str | None) -> None:
        """A new password, by whoever knows the old one; elsewhere they are signed out. Raises Refused.

        Raises Conflict where nobody signs in.
        """
        if not self.sign_in_needed:
            raise Conflict("nobody signs in here", where="password", remedy="There is no password to change")
        with self._database.begin() as session:
            account = session.scalars(select(Account).where(Account.name == person.name)).one()
            if not self._fits(account.password_hash, old):
                raise Refused("the old password is another", where="old password", remedy="Write it again")
            account.password_hash = self._hasher.hash(accept_password(new, name=account.name))
            others = delete(SignIn).where(SignIn.account_id == account.id)
            session.execute(others.where(SignIn.token_sha256 != _digest(token or "")))
            ledger.record(session, who=person.name, action="own password changed", docket_id=None)

    def _fits(self, held: str, password: str) -> bool:
        try:
            return self._hasher.verify(held, password)
        except (VerifyMismatchError, InvalidHashError):
            return False


def _as_they_were_left(session: Session, noted: Mapping[int, Any]) -> set[int]:
    """Return the entries whose account is still what they made of it."""
    accounts = {
        one.id: {"role": one.role, "closed": one.closed_at is not None}
        for one in session.scalars(select(Account).where(Account.id.in_({to["account"] for to in noted.values()})))
    }
    return {entry for entry, to in noted.items() if accounts.get(to["account"]) == to["after"]}


def keepers(session: Session) -> int:
    """How many open accounts may decide for the house."""
    query = select(func.count()).select_from(Account).where(Account.role == "keeper", Account.closed_at.is_(None))
    return session.scalar(query) or 0


def _is_good(row: SignIn) -> bool:
    return now() - row.seen_at < IDLE and now() - row.at < LONGEST


def _digest(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


def _role(account: Account) -> Role:
    return account.role  # type: ignore[return-value]


def _view(account: Account, seen_at: datetime | None) -> AccountView:
    return AccountView(
        id=account.id,
        name=account.name,
        role=_role(account),
        made_at=account.made_at,
        made_by=account.made_by,
        closed_at=account.closed_at,
        last_seen_at=seen_at,
    )
