"""Requests with an Idempotency-Key are done once: who sends one again gets the answer of the first."""

from __future__ import annotations

from collections.abc import Awaitable, Callable
from typing import Any

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.routing import APIRoute
from starlette.concurrency import run_in_threadpool
from starlette.exceptions import HTTPException
from starlette.responses import Response

from inkwell_groove.core.accounts import Person
from inkwell_groove.core.errors import Conflict, Missing, NotAllowed, Refused, TooOften
from inkwell_groove.web import access
from inkwell_groove.workroom.answered import MAX_KEY, Answer
from inkwell_groove.workroom.room import Workroom

HEADER = "Idempotency-Key"
_REPEATED = "Idempotency-Replayed"
_JSON = "application/json"
_METHODS = {"POST", "PUT", "PATCH", "DELETE"}
_CHANGED_NOTHING = (Refused, Conflict, Missing, NotAllowed, TooOften, RequestValidationError, HTTPException)
_PARAMETER = {
    "name": HEADER,
    "in": "header",
    "required": False,
    "schema": {"type": "string", "minLength": 1, "maxLength": MAX_KEY},
    "description": "A text of the sender's own for this request. Sent again with the same within a day, it is answered "
    "as the first time and not done again.",
}


def takes_key(needs: str) -> bool:
    """Return whether an operation that needs this role is done once.

    What a reader may do only shows something, or is about who asks: an answer that shows a new token is not kept.
    """
    return needs in ("archivist", "keeper")


def key_of(request: Request, route: APIRoute) -> str | None:
    """Return the key of a request that is to be done once, without the quotes of a structured field (RFC 8941)."""
    if request.method not in _METHODS or not takes_key(access.needed(route.methods, route.openapi_extra)):
        return None
    given = request.headers.get(HEADER)
    return given if given is None else given.strip().removeprefix('"').removesuffix('"')


async def once(request: Request, key: str, do: Callable[[], Awaitable[Response]]) -> Response:
    """Do the request and return its answer, or the answer that was given when it was done before."""
    await access.check(request)  # the answer is for who sent it
    person: Person = request.state.person
    room: Workroom = request.app.state.workroom
    answered = room.answered
    condition = request.headers.get("If-Match", "")
    told = f"{request.method} {request.url.path}?{request.url.query}\n{condition}\n".encode() + await request.body()
    begun = await run_in_threadpool(answered.begin, person.signature, key, told)
    if isinstance(begun, Answer):
        headers = {_REPEATED: "true"} | ({"Location": begun.location} if begun.location else {})
        media_type = _JSON if begun.body else None
        return Response(begun.body, begun.status, headers=headers, media_type=media_type)
    try:
        response = await do()
    except _CHANGED_NOTHING:  # what breaks otherwise may have committed something before: it stays "not known"
        await run_in_threadpool(answered.give_up, begun)
        raise
    body = getattr(response, "body", None)
    if 400 <= response.status_code < 500:
        await run_in_threadpool(answered.give_up, begun)
    elif response.status_code < 400 and body is not None:
        answer = Answer(response.status_code, response.headers.get("Location", ""), bytes(body).decode())
        await run_in_threadpool(answered.end, begun, answer)
    return response


def tell_in(app: FastAPI) -> None:
    """Write into the OpenAPI document which operations take a key."""
    make = app.openapi

    def with_keys() -> dict[str, Any]:
        document = make()
        for operations in document["paths"].values():
            for method, operation in operations.items():
                # A body that is received piece by piece is not compared with an earlier one.
                bodies = operation.get("requestBody", {}).get("content", {}).keys()
                if method.upper() in _METHODS and takes_key(operation[access.NEEDS]) and bodies <= {_JSON}:
                    parameters = operation.setdefault("parameters", [])
                    if all(one["name"] != HEADER for one in parameters):
                        parameters.append(_PARAMETER)
        return document

    app.openapi = with_keys  # type: ignore[method-assign]
