"""Signing in and out, and who asks for something: by the cookie of a browser, or by the token of a script."""

from __future__ import annotations

import hashlib
import math
import secrets
from datetime import timedelta
from ipaddress import IPv6Address, ip_address
from typing import NamedTuple

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from inkwell_groove.core.accounts import Person, Role, accept_password, lesser, name_key
from inkwell_groove.core.attempts import AttemptLimit
from inkwell_groove.core.description import clean_text
from inkwell_groove.core.errors import Conflict, NotSignedIn, Refused, TooOften
from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import Account, ScriptToken, SignIn, now
from inkwell_groove.store.settings import Settings
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.fanout import Fanout
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.people.access_log import forget_the_oldest, note
from inkwell_groove.workroom.people.attempts import Attempts
from inkwell_groove.workroom.people.passwords import Passwords

IDLE, LONGEST = timedelta(hours=12), timedelta(days=30)
_SEEN_EVERY = timedelta(minutes=5)  # how exactly it is kept when a browser or a script was last seen
_MINUTE_S, _HOUR_S, _DAY_S = 60.0, 3600.0, 86400.0
# By name and address together: nobody keeps somebody else out by failing in their name from elsewhere.
_BY_NAME = AttemptLimit(free=5, first_wait_s=_MINUTE_S, longest_wait_s=_HOUR_S, forget_s=_DAY_S)
# By address, whatever the name: short waits, since a whole house may stand behind one address.
_BY_ADDRESS = AttemptLimit(free=30, first_wait_s=_MINUTE_S / 2, longest_wait_s=_MINUTE_S, forget_s=_HOUR_S)
LEFT = "somebody left"


class Credential(NamedTuple):
    """What a request shows of who asks: the token of a browser's cookie, or one of a script."""

    cookie: str | None = None
    bearer: str | None = None


class SigningIn(Part):
    """Who is let in. `left` is published whenever somebody may no longer be: look again at who looks on."""

    def __init__(
        self, database: Database, media: MediaStore, events: Events, given: Settings, passwords: Passwords
    ) -> None:
        super().__init__(database, media, events)
        self._settings, self._passwords = given, passwords
        self.left: Fanout[str] = Fanout(backlog=1)
        self._attempts = Attempts(database)
        events.hear(LEFT, lambda facts: self.left.publish("somebody"))

    @property
    def is_needed(self) -> bool:
        """Whether people sign in here at all."""
        return self._settings.needs_sign_in

    def needs_no_database(self, shown: Credential) -> bool:
        """Return whether `person` answers without asking the database."""
        return shown.bearer is None and not self.is_needed

    def person(self, shown: Credential, *, address: str = "") -> Person:
        """Return who asks; without sign-in, the archivist of the settings. Raises NotSignedIn."""
        if shown.bearer is not None:
            return self._of_token(shown.bearer, address)
        if not self.is_needed:
            return Person(self._settings.archivist, "keeper", address=address)
        if shown.cookie:
            with self._database.begin() as session:
                row = session.get(SignIn, digest(shown.cookie))
                account = None if row is None else session.get(Account, row.account_id)
                if row is not None and account is not None and _is_good(row) and account.closed_at is None:
                    if now() - row.seen_at > _SEEN_EVERY:
                        row.seen_at = now()
                    return Person(account.name, role_of(account), account.id, address=address)
        raise NotSignedIn("nobody is signed in", remedy="Sign in")

    def _of_token(self, bearer: str, address: str) -> Person:
        with self._database.begin() as session:
            row = session.scalars(select(ScriptToken).where(ScriptToken.token_sha256 == digest(bearer))).first()
            account = None if row is None else session.get(Account, row.account_id)
            if row is None or account is None or account.closed_at or row.revoked_at or row.ends_at <= now():
                raise NotSignedIn(
                    "this token is not valid, or no longer",
                    where="the token",
                    remedy="Make a new one under Your account",
                )
            if row.used_at is None or now() - row.used_at > _SEEN_EVERY:
                row.used_at = now()
            role: Role = lesser(row.role, role_of(account))  # type: ignore[arg-type]
            return Person(account.name, role, account.id, by_token=True, address=address)

    def sign_in(self, name: str, password: str, *, address: str) -> tuple[Person, str]:
        """Return who it is, and the token by which the browser is known from now on.

        Raises NotSignedIn if name or password are wrong, without saying which; TooOften after five failures with one
        name from one address, or thirty from one address: for a minute, and twice as long after each further failure.
        """
        place = _network(address)
        keys = f"{name_key(name)} {place}", place
        self._begin_attempt(*keys)
        try:
            with self._database.begin() as session:
                account = session.scalars(
                    select(Account).where(Account.name_key == name_key(name), Account.closed_at.is_(None))
                ).first()
                held, number = (account.password_hash, account.id) if account else (None, None)
            # Outside of any transaction: it takes a fraction of a second on purpose.
            fits = self._passwords.fits(held or None, password)
        except BaseException:
            self._was_not_tried(*keys)
            raise
        if not fits or number is None:
            with self._database.begin() as session:
                what = "name or password were not right"
                note(session, kind="refused", who=clean_text(name), address=address, what=what)
            raise NotSignedIn("name or password are not right", where="signing in", remedy="Look at both and try again")
        self._was_right(*keys)
        fresh = self._passwords.hash(password) if held and self._passwords.is_outdated(held) else None
        with self._database.begin() as session:
            account = session.get_one(Account, number)
            account.password_hash = fresh or account.password_hash
            return self.let_in(session, account, how="with a password", address=address)

    def let_in(self, session: Session, account: Account, *, how: str, address: str) -> tuple[Person, str]:
        """Sign an account in, in the caller's transaction; return who it is, and the browser's new token."""
        token = secrets.token_urlsafe(32)
        session.execute(delete(SignIn).where(SignIn.seen_at < now() - IDLE))
        forget_the_oldest(session)
        session.add(SignIn(token_sha256=digest(token), account_id=account.id))
        note(session, kind="signed in", who=account.name, address=address, what=how)
        return Person(account.name, role_of(account), account.id, address=address), token

    def sign_out(self, token: str | None, *, address: str = "") -> None:
        """Forget a browser's token; from now on it is nobody's."""
        with self._database.begin() as session:
            if token and (row := session.get(SignIn, digest(token))) is not None:
                account = session.get_one(Account, row.account_id)
                note(session, kind="signed out", who=account.name, address=address, what="")
                session.delete(row)
                self.somebody_left(session)

    def change_own_password(self, person: Person, old: str, new: str, *, token: str | None) -> None:
        """Set a new password for whoever knows the old one; elsewhere they are signed out.

        Raises Refused, TooOften as for signing in, or Conflict if nobody signs in or they do so elsewhere.
        """
        if not self.is_needed or person.account_id is None:
            raise Conflict("nobody signs in here", where="password", remedy="There is no password to change")
        place = _network(person.address)
        keys = f"{name_key(person.name)} {place}", place
        with self._database.begin() as session:
            held = session.get_one(Account, person.account_id).password_hash
        if not held:
            raise Conflict("you sign in elsewhere", where="password", remedy="Change your password there")
        self._begin_attempt(*keys)
        try:
            fits = self._passwords.fits(held, old)
        except BaseException:
            self._was_not_tried(*keys)
            raise
        if not fits:
            raise Refused("the old password is another", where="old password", remedy="Write it again")
        self._was_right(*keys)
        hashed = self._passwords.hash(accept_password(new, name=person.name))
        with self._database.begin() as session:
            session.get_one(Account, person.account_id).password_hash = hashed
            others = delete(SignIn).where(SignIn.account_id == person.account_id)
            session.execute(others.where(SignIn.token_sha256 != digest(token or "")))
            note(session, kind="account", who=person.name, address=person.address, what="own password changed")
            self.somebody_left(session)

    def sign_out_everywhere(self, session: Session, account: Account, *, tokens: bool = False) -> None:
        """Forget where an account is signed in, and with `tokens` revoke those too; in the caller's transaction."""
        session.execute(delete(SignIn).where(SignIn.account_id == account.id))
        if tokens:
            held = select(ScriptToken).where(ScriptToken.account_id == account.id, ScriptToken.revoked_at.is_(None))
            for one in session.scalars(held):
                one.revoked_at = now()
        self.somebody_left(session)

    def somebody_left(self, session: Session) -> None:
        """Have every open stream, at any server, look again at whether it may go on once this is committed."""
        self._events.tell_servers_with(session, LEFT)

    def close(self) -> None:
        self.left.close()

    def _begin_attempt(self, by_name: str, by_address: str) -> None:
        """Count a try as failed before it is made. Raises TooOften."""
        wait_s = self._attempts.begin({by_name: _BY_NAME, by_address: _BY_ADDRESS})
        if wait_s > 0:
            minutes = math.ceil(wait_s / 60)
            raise TooOften(
                "too many failed attempts",
                wait_s=wait_s,
                where="signing in",
                remedy=f"Try again in {minutes} minute{'' if minutes == 1 else 's'}",
            )

    def _was_right(self, by_name: str, by_address: str) -> None:
        self._attempts.succeeded(by_name)
        self._attempts.not_failed(by_address)

    def _was_not_tried(self, by_name: str, by_address: str) -> None:
        self._attempts.not_failed(by_name)
        self._attempts.not_failed(by_address)


def digest(token: str) -> str:
    """Return what is kept of a token: it is random, so a plain hash tells nothing of it."""
    return hashlib.sha256(token.encode()).hexdigest()


def role_of(account: Account) -> Role:
    return account.role  # type: ignore[return-value]


def _is_good(row: SignIn) -> bool:
    return now() - row.seen_at < IDLE and now() - row.at < LONGEST


def _network(address: str) -> str:
    """Return what of an address one person can be taken to have: of IPv6 the first 64 bits (RFC 4291, 2.5.4)."""
    try:
        parsed = ip_address(address.partition("%")[0])
    except ValueError:
        return address
    if isinstance(parsed, IPv6Address):
        return str(parsed.ipv4_mapped or IPv6Address(int(parsed) >> 64 << 64))
    return str(parsed)
