"""Which role a request needs, and whether who asks has it. Every route under /api goes through here.

What only shows something needs a reader, what changes something an archivist. Routes that are otherwise say so where
they are declared (`openapi_extra=KEEPER`), and the OpenAPI document tells of every one of them: `x-needs`.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from fastapi import FastAPI
from fastapi.routing import APIRoute
from starlette.requests import HTTPConnection

from inkwell_groove.core.accounts import may
from inkwell_groove.core.errors import NotAllowed
from inkwell_groove.workroom.room import Workroom

NEEDS = "x-needs"
READER, KEEPER, ANYBODY = {NEEDS: "reader"}, {NEEDS: "keeper"}, {NEEDS: "nobody"}
COOKIE = "inkwell_session"
_SHOWING = {"GET", "HEAD"}


def needed(methods: set[str] | None, extra: Mapping[str, Any] | None) -> str:
    """The role that a route needs; "nobody" where it is open to all."""
    if extra and NEEDS in extra:
        return str(extra[NEEDS])
    return "reader" if methods and methods <= _SHOWING else "archivist"


def check(connection: HTTPConnection) -> None:
    """Lets a request through, with who asks, or raises NotSignedIn or NotAllowed."""
    route = connection.scope.get("route")
    # Sockets belong to transfers, which are an archivist's.
    role = needed(route.methods, route.openapi_extra) if isinstance(route, APIRoute) else "archivist"
    if role == "nobody":
        return
    room: Workroom = connection.app.state.workroom
    person = room.accounts.person(connection.cookies.get(COOKIE))
    if not may(person.role, role):  # type: ignore[arg-type]
        raise NotAllowed(
            f"this needs {'an archivist' if role == 'archivist' else f'a {role}'}",
            where=person.name,
            remedy=f"You are signed in as {person.role}: ask a keeper",
        )
    connection.state.person = person


def tell_in(app: FastAPI) -> None:
    """Writes into the OpenAPI document which role each operation needs."""
    make = app.openapi

    def with_needs() -> dict[str, Any]:
        document = make()
        for operations in document["paths"].values():
            for method, operation in operations.items():
                operation.setdefault(NEEDS, needed({method.upper()}, None))
        return document

    app.openapi = with_needs  # type: ignore[method-assign]
