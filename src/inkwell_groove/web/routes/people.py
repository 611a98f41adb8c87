"""Signing in and out, and the accounts."""

from __future__ import annotations

from fastapi import Request, Response
from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.accounts import MAX_PASSWORD, Person, Role
from inkwell_groove.core.errors import NotSignedIn
from inkwell_groove.web.access import ANYBODY, COOKIE, KEEPER, READER
from inkwell_groove.web.dependencies import Room, Who
from inkwell_groove.web.routing import Router
from inkwell_groove.workroom.accounts import LONGEST, AccountView

router = Router("people")


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


@router.get("/session", operation_id="session", openapi_extra=ANYBODY)
def session(room: Room, request: Request) -> SessionView:
    try:
        return _view(room.accounts.sign_in_needed, room.accounts.person(request.cookies.get(COOKIE)))
    except NotSignedIn:
        return SessionView(sign_in=True)


@router.post("/session", operation_id="signIn", openapi_extra=ANYBODY)
def sign_in(room: Room, request: Request, response: Response, given: Credentials) -> SessionView:
    address = request.client.host if request.client else ""
    person, token = room.accounts.sign_in(given.name, given.password, address=address)
    response.set_cookie(
        COOKIE,
        token,
        max_age=round(LONGEST.total_seconds()),
        httponly=True,
        samesite="strict",
        secure=request.url.scheme == "https",
    )
    return _view(True, person)


@router.delete("/session", operation_id="signOut", status_code=204, openapi_extra=ANYBODY)
def sign_out(room: Room, request: Request, response: Response) -> None:
    room.accounts.sign_out(request.cookies.get(COOKIE))
    response.delete_cookie(COOKIE)


@router.put("/session/password", operation_id="changePassword", status_code=204, openapi_extra=READER)
def change_password(room: Room, request: Request, change: PasswordChange) -> None:
    """One's own."""
    token = request.cookies.get(COOKIE)
    room.accounts.change_own(request.state.person, change.old, change.new, token=token)


@router.get("/accounts", operation_id="accounts", openapi_extra=KEEPER)
def accounts(room: Room) -> list[AccountView]:
    return room.accounts.all()


@router.post("/accounts", operation_id="makeAccount", status_code=201, openapi_extra=KEEPER)
def make_account(room: Room, who: Who, new: NewAccount) -> AccountView:
    return room.accounts.make(new.name, new.password, new.role, who=who)


@router.patch("/accounts/{account_id}", operation_id="changeAccount", openapi_extra=KEEPER)
def change_account(room: Room, who: Who, account_id: int, change: AccountChange) -> AccountView:
    return room.accounts.change(
        account_id,
        role=change.role,
        password=change.password,
        closed=change.closed,
        who=who,
        seen=change.seen.model_dump() if change.seen else None,
    )


def _view(needed: bool, person: Person) -> SessionView:
    return SessionView(sign_in=needed, name=person.name, role=person.role)
