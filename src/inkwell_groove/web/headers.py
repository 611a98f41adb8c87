"""What every answer tells the browser: what it may do with it, and that it must not guess what it is.

Files that others made are served from the same origin as the interface. Whatever is in them, they are data: no script
of theirs may run, no page may be made of them.
"""

from __future__ import annotations

from starlette.datastructures import MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

_POLICY = "Content-Security-Policy"
_PAGE_POLICY = (
    "default-src 'self'; img-src 'self' blob: data:; style-src 'self' 'unsafe-inline'; "
    "font-src 'self' data:; media-src 'self' blob:; frame-ancestors 'none'; base-uri 'none'; form-action 'self'"
)
_DATA_POLICY = "default-src 'none'; frame-ancestors 'none'; sandbox"
_COMMON = {
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
}


def secure(headers: MutableHeaders, path: str) -> None:
    """Add what is missing to the headers of an answer for an address."""
    for name, value in _COMMON.items():
        headers.setdefault(name, value)
    headers.setdefault(_POLICY, _DATA_POLICY if path.startswith("/api/") else _PAGE_POLICY)
    if path.startswith("/api/"):
        headers.setdefault("Cache-Control", "no-store")


class SecureHeaders:
    """ASGI middleware."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return

        async def send_secured(message: Message) -> None:
            if message["type"] == "http.response.start":
                secure(MutableHeaders(scope=message), scope["path"])
            await send(message)

        await self._app(scope, receive, send_secured)
