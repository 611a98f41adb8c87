"""Refusals as RFC 9457 problem details: what is wrong, where, and what to do."""

from __future__ import annotations

import json
import math
from http import HTTPStatus
from typing import Any

import structlog
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from pydantic import BaseModel, Field
from starlette.exceptions import HTTPException

from inkwell_groove.core.errors import InkwellError, TooOften
from inkwell_groove.core.full_disk import disk_full
from inkwell_groove.core.seen import ChangedMeanwhile
from inkwell_groove.web.headers import secure
from inkwell_groove.web.problem_types import INVALID, TYPES, ProblemType, type_for, type_of

log = structlog.get_logger()

MEDIA_TYPE = "application/problem+json"


class ChangedValue(BaseModel):
    """A value that somebody else has changed meanwhile."""

    name: str
    yours: Any = None
    now: Any = None


class InvalidValue(BaseModel):
    """A value of the request that is missing or cannot be meant."""

    where: str = Field(description="The way to it: names and positions, points between.")
    detail: str


class Problem(BaseModel):
    """Why something was refused: what is wrong, where, and what to do (RFC 9457)."""

    type: str = Field(default="about:blank", description="The address of a page about this type of refusal.")
    title: str
    status: int
    detail: str
    where: str | None = None
    remedy: str | None = None
    code: str | None = Field(default=None, description="The kind of refusal, for scripts.")
    changed: list[ChangedValue] | None = None
    errors: list[InvalidValue] | None = Field(
        default=None, description="All values that are wrong, not the first only."
    )


# What any operation may answer instead, for the OpenAPI document: who asks is looked at before anything else, and the
# database, the disk and a source outside may be away at any time.
REFUSALS: dict[int | str, dict[str, Any]] = {
    one.status: {
        "description": one.title,
        "content": {MEDIA_TYPE: {"schema": {"$ref": "#/components/schemas/Problem"}}},
    }
    for one in TYPES
    if one.status not in (405, 500)  # of no operation that is asked for as it should be
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
    kind: ProblemType | None = None,
    changed: list[dict[str, object]] | None = None,
    errors: list[dict[str, object]] | None = None,
) -> JSONResponse:
    """Return an answer of the media type application/problem+json, of the type that usually has this status.

    `changed` holds name, yours and now of each value that somebody else has changed meanwhile, `errors` where and
    detail of each value that is wrong.
    """
    kind = kind or type_for(status)
    body = {
        "type": kind.address if kind is not None else "about:blank",
        "title": kind.title if kind is not None else HTTPStatus(status).phrase,
        "status": status,
        "detail": what,
        "where": where,
        "remedy": remedy,
        "code": code,
        "changed": changed,
        "errors": errors,
    }
    answer = _Problem(
        {name: value for name, value in body.items() if value is not None},
        status,
        media_type=MEDIA_TYPE,
    )
    # A fault in the program is answered outside of all middleware.
    secure(answer.headers, "/api/v1/")
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
    kind = type_of(error)
    answer = problem(
        kind.status if kind is not None else 500,
        error.what,
        kind=kind,
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
    wrong = [
        {"where": ".".join(str(part) for part in one["loc"] if part != "body") or "the request", "detail": one["msg"]}
        for one in error.errors()
    ]
    remedy = "Correct that value" if len(wrong) == 1 else f"Correct these {len(wrong)} values"
    return problem(
        422,
        str(wrong[0]["detail"]),
        kind=INVALID,
        where=str(wrong[0]["where"]),
        remedy=remedy,
        code="InvalidRequest",
        errors=wrong,
    )


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
