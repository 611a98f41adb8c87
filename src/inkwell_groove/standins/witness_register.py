"""A witness register: keeps the sums of everybody's reads, by disc and pressing, and says them back with counts.

    python -m inkwell_groove.standins.witness_register --port 8431 --file register.json

A read belongs to the pressing of which most of its sums are known; one of which none are begins a pressing of its own.
A reader counts once for each disc, with its latest read. `PUT /trouble` makes the service down, slow or wrong.
"""

from __future__ import annotations

import asyncio
import json
import threading
from pathlib import Path
from typing import Annotated, Any, Literal

import typer
import uvicorn
from fastapi import FastAPI, HTTPException
from fastapi.responses import JSONResponse
from pydantic import BaseModel, ConfigDict, Field

HexSum = Annotated[str, Field(pattern=r"^[0-9a-f]{16}$")]
Digest = Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]


class Sums(BaseModel):
    """A track of a read: the sum of its window, and of all its samples."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    sum: HexSum
    whole: HexSum


class Read(BaseModel):
    """One read of a disc: who made it, and its tracks by number, 0 being the hidden opening."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    reader: str = Field(min_length=8, max_length=64)
    tracks: dict[int, Sums] = Field(min_length=1, max_length=100)


class Trouble(BaseModel):
    """What ails the service: it is down, takes so many seconds, or says sums that nobody read."""

    model_config = ConfigDict(extra="forbid")

    kind: Literal["none", "down", "slow", "wrong"] = "none"
    seconds: float = Field(default=30.0, ge=0, le=120)


class Shelf:
    """All reads, by disc, in one JSON file that is written beside and renamed."""

    def __init__(self, file: Path | None) -> None:
        self._file = file
        self._lock = threading.Lock()
        kept = json.loads(file.read_text()) if file is not None and file.exists() else {}
        self._reads = {
            digest: [[Read.model_validate(one) for one in pressing] for pressing in pressings]
            for digest, pressings in kept.items()
        }

    def known(self, digest: str) -> dict[str, Any]:
        with self._lock:
            pressings = [list(one) for one in self._reads.get(digest, ()) if one]
        return {"pressings": [_told(pressing) for pressing in pressings]}

    def add(self, digest: str, read: Read) -> None:
        with self._lock:
            pressings = self._reads.setdefault(digest, [])
            for pressing in pressings:
                pressing[:] = [one for one in pressing if one.reader != read.reader]
            counts = [_matches(pressing, read) for pressing in pressings]
            if max(counts, default=0) > 0:
                pressings[counts.index(max(counts))].append(read)
            else:
                pressings.append([read])
            self._write()

    def _write(self) -> None:
        if self._file is None:
            return
        kept = {
            digest: [[one.model_dump(mode="json") for one in pressing] for pressing in pressings if pressing]
            for digest, pressings in self._reads.items()
        }
        beside = self._file.with_suffix(".new")
        beside.write_text(json.dumps(kept))
        beside.replace(self._file)


def _matches(pressing: list[Read], read: Read) -> int:
    known = {(number, sums.sum) for one in pressing for number, sums in one.tracks.items()}
    return sum((number, sums.sum) in known for number, sums in read.tracks.items())


def _told(pressing: list[Read]) -> dict[str, Any]:
    tracks: dict[int, dict[str, dict[str, Any]]] = {}
    for read in pressing:
        for number, sums in read.tracks.items():
            one = tracks.setdefault(number, {}).setdefault(sums.sum, {"sum": sums.sum, "reads": 0, "wholes": {}})
            one["reads"] += 1
            one["wholes"][sums.whole] = one["wholes"].get(sums.whole, 0) + 1
    return {"reads": len(pressing), "tracks": {number: list(sums.values()) for number, sums in tracks.items()}}


def make_app(file: Path | None = None) -> FastAPI:
    """The service; without a file it forgets everything when it ends."""
    app = FastAPI(title="Witness register (simulated)")
    shelf, trouble = Shelf(file), [Trouble()]

    async def suffer() -> None:
        if trouble[0].kind == "down":
            raise HTTPException(503, "out of order")
        if trouble[0].kind == "slow":
            await asyncio.sleep(trouble[0].seconds)

    @app.get("/v1/discs/{digest}")
    async def look_up(digest: Digest) -> JSONResponse:
        await suffer()
        known = shelf.known(digest)
        if trouble[0].kind == "wrong":
            for pressing in known["pressings"]:
                for sums in pressing["tracks"].values():
                    sums[0]["reads"] = pressing["reads"] + 1
        return JSONResponse(known)

    @app.post("/v1/discs/{digest}/reads", status_code=201)
    async def submit(digest: Digest, read: Read) -> dict[str, str]:
        await suffer()
        shelf.add(digest, read)
        return {"kept": digest}

    @app.put("/trouble")
    async def set_trouble(asked: Trouble) -> Trouble:
        trouble[0] = asked
        return asked

    return app


def main(port: int = 8431, file: Path | None = None) -> None:
    uvicorn.run(make_app(file), host="127.0.0.1", port=port, log_level="warning")


if __name__ == "__main__":
    typer.run(main)
