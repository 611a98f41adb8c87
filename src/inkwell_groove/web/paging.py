"""Lists of any length, page by page: the header Link has the address of the next page (RFC 8288)."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Protocol
from urllib.parse import urlencode

from fastapi import Query, Request, Response

MAX_PAGE = 500
BeforeId = Annotated[int | None, Query(ge=0, description="Go on below the entry of this number.")]
Limit = Annotated[int, Query(ge=1, le=MAX_PAGE, description="At most so many entries.")]


class Numbered(Protocol):
    """An entry of a list that goes by its numbers, the highest first."""

    @property
    def id(self) -> int: ...


def link_next(request: Request, response: Response, **changed: object) -> None:
    """Say where the list goes on: at the request's own address, but for what changes."""
    kept = [(name, value) for name, value in request.query_params.multi_items() if name not in changed]
    asked = urlencode([*kept, *changed.items()])
    response.headers["Link"] = f'<{request.url.path}?{asked}>; rel="next"'


def link_below(request: Request, response: Response, entries: Sequence[Numbered], limit: int) -> None:
    """Say where the list goes on if this page is full. What follows may be empty."""
    if len(entries) == limit:
        link_next(request, response, before_id=entries[-1].id)
