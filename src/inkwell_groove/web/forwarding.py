"""Requests for what another server of the house has: they are sent on to it, and its answer is given back.

The other server looks at who asks as if it had been asked by the browser: cookie and token go with the request. Sockets
are joined in both directions until one side ends.
"""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import Mapping

import httpx
import structlog
import websockets
from fastapi import FastAPI, Request, Response, WebSocket
from starlette.requests import HTTPConnection

from inkwell_groove.store.settings import Settings
from inkwell_groove.web.problems import problem
from inkwell_groove.workroom.nodes import Elsewhere

FORWARDED_BY = "inkwell-forwarded-by"
_ANSWER_WITHIN_S = 30.0
_CONNECT_WITHIN_S = 5.0
_AWAY = 1013  # WebSocket close code: try again later (IANA's registry of RFC 6455)
# What goes with a request; the address that was asked, and the page that asked, were looked at here.
_WITH_REQUEST = ("cookie", "authorization", "content-type", "accept", "if-match", "if-none-match", "range")
_WITH_ANSWER = ("content-type", "cache-control", "content-disposition", "etag", "retry-after", "content-range")
log = structlog.get_logger()


def install(app: FastAPI, given: Settings) -> None:
    """Send on whatever a route refuses with `Elsewhere`."""

    async def send_on(connection: HTTPConnection, error: Exception) -> Response | None:
        assert isinstance(error, Elsewhere)
        if isinstance(connection, WebSocket):
            await _join(connection, error, _headers(connection, given))
            return None
        assert isinstance(connection, Request)
        return await _answer(connection, error, _headers(connection, given))

    app.add_exception_handler(Elsewhere, send_on)  # type: ignore[arg-type]


def _headers(connection: HTTPConnection, given: Settings) -> dict[str, str]:
    headers = {name: connection.headers[name] for name in _WITH_REQUEST if name in connection.headers}
    headers[FORWARDED_BY] = given.node_name
    if given.needs_sign_in and connection.client is not None:
        headers["x-forwarded-for"] = connection.client.host  # believed where INKWELL_PROXIES names this server
    return headers


async def _answer(request: Request, elsewhere: Elsewhere, headers: Mapping[str, str]) -> Response:
    """Return the other server's answer."""
    if FORWARDED_BY in request.headers:
        return problem(
            409, "it has just gone to another server", where=elsewhere.node, remedy="Try again", code="Elsewhere"
        )
    query = f"?{request.url.query}" if request.url.query else ""
    address = f"{elsewhere.address}{request.url.path}{query}"
    timeout = httpx.Timeout(_ANSWER_WITHIN_S, connect=_CONNECT_WITHIN_S)
    try:
        # Without a context for TLS, which takes a while to make, where none is spoken; and never through a proxy of the
        # environment, which would see the cookie.
        is_tls = address.startswith("https")
        async with httpx.AsyncClient(timeout=timeout, verify=is_tls, trust_env=False) as client:
            answer = await client.request(request.method, address, content=await request.body(), headers=headers)
    except httpx.HTTPError as trouble:
        log.warning("another server does not answer", node=elsewhere.node, address=elsewhere.address, why=repr(trouble))
        return problem(
            503,
            f"the server {elsewhere.node} does not answer",
            where=elsewhere.node,
            remedy=f"Look at its network; what it records goes on. It is to be reached at {elsewhere.address}",
            code="ServerAway",
        )
    kept = {name: answer.headers[name] for name in _WITH_ANSWER if name in answer.headers}
    return Response(answer.content, answer.status_code, headers=kept)


async def _join(socket: WebSocket, elsewhere: Elsewhere, headers: Mapping[str, str]) -> None:
    """Join a browser's socket with one to the other server."""
    await socket.accept()
    query = f"?{socket.url.query}" if socket.url.query else ""
    address = f"ws{elsewhere.address.removeprefix('http')}{socket.url.path}{query}"
    wanted = {name: value for name, value in headers.items() if name != "content-type"}
    try:
        if FORWARDED_BY in socket.headers:
            await _close(socket, _AWAY, "it has just gone to another server")
            return
        async with websockets.connect(
            address, additional_headers=wanted, max_size=None, open_timeout=_CONNECT_WITHIN_S, proxy=None
        ) as other:
            ways = [asyncio.ensure_future(_to_server(socket, other)), asyncio.ensure_future(_to_browser(other, socket))]
            _, left = await asyncio.wait(ways, return_when=asyncio.FIRST_COMPLETED)
            for way in left:
                way.cancel()
            await asyncio.gather(*ways, return_exceptions=True)
            await _close(socket, other.close_code or _AWAY, other.close_reason or "")
    except (OSError, TimeoutError, websockets.WebSocketException) as trouble:
        log.warning("another server does not answer", node=elsewhere.node, address=elsewhere.address, why=repr(trouble))
        await _close(socket, _AWAY, f"the server {elsewhere.node} does not answer")


async def _to_server(socket: WebSocket, other: websockets.ClientConnection) -> None:
    with contextlib.suppress(websockets.ConnectionClosed):
        while (message := await socket.receive())["type"] == "websocket.receive":
            await other.send(message["text"] if message.get("text") is not None else message["bytes"])


async def _to_browser(other: websockets.ClientConnection, socket: WebSocket) -> None:
    with contextlib.suppress(RuntimeError):  # the browser left meanwhile
        async for message in other:
            await (socket.send_text(message) if isinstance(message, str) else socket.send_bytes(message))


async def _close(socket: WebSocket, code: int, reason: str) -> None:
    # Codes that say that nothing was said cannot be sent (RFC 6455, 7.4.1).
    with contextlib.suppress(RuntimeError):
        await socket.close(code if code not in (1005, 1006, 1015) else _AWAY, reason)
