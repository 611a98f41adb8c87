"""Signing in and out, accounts, tokens for scripts, and the access log."""

from __future__ import annotations

from typing import Annotated

import structlog
from fastapi import Query, Request, Response
from fastapi.responses import RedirectResponse
from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.accounts import MAX_PASSWORD, Person, Role
from inkwell_groove.core.errors import Conflict, InkwellError, NotAllowed, NotSignedIn, Refused
from inkwell_groove.web.access import ANYBODY, CAME_BACK, COOKIE, EXPORT, KEEPER, READER, address, credential
from inkwell_groove.web.dependencies import MOST, Asking, Room
from inkwell_groove.web.paging import link_below
from inkwell_groove.web.routing import Router
from inkwell_groove.workroom.people.access_log import MAX_PAGE, AccessFilter, AccessLine
from inkwell_groove.workroom.people.accounts import AccountView
from inkwell_groove.workroom.people.signing_in import LONGEST
from inkwell_groove.workroom.people.single_sign_on import IssuerAway
from inkwell_groove.workroom.people.tokens import MOST_DAYS, NewToken, TokenView
from inkwell_groove.workroom.room import Workroom

router = Router("people")
_ASKED, _ASKED_S, _ASKED_PATH = "inkwell_asked", 600, "/api/v1/session"
_REASONS: tuple[tuple[type[InkwellError], str], ...] = (
    (NotAllowed, "no-role"),
    (Conflict, "name-taken"),
    (Refused, "no-name"),
    (IssuerAway, "away"),
)


class _Body(BaseModel):
    model_config = ConfigDict(extra="forbid")


class Credentials(_Body):
    name: str = Field(max_length=100)
    password: str = Field(max_length=MAX_PASSWORD)


class NewAccount(Credentials):
    role: Role


class AccountSeen(_Body):
    role: Role
    closed: bool


class AccountChange(_Body):
    """Only what changes."""

    role: Role | None = None
    password: str | None = Field(default=None, max_length=MAX_PASSWORD)
    closed: bool | None = None
    seen: AccountSeen | None = Field(default=None, description="As the account is, as far as is known.")


class PasswordChange(_Body):
    old: str = Field(max_length=MAX_PASSWORD)
    new: str = Field(max_length=MAX_PASSWORD)


class SessionView(BaseModel):
    """Who is at work here; nobody where `name` is empty. `sign_in` says whether one has to say so."""

    sign_in: bool
    name: str = ""
    role: Role | None = None
    elsewhere: str | None = Field(
        default=None, description="What the button for single sign-on says, where there is it."
    )


class TokenWanted(_Body):
    purpose: str = Field(max_length=100)
    role: Role
    days: int = Field(ge=1, le=MOST_DAYS)


class AccessPage(AccessFilter):
    before_id: int | None = Field(default=None, ge=0, le=MOST)
    limit: int = Field(default=100, ge=1, le=MAX_PAGE)


@router.get("/session", operation_id="session", openapi_extra=ANYBODY)
def session(room: Room, request: Request) -> SessionView:
    try:
        return _view(room, room.signing_in.person(credential(request)))
    except NotSignedIn:
        return _view(room, None)


@router.post("/session", operation_id="signIn", openapi_extra=ANYBODY)
def sign_in(room: Room, request: Request, response: Response, given: Credentials) -> SessionView:
    person, token = room.signing_in.sign_in(given.name, given.password, address=address(request))
    keep_cookie(request, response, token)
    return _view(room, person)


@router.delete("/session", operation_id="signOut", status_code=204, openapi_extra=ANYBODY)
def sign_out(room: Room, request: Request, response: Response) -> None:
    room.signing_in.sign_out(request.cookies.get(COOKIE), address=address(request))
    response.delete_cookie(COOKIE)


@router.get(
    "/session/elsewhere",
    operation_id="signInElsewhere",
    status_code=303,
    response_class=RedirectResponse,
    openapi_extra=ANYBODY,
)
def sign_in_elsewhere(room: Room, request: Request) -> RedirectResponse:
    """Send the browser to the issuer of single sign-on."""
    begun = room.single_sign_on.begin(_come_back_to(request))
    answer = RedirectResponse(begun.address, 303)
    # Lax, for the issuer's page sends the browser back here.
    answer.set_cookie(
        _ASKED,
        begun.secret,
        max_age=_ASKED_S,
        path=_ASKED_PATH,
        httponly=True,
        samesite="lax",
        secure=_is_https(request),
    )
    return answer


@router.get(
    CAME_BACK.removeprefix("/api/v1"),
    operation_id="finishSignIn",
    status_code=303,
    response_class=RedirectResponse,
    openapi_extra=ANYBODY,
)
def came_back(
    room: Room,
    request: Request,
    code: Annotated[str, Query(max_length=2_000)] = "",
    state: Annotated[str, Query(max_length=200)] = "",
    iss: Annotated[str | None, Query(max_length=500)] = None,
) -> RedirectResponse:
    """Sign in whoever comes back from the issuer, and show the first page; or the sign-in page, with what was wrong."""
    try:
        _, token = room.single_sign_on.finish(
            code=code,
            state=state,
            issuer=iss,
            secret=request.cookies.get(_ASKED, ""),
            come_back_to=_come_back_to(request),
            address=address(request),
        )
    except InkwellError as refusal:
        structlog.get_logger().warning("single sign-on failed", what=refusal.what, where=refusal.where)
        reason = next((code for kind, code in _REASONS if isinstance(refusal, kind)), "failed")
        answer = RedirectResponse(f"/?sign-in={reason}", 303)
    else:
        answer = RedirectResponse("/", 303)
        keep_cookie(request, answer, token)
    answer.delete_cookie(_ASKED, path=_ASKED_PATH)
    return answer


def _come_back_to(request: Request) -> str:
    return f"{request.url.scheme}://{request.url.netloc}{CAME_BACK}"


@router.put("/session/password", operation_id="changePassword", status_code=204, openapi_extra=READER)
def change_password(room: Room, request: Request, person: Asking, change: PasswordChange) -> None:
    """Change one's own password."""
    if person.by_token:
        raise NotAllowed("a token changes no password", where="password", remedy="Sign in and change it yourself")
    token = request.cookies.get(COOKIE)
    room.signing_in.change_own_password(person, change.old, change.new, token=token)


@router.get("/session/tokens", operation_id="tokens")
def tokens(room: Room, person: Asking) -> list[TokenView]:
    """Return one's own tokens for scripts."""
    return room.tokens.of(person)


@router.post("/session/tokens", operation_id="makeToken", status_code=201, openapi_extra=READER)
def make_token(room: Room, person: Asking, wanted: TokenWanted) -> NewToken:
    """Make a token for a script. The answer is the only one that shows it."""
    return room.tokens.make(person, purpose=wanted.purpose, role=wanted.role, days=wanted.days)


@router.delete("/session/tokens/{token_id}", operation_id="revokeToken", openapi_extra=READER)
def revoke_token(room: Room, person: Asking, token_id: int) -> TokenView:
    return room.tokens.revoke(person, token_id)


@router.get("/accounts", operation_id="accounts", openapi_extra=KEEPER)
def accounts(room: Room) -> list[AccountView]:
    return room.accounts.all()


@router.post("/accounts", operation_id="makeAccount", status_code=201, openapi_extra=KEEPER)
def make_account(room: Room, person: Asking, new: NewAccount) -> AccountView:
    return room.accounts.make(new.name, new.password, new.role, by=person)


@router.patch("/accounts/{account_id}", operation_id="changeAccount", openapi_extra=KEEPER)
def change_account(room: Room, person: Asking, account_id: int, change: AccountChange) -> AccountView:
    return room.accounts.change(
        account_id,
        role=change.role,
        password=change.password,
        closed=change.closed,
        by=person,
        seen=change.seen.model_dump() if change.seen else None,
    )


@router.get("/access-log", operation_id="accessLog", openapi_extra=KEEPER)
def access_log(
    room: Room, request: Request, response: Response, wanted: Annotated[AccessPage, Query()]
) -> list[AccessLine]:
    """Return who came in, was refused or took data out, the newest first."""
    found = room.access_log.lines(wanted, before_id=wanted.before_id, limit=wanted.limit)
    link_below(request, response, found, wanted.limit)
    return found


@router.get("/access-log.csv", operation_id="accessLogCsv", response_class=Response, openapi_extra={**KEEPER, **EXPORT})
def access_log_csv(room: Room, wanted: Annotated[AccessFilter, Query()]) -> Response:
    data = room.access_log.as_csv(wanted)
    headers = {"Content-Disposition": 'attachment; filename="access-log.csv"'}
    return Response(data, media_type="text/csv; charset=utf-8", headers=headers)


def keep_cookie(request: Request, response: Response, token: str) -> None:
    """Have the browser keep its token, away from scripts and from other sites."""
    response.set_cookie(
        COOKIE,
        token,
        max_age=round(LONGEST.total_seconds()),
        httponly=True,
        samesite="strict",
        secure=_is_https(request),
    )


def _is_https(request: Request) -> bool:
    """Return whether the browser reaches us by https; behind a declared proxy, as the proxy says."""
    return request.url.scheme == "https"


def _view(room: Workroom, person: Person | None) -> SessionView:
    name, role = (person.signature, person.role) if person else ("", None)
    return SessionView(sign_in=room.signing_in.is_needed, name=name, role=role, elsewhere=room.single_sign_on.button)
