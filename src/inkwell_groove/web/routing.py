"""Routers whose JSON bodies hold only texts that can be kept: half a character is refused before anything sees it."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Coroutine
from typing import Any

from fastapi import APIRouter, Request, Response
from fastapi.routing import APIRoute

from inkwell_groove.core.errors import Refused

_SURROGATE = re.compile(rb"\\u[dD][89a-fA-F]")


def _check_texts(body: bytes) -> None:
    """Raises Refused for an unpaired surrogate: JSON can spell it, no text can hold it (RFC 8259, section 8.2).

    A body that is UTF-8 can have one only as an escape.
    """
    if not _SURROGATE.search(body):
        return
    try:
        json.dumps(json.loads(body), ensure_ascii=False).encode()
    except UnicodeEncodeError as cause:
        raise Refused(
            f"a text holds half a character (U+{ord(cause.object[cause.start]):04X})",
            where="the request",
            remedy="Type or copy that text again",
        ) from cause
    except ValueError:
        return  # what is no JSON is refused where the body is read


class _CheckedRoute(APIRoute):
    def get_route_handler(self) -> Callable[[Request], Coroutine[Any, Any, Response]]:
        handle = super().get_route_handler()

        async def handle_checked(request: Request) -> Response:
            if "json" in request.headers.get("content-type", ""):
                _check_texts(await request.body())
            return await handle(request)

        return handle_checked


class Router(APIRouter):
    """Routes of one part of the work, under a tag."""

    def __init__(self, tag: str) -> None:
        super().__init__(tags=[tag], route_class=_CheckedRoute)
