"""Who may speak to the server: only pages that this server itself served, on this machine.

The server binds to loopback, but any web page a browser shows could still send requests there. A foreign Host (DNS
rebinding) or Origin (cross-site request) is refused before anything else looks at the request, WebSockets included.
"""

from __future__ import annotations

from urllib.parse import urlsplit

from starlette.datastructures import Headers
from starlette.types import ASGIApp, Receive, Scope, Send

from inkwell_groove.web.problems import problem

_LOOPBACK = {"127.0.0.1", "localhost", "[::1]"}
_SAFE_SITES = {"same-origin", "none"}


class Guard:
    """ASGI middleware."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] not in ("http", "websocket"):
            await self._app(scope, receive, send)
            return
        refusal = foreign(Headers(scope=scope))
        if refusal is None:
            await self._app(scope, receive, send)
        elif scope["type"] == "websocket":
            await send({"type": "websocket.close", "code": 1008, "reason": refusal})
        else:
            answer = problem(403, refusal, remedy="Open the application at the address it printed when it started")
            await answer(scope, receive, send)


def foreign(headers: Headers) -> str | None:
    """Why a request is not from one of our own pages; none for one that is."""
    host = headers.get("host", "")
    if _name(host) not in _LOOPBACK:
        return f"requests for the host '{host}' are not answered"
    origin = headers.get("origin")
    if origin is not None and urlsplit(origin).netloc != host:
        return f"requests from {origin} are not answered"
    if origin is None and headers.get("sec-fetch-site", "none") not in _SAFE_SITES:
        return "requests from another site are not answered"
    return None


def _name(host: str) -> str:
    name, _, port = host.rpartition(":")
    return name if name and port.isdigit() else host
