"""What systemd is told by a server that it supervises (sd_notify(3)): that it answers, and that it still does.

The signs of life come from the event loop: a server whose loop hangs falls silent, and is started again.
"""

from __future__ import annotations

import asyncio
import contextlib
import os
import socket
from collections.abc import AsyncIterator

import structlog

log = structlog.get_logger()


def notify(state: str) -> None:
    """Tell whoever supervises this process of a state, as "READY=1"; nothing if nobody does."""
    address = os.environ.get("NOTIFY_SOCKET", "")
    if not address:
        return
    name = f"\0{address[1:]}" if address.startswith("@") else address  # a name in no folder
    try:
        with socket.socket(socket.AF_UNIX, socket.SOCK_DGRAM) as told:
            told.sendto(state.encode(), name)
    except OSError as cause:
        log.warning("whoever supervises this server could not be told", state=state, reason=str(cause))


@contextlib.asynccontextmanager
async def supervised() -> AsyncIterator[None]:
    """Say that the server is ready, give signs of life within the block, and say that it stops."""
    notify("READY=1")
    giving = asyncio.ensure_future(_give_signs())
    try:
        yield
    finally:
        giving.cancel()
        with contextlib.suppress(asyncio.CancelledError):
            await giving
        notify("STOPPING=1")


async def _give_signs() -> None:
    """Give a sign of life twice in the time after which the server is taken for dead."""
    told_us = os.environ.get("WATCHDOG_USEC", "")
    if not told_us.isdecimal() or os.environ.get("WATCHDOG_PID", str(os.getpid())) != str(os.getpid()):
        return
    while True:
        notify("WATCHDOG=1")
        await asyncio.sleep(int(told_us) / 2e6)
