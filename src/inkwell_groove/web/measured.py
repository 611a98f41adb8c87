"""Each request has a number, which its answer and the log carry, and is counted and timed."""

from __future__ import annotations

import re
import secrets
import time

import structlog
from fastapi.routing import APIRoute
from prometheus_client import Counter, Histogram
from starlette.datastructures import Headers, MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

REQUESTS = Counter("inkwell_requests", "Requests that were answered.", ["operation", "status"])
SECONDS = Histogram("inkwell_request_seconds", "From a request to the beginning of its answer.", ["operation"])
_HEADER = "X-Request-Id"
_GIVEN = re.compile(r"[A-Za-z0-9_-]{8,64}")
_NO_OPERATION = "none"  # the page's own files, and addresses that there are not


class Measured:
    """ASGI middleware around all others."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        given = Headers(scope=scope).get(_HEADER, "")
        number = given if _GIVEN.fullmatch(given) else secrets.token_hex(8)
        began_s = time.perf_counter()

        async def send_measured(message: Message) -> None:
            if message["type"] == "http.response.start":
                MutableHeaders(scope=message)[_HEADER] = number
                route = scope.get("route")
                operation = (route.operation_id if isinstance(route, APIRoute) else None) or _NO_OPERATION
                REQUESTS.labels(operation, message["status"]).inc()
                SECONDS.labels(operation).observe(time.perf_counter() - began_s)
            await send(message)

        with structlog.contextvars.bound_contextvars(request_id=number):
            await self._app(scope, receive, send_measured)
