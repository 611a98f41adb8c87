"""Tokens for scripts: made and revoked by their owner, with a role of their own and an end."""

from __future__ import annotations

import secrets
from datetime import datetime, timedelta

from sqlalchemy import select

from inkwell_groove.core.accounts import Person, Role, lesser
from inkwell_groove.core.description import clean_text
from inkwell_groove.core.errors import Conflict, Missing, NotAllowed, Refused
from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import Account, ScriptToken, now
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.people.access_log import note
from inkwell_groove.workroom.people.signing_in import SigningIn, digest
from inkwell_groove.workroom.views import View

PREFIX = "inkwell_"  # so that whoever finds one in a file knows what it is
MOST_DAYS, MOST_OF_ONE = 366, 50


class TokenView(View):
    """A token as its owner sees it later: without the token itself, which is kept nowhere."""

    id: int
    purpose: str
    role: Role
    made_at: datetime
    ends_at: datetime
    used_at: datetime | None
    revoked_at: datetime | None
    is_valid: bool


class NewToken(TokenView):
    """A token that was just made: the only time it is shown."""

    token: str


class Tokens(Part):
    """What scripts show instead of signing in."""

    def __init__(self, database: Database, media: MediaStore, events: Events, signing_in: SigningIn) -> None:
        super().__init__(database, media, events)
        self._signing_in = signing_in

    def of(self, person: Person) -> list[TokenView]:
        """Return the tokens of whoever asks, the newest first."""
        with self._database.begin() as session:
            held = select(ScriptToken).where(ScriptToken.account_id == person.account_id)
            return [_view(one) for one in session.scalars(held.order_by(ScriptToken.id.desc()))]

    def make(self, person: Person, *, purpose: str, role: Role, days: int) -> NewToken:
        """Make a token that ends after so many days and may do what a role may, never more than its owner.

        Raises Refused, NotAllowed to scripts, or Conflict where nobody signs in.
        """
        number = _owner(person)
        purpose = clean_text(purpose)
        if not 1 <= len(purpose) <= 100:
            raise Refused("a purpose has 1 to 100 characters", where="purpose", remedy="Write what the token is for")
        if not 1 <= days <= MOST_DAYS:
            raise Refused(f"a token is valid for 1 to {MOST_DAYS} days", where="days", remedy="Write another number")
        if lesser(role, person.role) != role:
            raise NotAllowed(
                f"a token cannot be {role} where its owner is {person.role}",
                where="role",
                remedy="Choose a role that is not above your own",
            )
        token = PREFIX + secrets.token_urlsafe(32)
        with self._database.begin() as session:
            session.get_one(Account, number, with_for_update=True)  # one at a time, for the count
            held = session.scalars(select(ScriptToken).where(ScriptToken.account_id == number)).all()
            if sum(_is_valid(one) for one in held) >= MOST_OF_ONE:
                raise Conflict(f"you have {MOST_OF_ONE} valid tokens", where="tokens", remedy="Revoke one first")
            row = ScriptToken(
                token_sha256=digest(token),
                account_id=number,
                purpose=purpose,
                role=role,
                ends_at=now() + timedelta(days=days),
            )
            session.add(row)
            session.flush()
            what = f"token made: {purpose}, {role}, for {days} days"
            note(session, kind="token", who=person.name, address=person.address, what=what)
            return NewToken(**_view(row).model_dump(), token=token)

    def revoke(self, person: Person, token_id: int) -> TokenView:
        """End a token at once. A keeper may revoke anybody's. Raises Missing, or NotAllowed to scripts."""
        number = _owner(person)
        with self._database.begin() as session:
            row = session.get(ScriptToken, token_id, with_for_update=True)
            if row is None or (row.account_id != number and person.role != "keeper"):
                raise Missing(f"you have no token {token_id}", where="tokens", remedy="Look at the list of your tokens")
            if row.revoked_at is None:
                row.revoked_at = now()
                owner = session.get_one(Account, row.account_id).name
                what = f"token of {owner} revoked: {row.purpose}"
                note(session, kind="token", who=person.name, address=person.address, what=what)
                self._signing_in.somebody_left(session)
            return _view(row)


def _owner(person: Person) -> int:
    """Return whose tokens are meant. Raises NotAllowed to scripts, Conflict where nobody signs in."""
    if person.by_token:
        raise NotAllowed("a token makes and revokes no tokens", where="tokens", remedy="Sign in and do it yourself")
    if person.account_id is None:
        raise Conflict("nobody signs in here", where="tokens", remedy="A script needs no token here")
    return person.account_id


def _is_valid(row: ScriptToken) -> bool:
    return row.revoked_at is None and row.ends_at > now()


def _view(row: ScriptToken) -> TokenView:
    return TokenView(
        id=row.id,
        purpose=row.purpose,
        role=row.role,
        made_at=row.made_at,
        ends_at=row.ends_at,
        used_at=row.used_at,
        revoked_at=row.revoked_at,
        is_valid=_is_valid(row),
    )
