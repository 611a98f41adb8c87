"""What all simulated sources have in common: they are slow at times, fail when told to, and keep callers to a rate."""

from __future__ import annotations

import asyncio
import time
from collections.abc import Awaitable, Callable
from typing import Literal

from fastapi import FastAPI, Request
from fastapi.responses import JSONResponse, Response
from pydantic import BaseModel, ConfigDict, Field


class Trouble(BaseModel):
    """What ails a source: it is down, takes so many seconds, refuses for so many, or answers with rubbish.

    `for_requests` of them; 0 is until further notice.
    """

    model_config = ConfigDict(extra="forbid")

    kind: Literal["none", "down", "slow", "busy", "rubbish"] = "none"
    seconds: float = Field(default=30.0, ge=0, le=120)
    for_requests: int = Field(default=0, ge=0)


class Rate:
    """A bucket of tokens: `burst` at once, `per_s` in the long run."""

    def __init__(self, *, burst: int, per_s: float) -> None:
        self._burst, self._per_s = burst, per_s
        self._tokens, self._at = float(burst), time.monotonic()

    def wait_s(self) -> float:
        """Takes one; 0, or how long to wait for the next."""
        now = time.monotonic()
        self._tokens = min(self._burst, self._tokens + (now - self._at) * self._per_s)
        self._at = now
        if self._tokens >= 1:
            self._tokens -= 1
            return 0.0
        return (1 - self._tokens) / self._per_s


def simulated(title: str, *, latency_s: float, burst: int, per_s: float) -> FastAPI:
    """An application that suffers before it answers: `PUT /trouble` tells it from what. `GET /asked` counts."""
    app = FastAPI(title=f"{title} (simulated)")
    trouble, rate, asked = [Trouble()], Rate(burst=burst, per_s=per_s), [0]

    @app.middleware("http")
    async def suffer(request: Request, answer: Callable[[Request], Awaitable[Response]]) -> Response:
        if request.url.path in ("/trouble", "/asked"):
            return await answer(request)
        asked[0] += 1
        ailing = trouble[0]
        if ailing.for_requests:
            left = ailing.for_requests - 1
            trouble[0] = ailing.model_copy(update={"for_requests": left}) if left else Trouble()
        match ailing.kind:
            case "down":
                return JSONResponse({"error": "out of order"}, 503)
            case "slow":
                await asyncio.sleep(ailing.seconds)
            case "busy":
                return JSONResponse({"error": "too many requests"}, 429, {"Retry-After": f"{ailing.seconds:g}"})
            case "rubbish":
                return Response(b"<html>this is not what you asked for", media_type="application/json")
        if wait_s := rate.wait_s():
            return JSONResponse({"error": "too many requests"}, 429, {"Retry-After": f"{wait_s:.2f}"})
        await asyncio.sleep(latency_s)
        return await answer(request)

    @app.put("/trouble")
    async def set_trouble(told: Trouble) -> Trouble:
        trouble[0] = told
        return told

    @app.get("/asked")
    async def how_often() -> int:
        return asked[0]

    return app
