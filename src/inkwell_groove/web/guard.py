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
from inkwell_groove.web.access import CAME_BACK
from inkwell_groove.web.problems import problem

_LOOPBACK = frozenset({"127.0.0.1", "localhost", "[::1]"})
_SAFE_SITES = {"same-origin", "none"}
# Proxies add one of these (RFC 7239 and, of the others, common practice).
_FORWARDED = ("forwarded", "x-forwarded-for", "x-forwarded-host", "x-forwarded-proto", "x-real-ip", "via")


class Guard:
    """ASGI middleware."""

    def __init__(self, app: ASGIApp, given: Settings) -> None:
        self._app = app
        self._names = _LOOPBACK | given.known_names
        self._addresses = given.host not in LOOPBACK
        self._signs_in = given.needs_sign_in

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] not in ("http", "websocket"):
            await self._app(scope, receive, send)
            return
        headers = Headers(scope=scope)
        refusal = foreign(headers, self._names, addresses=self._addresses, is_a_visit=_is_a_visit(scope, headers))
        remedy = "Open the application at the address it printed when it started"
        if refusal is None and not self._signs_in and any(name in headers for name in _FORWARDED):
            refusal = "a proxy forwards requests here, while whoever reaches this address is let in without signing in"
            remedy = "Set INKWELL_SIGN_IN=always and name the proxy's address in INKWELL_PROXIES"
        if refusal is None:
            await self._app(scope, receive, send)
        elif scope["type"] == "websocket":
            await send({"type": "websocket.close", "code": 1008, "reason": refusal})
        else:
            await problem(403, refusal, remedy=remedy)(scope, receive, send)


def foreign(
    headers: Headers, names: Collection[str] = _LOOPBACK, *, addresses: bool = False, is_a_visit: bool = False
) -> str | None:
    """Return why a request is not from one of our own pages; None for one that is, and for a link that is followed."""
    host = headers.get("host", "")
    name = _name(host).casefold()
    if name not in names and not (addresses and _is_address(name)):
        return f"requests for the host '{host}' are not answered"
    origin = headers.get("origin")
    if origin is not None and _place(origin) != host:
        return f"requests from {origin} are not answered"
    if origin is None and not is_a_visit and headers.get("sec-fetch-site", "none") not in _SAFE_SITES:
        return "requests from another site are not answered"
    return None


def _is_a_visit(scope: Scope, headers: Headers) -> bool:
    """Return whether somebody followed a link to a page of ours, or comes back from single sign-on.

    Pages show nothing that they do not ask for themselves, and no cookie comes with a visit from another site.
    """
    return (
        scope.get("method") == "GET"
        and headers.get("sec-fetch-mode") == "navigate"
        and headers.get("sec-fetch-dest") == "document"
        and (not scope["path"].startswith("/api/") or scope["path"] == CAME_BACK)
    )


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
