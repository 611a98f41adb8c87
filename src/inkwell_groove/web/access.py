"""Which role a request needs, and whether whoever asks has it. Every route under /api goes through here.

What only shows something needs a reader, what changes something an archivist. Routes that are otherwise say so where
they are declared (`openapi_extra=KEEPER`), and the OpenAPI document tells of every one of them: `x-needs`. What hands
out data of the house as a file says so too (`EXPORT`), and is noted in the access log.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from fastapi import FastAPI
from fastapi.routing import APIRoute
from starlette.concurrency import run_in_threadpool
from starlette.requests import HTTPConnection

from inkwell_groove.core.accounts import Person, may
from inkwell_groove.core.errors import NotAllowed
from inkwell_groove.workroom.people.signing_in import Credential
from inkwell_groove.workroom.room import Workroom

NEEDS, _EXPORTS = "x-needs", "x-exports"
READER, KEEPER, ANYBODY = {NEEDS: "reader"}, {NEEDS: "keeper"}, {NEEDS: "nobody"}
EXPORT = {_EXPORTS: True}
COOKIE = "inkwell_session"
CAME_BACK = "/api/v1/session/returned"  # where single sign-on sends browsers back to
_SHOWING = {"GET", "HEAD"}
_BEARER = "bearer "


def needed(methods: set[str] | None, extra: Mapping[str, Any] | None) -> str:
    """Return the role that a route needs; "nobody" if it is open to all."""
    if extra and NEEDS in extra:
        return str(extra[NEEDS])
    return "reader" if methods and methods <= _SHOWING else "archivist"


def credential(connection: HTTPConnection) -> Credential:
    """Return what a request shows of who asks: a cookie, or a token (RFC 6750, 2.1)."""
    given = connection.headers.get("authorization", "")
    bearer = given[len(_BEARER) :].strip() if given.casefold().startswith(_BEARER) else None
    return Credential(connection.cookies.get(COOKIE), bearer)


def address(connection: HTTPConnection) -> str:
    """Return the address a request comes from; behind a declared proxy, the one that the proxy gives."""
    return connection.client.host if connection.client else ""


async def check(connection: HTTPConnection) -> None:
    """Let a request through, with who asks. Raises NotSignedIn or NotAllowed."""
    route = connection.scope.get("route")
    extra = route.openapi_extra if isinstance(route, APIRoute) else None
    # Sockets belong to transfers, which are an archivist's.
    role = needed(route.methods, extra) if isinstance(route, APIRoute) else "archivist"
    if role == "nobody":
        return
    room: Workroom = connection.app.state.workroom
    if room.signing_in.needs_no_database(credential(connection)):
        person = let_through(connection, room, role)
    else:
        person = await run_in_threadpool(let_through, connection, room, role)
    connection.state.person = person
    connection.state.needed = role
    if extra and extra.get(_EXPORTS):
        query = f"?{connection.url.query}" if connection.url.query else ""
        await run_in_threadpool(room.access_log.exported, person, f"{connection.url.path}{query}")


def let_through(connection: HTTPConnection, room: Workroom, role: str) -> Person:
    """Return who asks, if their role is enough. Raises NotSignedIn or NotAllowed, which the access log notes."""
    person = room.signing_in.person(credential(connection), address=address(connection))
    if not may(person.role, role):  # type: ignore[arg-type]
        room.access_log.refused(person, f"{connection.scope.get('method', 'socket')} {connection.url.path}")
        raise NotAllowed(
            f"this needs {'an archivist' if role == 'archivist' else f'a {role}'}",
            where=person.signature,
            remedy=f"You are signed in as {person.role}: ask a keeper",
        )
    return person


def tell_in(app: FastAPI) -> None:
    """Write into the OpenAPI document which role each operation needs, and how one shows who one is."""
    make = app.openapi

    def with_needs() -> dict[str, Any]:
        document = make()
        schemes = document.setdefault("components", {}).setdefault("securitySchemes", {})
        schemes["session"] = {"type": "apiKey", "in": "cookie", "name": COOKIE}
        schemes["token"] = {"type": "http", "scheme": "bearer"}
        for operations in document["paths"].values():
            for method, operation in operations.items():
                operation.setdefault(NEEDS, needed({method.upper()}, None))
                if operation[NEEDS] != "nobody":
                    operation["security"] = [{"session": []}, {"token": []}, {}]
        return document

    app.openapi = with_needs  # type: ignore[method-assign]
