"""Routers that refuse texts which cannot be kept, and repeat a request that others were in the way of.

A text with half a character is refused before anything sees it. A request whose transaction met a deadlock or waited
too long for a lock is done again from its beginning, as long as it has changed nothing and its body is at hand. What
begins something that takes longer answers 202, and where to look for it. What was read has an ETag.
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Coroutine
from typing import Any

import anyio
from fastapi import APIRouter, Request, Response
from fastapi.routing import APIRoute

from inkwell_groove.core.errors import Refused
from inkwell_groove.store.database import Busy, attempting, may_try_again, pause_s
from inkwell_groove.web.conditional import not_modified
from inkwell_groove.web.locations import location_of, set_location
from inkwell_groove.web.once import key_of, once

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


class _Route(APIRoute):
    def get_route_handler(self) -> Callable[[Request], Coroutine[Any, Any, Response]]:
        handle = super().get_route_handler()
        look_at = location_of(self.response_model) if self.status_code == 202 else None

        async def handle_checked(request: Request) -> Response:
            is_json = "json" in request.headers.get("content-type", "")
            if is_json:
                _check_texts(await request.body())
            # A body that is received piece by piece cannot be had again.
            body_is_at_hand = is_json or request.headers.get("content-length", "0") == "0"
            key = key_of(request, self) if body_is_at_hand else None
            if key is None:
                response = await handle_again(request, body_is_at_hand=body_is_at_hand)
                is_read = request.method == "GET"
                return not_modified(response, request.headers.get("If-None-Match")) if is_read else response
            return await once(request, key, lambda: handle_again(request, body_is_at_hand=True))

        async def handle_again(request: Request, *, body_is_at_hand: bool) -> Response:
            """Answer a request, trying again while others are in its way."""
            number = 0
            while True:
                with attempting() as attempt:
                    try:
                        response = await handle(request)
                        if look_at is not None and response.status_code == 202:
                            set_location(response, look_at, request.path_params)
                        return response
                    except Busy as error:
                        if not body_is_at_hand or not may_try_again(error, attempt, number):
                            raise
                await anyio.sleep(pause_s(number))
                number += 1

        return handle_checked


class Router(APIRouter):
    """Routes of one part of the work, under a tag."""

    def __init__(self, tag: str) -> None:
        super().__init__(tags=[tag], route_class=_Route)
