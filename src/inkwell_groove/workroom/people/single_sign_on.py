"""Single sign-on by OpenID Connect: the authorization code flow with PKCE (OpenID Connect Core 1.0, 3.1; RFC 7636).

The issuer says who somebody is, and a claim of its token what they may do here. An account is made when they first
come; its role follows the claim each time they sign in.
"""

from __future__ import annotations

import secrets
import time
from collections.abc import Mapping
from typing import Any, NamedTuple
from urllib.parse import urlsplit

import httpx
import structlog
from authlib.common.errors import AuthlibBaseError
from authlib.integrations.httpx_client import OAuth2Client
from joserfc import jwt
from joserfc.errors import JoseError
from joserfc.jwk import KeySet
from sqlalchemy import select
from sqlalchemy.orm import Session

from inkwell_groove.core.accounts import ROLES, Person, Role, accept_name
from inkwell_groove.core.errors import Conflict, InkwellError, NotAllowed, NotSignedIn, Refused
from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import Account
from inkwell_groove.store.settings import LOOPBACK, Settings
from inkwell_groove.workroom import ledger
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.people.access_log import note
from inkwell_groove.workroom.people.accounts import Accounts
from inkwell_groove.workroom.people.signing_in import SigningIn

_SCOPE = "openid profile email"
# Signatures by a key of the issuer's own; never none, nor a secret that others could know (RFC 8725, 3.1 and 3.2).
_ALGORITHMS = ["RS256", "RS384", "RS512", "PS256", "PS384", "PS512", "ES256", "ES384", "ES512", "EdDSA"]
_LEEWAY_S = 60
_DISCOVERED_FOR_S = 3600.0
log = structlog.get_logger()


class IssuerAway(InkwellError):
    """The issuer does not answer, or not as the standard says."""


class Begun(NamedTuple):
    """Where the browser goes, and what it must bring back to show that it is the one that went."""

    address: str
    secret: str


class _Issuer(NamedTuple):
    """What the issuer says of itself (OpenID Connect Discovery 1.0, 3)."""

    facts: Mapping[str, Any]
    keys: KeySet
    asked_at: float


class SingleSignOn(Part):
    """Signing in at an issuer outside."""

    def __init__(
        self,
        database: Database,
        media: MediaStore,
        events: Events,
        given: Settings,
        signing_in: SigningIn,
        accounts: Accounts,
    ) -> None:
        super().__init__(database, media, events)
        self._settings, self._signing_in, self._accounts = given, signing_in, accounts
        self._roles = roles_of(given.oidc_roles) if given.has_single_sign_on else {}
        self._issuer: _Issuer | None = None

    @property
    def button(self) -> str | None:
        """What the button for it says; None if there is no single sign-on here."""
        return self._settings.oidc_name if self._settings.has_single_sign_on and self._signing_in.is_needed else None

    def begin(self, come_back_to: str) -> Begun:
        """Return where to send a browser that wants to sign in. Raises Conflict, or IssuerAway."""
        facts = self._discover().facts
        state, nonce, verifier = (secrets.token_urlsafe(32) for _ in range(3))
        with self._client(facts, come_back_to) as client:
            address, _ = client.create_authorization_url(
                facts["authorization_endpoint"], state=state, nonce=nonce, code_verifier=verifier
            )
        return Begun(address, f"{state}.{nonce}.{verifier}")

    def finish(
        self, *, code: str, state: str, issuer: str | None, secret: str, come_back_to: str, address: str
    ) -> tuple[Person, str]:
        """Return who has signed in, and the token by which the browser is known from now on.

        Raises NotSignedIn for an answer that was not asked for or is not the issuer's, NotAllowed for somebody without
        a role here, Conflict for a name that another account has, IssuerAway.
        """
        asked = secret.split(".")
        if len(asked) != 3 or not state or not secrets.compare_digest(asked[0].encode(), state.encode()):
            raise NotSignedIn("this answer was not asked for", where="single sign-on", remedy="Begin again")
        if issuer is not None and issuer != self._settings.oidc_issuer:
            raise NotSignedIn("another issuer answered", where="single sign-on", remedy="Begin again")  # RFC 9207
        claims = self._claims(code, nonce=asked[1], verifier=asked[2], come_back_to=come_back_to)
        role = self._role(claims)
        if role is None:
            with self._database.begin() as session:
                who = str(claims.get("name") or claims["sub"])
                note(session, kind="refused", who=who, address=address, what="no role by single sign-on")
            raise NotAllowed(
                "your account at the issuer gives you no role here", where="single sign-on", remedy="Ask a keeper"
            )
        with self._database.begin() as session:
            account = self._account(session, claims, role, address)
            return self._signing_in.let_in(session, account, how="by single sign-on", address=address)

    def _discover(self) -> _Issuer:
        """Return what the issuer says of itself, asked at most once an hour."""
        if self.button is None:
            raise Conflict("there is no single sign-on here", where="signing in", remedy="Sign in with a password")
        if self._issuer is None or time.monotonic() - self._issuer.asked_at > _DISCOVERED_FOR_S:
            wanted = self._settings.oidc_issuer
            facts = self._ask(f"{wanted.rstrip('/')}/.well-known/openid-configuration")
            needed = ("issuer", "authorization_endpoint", "token_endpoint", "jwks_uri")
            if any(not isinstance(facts.get(name), str) for name in needed) or facts["issuer"] != wanted:
                raise IssuerAway(
                    "the issuer says that it is another", where=wanted, remedy="Look at INKWELL_OIDC_ISSUER"
                )
            for name in needed:
                _check_address(facts[name])
            self._issuer = _Issuer(facts, self._keys(facts), time.monotonic())
        return self._issuer

    def _keys(self, facts: Mapping[str, Any]) -> KeySet:
        try:
            return KeySet.import_key_set(self._ask(facts["jwks_uri"]))  # type: ignore[arg-type]
        except (JoseError, ValueError, KeyError, TypeError) as cause:
            raise IssuerAway("the issuer's keys cannot be read", where=facts["jwks_uri"]) from cause

    def _ask(self, address: str, **headers: str) -> dict[str, Any]:
        _check_address(address)
        try:
            answer = httpx.get(address, timeout=self._settings.oidc_timeout_s, headers=headers)
            answer.raise_for_status()
            found = answer.json()
        except (httpx.HTTPError, ValueError) as cause:
            raise IssuerAway("the issuer does not answer", where=address, remedy="Try again in a moment") from cause
        if not isinstance(found, dict):
            raise IssuerAway("the issuer's answer cannot be read", where=address)
        return found

    def _client(self, facts: Mapping[str, Any], come_back_to: str) -> OAuth2Client:
        methods = facts.get("token_endpoint_auth_methods_supported", ["client_secret_basic"])
        return OAuth2Client(
            client_id=self._settings.oidc_client,
            client_secret=self._settings.oidc_secret.get_secret_value(),
            token_endpoint_auth_method="client_secret_basic"
            if "client_secret_basic" in methods
            else "client_secret_post",
            scope=_SCOPE,
            redirect_uri=come_back_to,
            code_challenge_method="S256",
            timeout=self._settings.oidc_timeout_s,
        )

    def _claims(self, code: str, *, nonce: str, verifier: str, come_back_to: str) -> dict[str, Any]:
        """Return what the issuer says of somebody, for a code that it gave. Raises NotSignedIn, or IssuerAway."""
        issuer = self._discover()
        where = issuer.facts["token_endpoint"]
        try:
            with self._client(issuer.facts, come_back_to) as client:
                token = client.fetch_token(where, code=code, code_verifier=verifier)
        except AuthlibBaseError as cause:
            raise NotSignedIn("the issuer refused", where="single sign-on", remedy="Begin again") from cause
        except (httpx.HTTPError, ValueError) as cause:
            raise IssuerAway("the issuer does not answer", where=where, remedy="Try again in a moment") from cause
        claims = self._verified(str(token.get("id_token", "")), nonce)
        endpoint = issuer.facts.get("userinfo_endpoint")
        if _at(claims, self._settings.oidc_role_claim) is None and isinstance(endpoint, str):
            more = self._ask(endpoint, Authorization=f"Bearer {token.get('access_token', '')}")
            if more.get("sub") == claims["sub"]:  # OpenID Connect Core 1.0, 5.3.2
                claims = {**more, **claims}
        return claims

    def _verified(self, id_token: str, nonce: str) -> dict[str, Any]:
        """Return the claims of an ID token that is the issuer's, for us, of now and of this very sign-in."""
        expected = jwt.JWTClaimsRegistry(
            leeway=_LEEWAY_S,
            iss={"essential": True, "value": self._settings.oidc_issuer},
            aud={"essential": True, "value": self._settings.oidc_client},
            exp={"essential": True},
            iat={"essential": True},
            sub={"essential": True},
            nonce={"essential": True, "value": nonce},
        )
        for is_last in (False, True):
            issuer = self._discover()
            try:
                decoded = jwt.decode(id_token, issuer.keys, algorithms=_ALGORITHMS)
                expected.validate(decoded.claims)
            except (JoseError, ValueError) as cause:
                if is_last:
                    log.warning("an ID token was refused", reason=type(cause).__name__)
                    raise NotSignedIn(
                        "the issuer's answer is not valid", where="single sign-on", remedy="Begin again"
                    ) from cause
                # The issuer may have new keys since it was asked.
                self._issuer = issuer._replace(keys=self._keys(issuer.facts))
                continue
            claims = dict(decoded.claims)
            audiences = claims["aud"] if isinstance(claims["aud"], list) else [claims["aud"]]
            authorized = claims.get("azp", audiences[0])
            if (len(audiences) > 1 or "azp" in claims) and authorized != self._settings.oidc_client:
                raise NotSignedIn("the issuer's answer is for somebody else", where="single sign-on")
            return claims
        raise AssertionError("the last try returns or raises")

    def _role(self, claims: Mapping[str, Any]) -> Role | None:
        """Return the highest role that the values of the claim give; None if they give none."""
        value = _at(claims, self._settings.oidc_role_claim)
        values = value if isinstance(value, list) else [value]
        given = [self._roles[one] for one in values if isinstance(one, str) and one in self._roles]
        return max(given, key=ROLES.index, default=None)

    def _account(self, session: Session, claims: Mapping[str, Any], role: Role, address: str) -> Account:
        """Return the account of whom the issuer means, made or with another role if need be."""
        issuer, subject = self._settings.oidc_issuer, str(claims["sub"])
        known = select(Account).where(Account.issuer == issuer, Account.subject == subject).with_for_update()
        account = session.scalars(known).first()
        by = Person("single sign-on", "keeper", address=address)
        if account is None:
            account = self._accounts.add(session, _name(claims), role, by=by)
            account.issuer, account.subject = issuer, subject
        elif account.closed_at is not None:
            raise NotAllowed("your account is closed", where=account.name, remedy="Ask a keeper")
        elif account.role != role:
            what = f"role of {account.name} by single sign-on, {account.role} to {role}"
            before, after = {"role": account.role}, {"role": role}
            note(session, kind="account", who=by.name, address=address, what=what)
            ledger.record(session, who=by.name, action=what, docket_id=None, before=before, after=after)
            account.role = role
            self._signing_in.sign_out_everywhere(session, account)
        return account


def roles_of(text: str) -> dict[str, Role]:
    """Return the roles that values of the claim give, from the form of the settings: 'staff=archivist, heads=keeper'.

    Raises Refused for anything else.
    """
    found: dict[str, Role] = {}
    for part in filter(None, (one.strip() for one in text.split(","))):
        value, is_there, role = (one.strip() for one in part.rpartition("="))
        if not is_there or not value or role not in ROLES:
            raise Refused(
                f"'{part}' gives no role",
                where="INKWELL_OIDC_ROLES",
                remedy=f"Write a value of the claim, =, and one of {', '.join(ROLES)}; commas between",
            )
        found[value] = role
    return found


def _at(claims: Mapping[str, Any], path: str) -> Any:
    """Return the claim of a name; one inside another with a point between their names, unless one is named so."""
    if path in claims:
        return claims[path]
    here: Any = claims
    for name in path.split("."):
        here = here.get(name) if isinstance(here, dict) else None
    return here


def _name(claims: Mapping[str, Any]) -> str:
    """Return a name that an account may have. Raises Refused if the issuer gives none."""
    for claim in ("name", "preferred_username", "email"):
        value = claims.get(claim)
        if isinstance(value, str):
            try:
                return accept_name(value.partition("@")[0])
            except Refused:
                continue
    raise Refused("the issuer gives no name that can be used", where="single sign-on", remedy="Ask a keeper")


def _check_address(address: str) -> None:
    """Raise IssuerAway for an address over which a code or a token would travel in the clear."""
    parts = urlsplit(address)
    if parts.scheme != "https" and not (parts.scheme == "http" and parts.hostname in LOOPBACK):
        raise IssuerAway("the issuer is not reached by https", where=address, remedy="Give an address with https")
