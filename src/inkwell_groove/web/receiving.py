"""A request's body as a file of the store: as it comes, no larger than is allowed, gone if it is not wanted."""

from __future__ import annotations

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path

from fastapi import Request
from fastapi.concurrency import run_in_threadpool

from inkwell_groove.core.errors import Refused
from inkwell_groove.workroom.room import Workroom


@asynccontextmanager
async def received(request: Request, room: Workroom, name: str) -> AsyncIterator[Path]:
    """Whoever takes the file over keeps it; on any refusal it is removed."""
    path = await run_in_threadpool(room.media.new_incoming)
    try:
        with path.open("wb") as file:
            async for chunk in request.stream():
                await run_in_threadpool(room.media.space.need, len(chunk), where=name)
                await run_in_threadpool(file.write, chunk)
                if file.tell() > room.settings.max_upload_bytes:
                    raise Refused("the archive is too large", where=name, remedy="Send it in parts")
        yield path
    except BaseException:
        path.unlink(missing_ok=True)
        raise
