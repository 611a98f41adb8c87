"""Streams end when whoever looks on may no longer: signed out, closed, with a lesser role, or after too long.

A request that is answered at once was let through a moment ago. One that goes on, an event stream, a download or a
socket, is looked at again whenever somebody was signed out, and twice a minute.
"""

from __future__ import annotations

import asyncio
import contextlib

from starlette.concurrency import run_in_threadpool
from starlette.requests import HTTPConnection
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from inkwell_groove.core.errors import NotAllowed, NotSignedIn
from inkwell_groove.web import access
from inkwell_groove.workroom.room import Workroom

_AT_ONCE_S = 1.0  # what takes no longer is not a stream
_LOOK_EVERY_S = 30.0
_POLICY = 1008  # WebSocket close code (RFC 6455)


class LeavingEndsStreams:
    """ASGI middleware for what shows something: commands are carried out and answered."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        is_stream = scope["type"] == "websocket" or (scope["type"] == "http" and scope["method"] == "GET")
        if not is_stream or not scope["path"].startswith("/api/"):
            await self._app(scope, receive, send)
            return
        has_ended = False

        async def send_until_ended(message: Message) -> None:
            if not has_ended:
                await send(message)

        answering = asyncio.ensure_future(self._app(scope, receive, send_until_ended))
        leaving: asyncio.Future[None] | None = None
        try:
            await asyncio.wait({answering}, timeout=_AT_ONCE_S)
            if not answering.done():
                leaving = asyncio.ensure_future(_until_left(HTTPConnection(scope)))
                await asyncio.wait({answering, leaving}, return_when=asyncio.FIRST_COMPLETED)
                has_ended = not answering.done()
        finally:
            await _cancelled(leaving)
            if not answering.done():
                await _cancelled(answering)
        if has_ended:
            await _end(scope, send)
        else:
            await answering


async def _cancelled(task: asyncio.Future[None] | None) -> None:
    """Cancel a task and wait until it has ended, however it does."""
    if task is not None and not task.done():
        task.cancel()
        with contextlib.suppress(asyncio.CancelledError, Exception):
            await task


async def _until_left(connection: HTTPConnection) -> None:
    """Return once whoever asked may no longer look on."""
    room: Workroom = connection.app.state.workroom
    has_news = asyncio.Event()

    async def listen() -> None:
        async for _ in room.signing_in.left.subscribe("look at once"):
            has_news.set()

    listening = asyncio.ensure_future(listen())
    try:
        while True:
            with contextlib.suppress(TimeoutError):
                await asyncio.wait_for(has_news.wait(), _LOOK_EVERY_S)
            has_news.clear()
            needed = getattr(connection.state, "needed", None)
            if needed is None:
                continue
            try:
                await run_in_threadpool(access.let_through, connection, room, needed)
            except (NotSignedIn, NotAllowed):
                return
    finally:
        await _cancelled(listening)


async def _end(scope: Scope, send: Send) -> None:
    """End an answer in the middle: a socket with a reason; of anything else the connection is closed."""
    # Where a length was promised, or nothing was begun, the server itself closes the connection.
    with contextlib.suppress(Exception):
        if scope["type"] == "websocket":
            await send({"type": "websocket.close", "code": _POLICY, "reason": "you are no longer signed in"})
        else:
            await send({"type": "http.response.body", "body": b"", "more_body": False})
