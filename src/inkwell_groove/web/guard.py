"""Which pages may speak to the server: only those that it served itself.

Any web page a browser shows could send requests to an address the browser can reach. A foreign Host (DNS rebinding) or
Origin (cross-site request) is refused before anything else looks at the request, WebSockets included. On loopback only
the names of loopback are known. Where the server listens elsewhere, it also answers to the names it was given and to
bare addresses, which no foreign name can be made to lead to.
"""

from __future__ import annotations

from collections.abc import Collection
from ipaddress import ip_address
from urllib.parse import urlsplit

from starlette.datastructures import Headers
from starlette.types import ASGIApp, Receive, Scope, Send

from inkwell_groove.store.settings import LOOPBACK, Settings
from inkwell_groove.web.problems import problem

_LOOPBACK = frozenset({"127.0.0.1", "localhost", "[::1]"})
_SAFE_SITES = {"same-origin", "none"}


class Guard:
    """ASGI middleware."""

    def __init__(self, app: ASGIApp, given: Settings) -> None:
        self._app = app
        self._names = _LOOPBACK | given.known_names
        self._addresses = given.host not in LOOPBACK

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] not in ("http", "websocket"):
            await self._app(scope, receive, send)
            return
        refusal = foreign(Headers(scope=scope), self._names, addresses=self._addresses)
        if refusal is None:
            await self._app(scope, receive, send)
        elif scope["type"] == "websocket":
            await send({"type": "websocket.close", "code": 1008, "reason": refusal})
        else:
            answer = problem(403, refusal, remedy="Open the application at the address it printed when it started")
            await answer(scope, receive, send)


def foreign(headers: Headers, names: Collection[str] = _LOOPBACK, *, addresses: bool = False) -> str | None:
    """Why a request is not from one of our own pages; none for one that is."""
    host = headers.get("host", "")
    name = _name(host).casefold()
    if name not in names and not (addresses and _is_address(name)):
        return f"requests for the host '{host}' are not answered"
    origin = headers.get("origin")
    if origin is not None and _place(origin) != host:
        return f"requests from {origin} are not answered"
    if origin is None and headers.get("sec-fetch-site", "none") not in _SAFE_SITES:
        return "requests from another site are not answered"
    return None


def _name(host: str) -> str:
    name, _, port = host.rpartition(":")
    return name if name and port.isdigit() else host


def _place(origin: str) -> str | None:
    """Host and port of an origin, none where it is not one."""
    try:
        return urlsplit(origin).netloc
    except ValueError:
        return None


def _is_address(name: str) -> bool:
    try:
        ip_address(name.strip("[]"))
    except ValueError:
        return False
    return True
