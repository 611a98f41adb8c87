"""Tern Sound Index, simulated: finds releases by a disc's table of contents and by what a recording sounds like."""

from __future__ import annotations

from typing import Any

import numpy as np
from fastapi import FastAPI, HTTPException
from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.fingerprint.prints import BITS, Printed
from inkwell_groove.core.matching.release import SourceRelease
from inkwell_groove.standins.holdings import Holdings
from inkwell_groove.standins.service import simulated


class Excerpt(BaseModel):
    """Prints of some seconds, and how firm each bit of each is, in steps of a hundredth."""

    model_config = ConfigDict(extra="forbid")

    prints: list[int] = Field(min_length=1, max_length=4_096)
    strengths: list[float] = Field(min_length=BITS, max_length=4_096 * BITS)


class Sounds(BaseModel):
    model_config = ConfigDict(extra="forbid")

    excerpts: list[Excerpt] = Field(min_length=1, max_length=24)


def make_app(holdings: Holdings, *, latency_s: float = 0.03) -> FastAPI:
    app = simulated("Tern Sound Index", latency_s=latency_s, burst=30, per_s=15)

    @app.get("/discs")
    async def discs(starts: str) -> dict[str, Any]:
        """By the starts of a disc's tracks and of its lead-out, in frames."""
        found = holdings.by_contents([int(one) for one in starts.split(" ")])
        return {"entries": found}

    @app.post("/sounds")
    def sounds(asked: Sounds) -> dict[str, Any]:
        excerpts = []
        for one in asked.excerpts:
            if len(one.strengths) != BITS * len(one.prints):
                raise HTTPException(422, "strengths and prints do not go together")
            strengths = np.asarray(one.strengths, np.float32).reshape(-1, BITS)
            excerpts.append(Printed(np.asarray(one.prints, np.uint32), strengths))
        return {"heard": [one.model_dump() for one in holdings.by_sound(excerpts)]}

    @app.get("/entries/{name}")
    async def entry(name: str) -> dict[str, Any]:
        if name not in holdings.by_id:
            raise HTTPException(404, "no such entry")
        return _entry(holdings, holdings.by_id[name])

    return app


def _entry(holdings: Holdings, one: SourceRelease) -> dict[str, Any]:
    return {
        "id": one.id,
        "name": f"{one.artist} / {one.title}",
        "carriers": _carriers(one),
        "tracks": [{"title": track.title, "ms": round(1000 * (track.duration_s or 0))} for track in one.tracks],
        "discs": holdings.contents_of(one.id),
        "elsewhere": list(one.links),
    }


def _carriers(one: SourceRelease) -> list[tuple[str, int]]:
    """Each carrier and how many tracks are on it; the sides of one record together."""
    found: list[tuple[str, int]] = []
    for medium in one.media:
        if medium.side and medium.side in "BDFHJL" and found:
            found[-1] = (medium.format, found[-1][1] + len(medium.tracks))
        else:
            found.append((medium.format, len(medium.tracks)))
    return found
