"""Refusals as RFC 9457 problem details: what is wrong, where, and what to do."""

from __future__ import annotations

import json
import math
from typing import Any

import structlog
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from pydantic import BaseModel, Field
from starlette.exceptions import HTTPException

from inkwell_groove.catalogues.patient import SourceTrouble
from inkwell_groove.core.errors import (
    Conflict,
    DiskFull,
    InkwellError,
    Missing,
    NotAllowed,
    NotSignedIn,
    Refused,
    TooOften,
)
from inkwell_groove.core.full_disk import disk_full
from inkwell_groove.core.seen import ChangedMeanwhile
from inkwell_groove.store.database import Busy, DatabaseAway
from inkwell_groove.web.headers import secure
from inkwell_groove.workroom.nodes import Elsewhere, ServerAway
from inkwell_groove.workroom.people.single_sign_on import IssuerAway

log = structlog.get_logger()

# The first that fits decides: leaves before their parents.
_STATUS: tuple[tuple[type[InkwellError], int], ...] = (
    (Missing, 404),
    (Conflict, 409),
    (Refused, 422),
    (NotSignedIn, 401),
    (NotAllowed, 403),
    (TooOften, 429),
    (SourceTrouble, 502),
    (IssuerAway, 502),
    (ServerAway, 503),
    (Elsewhere, 503),  # sent on before anybody sees it
    (DatabaseAway, 503),
    (Busy, 503),
    (DiskFull, 507),
)
MEDIA_TYPE = "application/problem+json"
_TITLES = {
    400: "Not understood",
    401: "Not signed in",
    403: "Refused",
    404: "Not found",
    409: "Not possible now",
    422: "Not acceptable as it is",
    429: "Too often",
    413: "Too large",
    502: "Another service did not answer",
    503: "Not ready",
    507: "Disk full",
}


class ChangedValue(BaseModel):
    """A value that somebody else has changed meanwhile."""

    name: str
    yours: Any = None
    now: Any = None


class Problem(BaseModel):
    """Why something was refused: what is wrong, where, and what to do (RFC 9457)."""

    type: str = "about:blank"
    title: str
    status: int
    detail: str
    where: str | None = None
    remedy: str | None = None
    code: str | None = Field(default=None, description="The kind of refusal, for scripts.")
    changed: list[ChangedValue] | None = None


# What any operation may answer instead, for the OpenAPI document: who asks is looked at before anything else, and the
# database, the disk and a source outside may be away at any time.
REFUSALS: dict[int | str, dict[str, Any]] = {
    status: {"description": title, "content": {MEDIA_TYPE: {"schema": {"$ref": "#/components/schemas/Problem"}}}}
    for status, title in sorted(_TITLES.items())
}


class _Problem(JSONResponse):
    """Written in ASCII: what is told of may be the very text that UTF-8 cannot hold."""

    def render(self, content: object) -> bytes:
        return json.dumps(content).encode("ascii")


def problem(
    status: int,
    what: str,
    *,
    where: str | None = None,
    remedy: str | None = None,
    code: str | None = None,
    changed: list[dict[str, object]] | None = None,
) -> JSONResponse:
    """Return an answer of the media type application/problem+json.

    `changed` holds name, yours and now of each value that somebody else has changed meanwhile.
    """
    body = {
        "type": "about:blank",
        "title": _TITLES.get(status, "It did not work"),
        "status": status,
        "detail": what,
        "where": where,
        "remedy": remedy,
        "code": code,
        "changed": changed,
    }
    answer = _Problem(
        {name: value for name, value in body.items() if value is not None},
        status,
        media_type=MEDIA_TYPE,
    )
    # A fault in the program is answered outside of all middleware.
    secure(answer.headers, "/api/")
    return answer


def install(app: FastAPI) -> None:
    """Every way a request can fail gets such an answer."""
    app.add_exception_handler(InkwellError, _refusal)
    app.add_exception_handler(RequestValidationError, _invalid)
    app.add_exception_handler(HTTPException, _http)
    app.add_exception_handler(OSError, _system)
    app.add_exception_handler(Exception, _fault)


def tell_in(app: FastAPI) -> None:
    """Write into the OpenAPI document what a refusal looks like."""
    make = app.openapi

    def with_problems() -> dict[str, Any]:
        document = make()
        schemas = document.setdefault("components", {}).setdefault("schemas", {})
        made = Problem.model_json_schema(ref_template="#/components/schemas/{model}")
        schemas.update(made.pop("$defs", {}), Problem=made)
        for unused in ("HTTPValidationError", "ValidationError"):
            schemas.pop(unused, None)
        return document

    app.openapi = with_problems  # type: ignore[method-assign]


async def _refusal(_: Request, error: Exception) -> JSONResponse:
    assert isinstance(error, InkwellError)
    status = next((code for kind, code in _STATUS if isinstance(error, kind)), 500)
    answer = problem(
        status,
        error.what,
        where=error.where,
        remedy=error.remedy,
        code=type(error).__name__,
        changed=error.changed if isinstance(error, ChangedMeanwhile) else None,
    )
    if isinstance(error, TooOften):
        answer.headers["Retry-After"] = str(math.ceil(error.wait_s))
    return answer


async def _invalid(_: Request, error: Exception) -> JSONResponse:
    assert isinstance(error, RequestValidationError)
    first = error.errors()[0]
    place = ".".join(str(part) for part in first["loc"] if part != "body")
    return problem(422, first["msg"], where=place or "the request", remedy="Correct that value", code="InvalidRequest")


async def _http(_: Request, error: Exception) -> JSONResponse:
    assert isinstance(error, HTTPException)
    what = "there is nothing at this address" if error.status_code == 404 else str(error.detail)
    return problem(error.status_code, what)


async def _system(request: Request, error: Exception) -> JSONResponse:
    full = disk_full(error)
    return await (_fault(request, error) if full is None else _refusal(request, full))


async def _fault(request: Request, error: Exception) -> JSONResponse:
    log.error("a request broke", path=request.url.path, exc_info=error)
    return problem(
        500,
        f"a fault in the program ({type(error).__name__})",
        where=request.url.path,
        remedy="Nothing was changed. The log has the details; please report it",
    )
