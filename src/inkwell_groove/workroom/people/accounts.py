"""Accounts: who there is, in which role."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from inkwell_groove.core.accounts import Person, Role, accept_name, accept_password, look_of, name_key
from inkwell_groove.core.errors import Conflict, Missing
from inkwell_groove.core.seen import check_seen
from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import Account, SignIn, now
from inkwell_groove.workroom import ledger
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.ledger import WayBack
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.people.access_log import note
from inkwell_groove.workroom.people.passwords import Passwords
from inkwell_groove.workroom.people.signing_in import SigningIn, role_of
from inkwell_groove.workroom.taking_back import Going, Gone, Way
from inkwell_groove.workroom.views import View


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

    def __init__(
        self, database: Database, media: MediaStore, events: Events, signing_in: SigningIn, passwords: Passwords
    ) -> None:
        super().__init__(database, media, events)
        self._signing_in, self._passwords = signing_in, passwords

    def all(self) -> list[AccountView]:
        with self._database.begin() as session:
            seen = dict(
                session.execute(select(SignIn.account_id, func.max(SignIn.seen_at)).group_by(SignIn.account_id)).all()
            )
            return [_view(one, seen.get(one.id)) for one in session.scalars(select(Account).order_by(Account.name))]

    def make(self, name: str, password: str, role: Role, *, by: Person) -> AccountView:
        """Make an account that signs in with a password.

        Raises Refused for a name or password that will not do, Conflict if there is such an account or one whose name
        looks the same.
        """
        name = accept_name(name)
        hashed = self._passwords.hash(accept_password(password, name=name))
        with self._database.begin() as session:
            account = self.add(session, name, role, by=by)
            account.password_hash = hashed
            return _view(account, None)

    def add(self, session: Session, name: str, role: Role, *, by: Person) -> Account:
        """Add a row for an account, in the caller's transaction. Raises Conflict as `make` does."""
        for other in session.scalars(select(Account.name)):
            if name_key(other) == name_key(name):
                raise Conflict("there is such an account", where=name, remedy="Open it again, or take another name")
            if look_of(other) == look_of(name):
                raise Conflict(f"it looks like the name of {other}", where=name, remedy="Take another name")
        account = Account(name=name, name_key=name_key(name), role=role, password_hash="", made_by=by.signature)
        session.add(account)
        session.flush()
        after = {"role": role, "closed": False}
        to = {"account": account.id, "before": {"role": role, "closed": True}, "after": after}
        action = f"account made: {name}"
        way_back = WayBack("account", to)
        ledger.record(session, who=by.signature, action=action, docket_id=None, after=after, way_back=way_back)
        note(session, kind="account", who=by.signature, address=by.address, what=f"{action}, {role}")
        return account

    def change(
        self,
        account_id: int,
        *,
        role: Role | None,
        password: str | None,
        closed: bool | None,
        by: Person,
        seen: dict[str, Any] | None = None,
    ) -> AccountView:
        """Give an account another role or password, close or open it; wherever it is signed in, it no longer is.

        `seen` is its role and whether it is closed, as far as is known. Raises Missing, Refused, ChangedMeanwhile, or
        Conflict if no keeper would be left.
        """
        hashed = None
        if password is not None:
            with self._database.begin() as session:
                name = self._known(session, account_id).name
            hashed = self._passwords.hash(accept_password(password, name=name))
        with self._database.begin() as session:
            account = self._known(session, account_id)
            before = {"role": account.role, "closed": account.closed_at is not None}
            wanted = {"role": role, "closed": closed}
            asked = {name: value for name, value in wanted.items() if value is not None}
            check_seen((name, seen[name], before[name], value) for name, value in asked.items() if seen is not None)
            if role is not None:
                account.role = role
            if hashed is not None:
                account.password_hash = hashed
            if closed is not None:
                account.closed_at = (account.closed_at or now()) if closed else None
            session.flush()
            self._check_keeper_left(session, account)
            self._signing_in.sign_out_everywhere(session, account, tokens=password is not None)
            after = {"role": account.role, "closed": account.closed_at is not None}
            action = f"account changed: {account.name}{', new password' if password is not None else ''}"
            to = {"account": account.id, "before": before, "after": after}
            what = f"{action}{_changed(before, after)}"
            note(session, kind="account", who=by.signature, address=by.address, what=what)
            ledger.record(
                session,
                who=by.signature,
                action=action,
                docket_id=None,
                before=before,
                after=after,
                way_back=WayBack("account", to) if before != after else None,
            )
            return _view(account, None)

    def _known(self, session: Session, account_id: int) -> Account:
        account = session.get(Account, account_id, with_for_update=True)
        if account is None:
            raise Missing(f"there is no account {account_id}", remedy="Look at the list of people")
        return account

    def _check_keeper_left(self, session: Session, account: Account) -> None:
        """Raise Conflict if a change of this account leaves nobody who may decide for the house."""
        if self._signing_in.is_needed and not keepers(session):
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
        self._signing_in.sign_out_everywhere(session, account)
        what = f"account changed back: {account.name}{_changed(to['after'], to['before'])}"
        note(session, kind="account", who=going.who, address="", what=what)
        going.record(session, docket_id=None, before=to["after"], after=to["before"])
        return Gone()


def _as_they_were_left(session: Session, noted: Mapping[int, Any]) -> set[int]:
    """Return the entries whose account is still what they made of it."""
    accounts = {
        one.id: {"role": one.role, "closed": one.closed_at is not None}
        for one in session.scalars(select(Account).where(Account.id.in_({to["account"] for to in noted.values()})))
    }
    return {entry for entry, to in noted.items() if accounts.get(to["account"]) == to["after"]}


def _changed(before: Mapping[str, Any], after: Mapping[str, Any]) -> str:
    """Return what of an account changed, in words that follow its name."""
    return "".join(f", {name} {before[name]} to {after[name]}" for name in after if before[name] != after[name])


def keepers(session: Session) -> int:
    """How many open accounts may decide for the house."""
    query = select(func.count()).select_from(Account).where(Account.role == "keeper", Account.closed_at.is_(None))
    return session.scalar(query) or 0


def _view(account: Account, seen_at: datetime | None) -> AccountView:
    return AccountView(
        id=account.id,
        name=account.name,
        role=role_of(account),
        made_at=account.made_at,
        made_by=account.made_by,
        closed_at=account.closed_at,
        last_seen_at=seen_at,
    )
