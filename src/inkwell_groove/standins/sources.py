"""The three simulated sources in one process, each at an address of its own.

python -m inkwell_groove.standins.sources --folder sources --meridian-port 8432 --union-port 8433 --tern-port 8434
"""

from __future__ import annotations

import asyncio
import json
from pathlib import Path
from typing import Any

import numpy as np
import typer
import uvicorn
from fastapi import FastAPI

from inkwell_groove.core.fingerprint.index import FingerprintIndex
from inkwell_groove.core.matching.release import SourceRelease
from inkwell_groove.standins import meridian, tern, union_shelf
from inkwell_groove.standins.holdings import Holdings, Recorded


def make_apps(folder: Path, *, meridian_at: str) -> tuple[FastAPI, FastAPI, FastAPI]:
    """Meridian, Union Shelf and Tern over what lies in `folder`; links between them lead to `meridian_at`."""
    told: dict[str, Any] = json.loads((folder / "holdings.json").read_text())
    held = {
        name: [SourceRelease.model_validate(_linked(one, meridian_at)) for one in told[name]]
        for name in ("meridian", "union", "tern")
    }
    with np.load(folder / "sounds.npz") as kept:
        sounds = FingerprintIndex({int(name): kept[name] for name in kept.files})
    recordings = [Recorded.model_validate(one) for one in told["recordings"]]
    pictures = folder / "pictures"
    index = Holdings(held["tern"], discs=told["discs"], recordings=recordings, sounds=sounds)
    return (
        meridian.make_app(Holdings(held["meridian"]), pictures),
        union_shelf.make_app(Holdings(held["union"]), pictures),
        tern.make_app(index),
    )


def _linked(one: dict[str, Any], meridian_at: str) -> dict[str, Any]:
    links = [f"{meridian_at}/releases/{link.rsplit('/', 1)[1]}" for link in one.get("links", ())]
    return {**one, "links": links}


async def serve(apps: tuple[FastAPI, ...], ports: tuple[int, ...]) -> None:
    servers = [
        uvicorn.Server(uvicorn.Config(app, host="127.0.0.1", port=port, log_level="warning"))
        for app, port in zip(apps, ports, strict=True)
    ]
    await asyncio.gather(*(server.serve() for server in servers))


def main(folder: Path, meridian_port: int = 8432, union_port: int = 8433, tern_port: int = 8434) -> None:
    apps = make_apps(folder, meridian_at=f"http://127.0.0.1:{meridian_port}")
    asyncio.run(serve(apps, (meridian_port, union_port, tern_port)))


if __name__ == "__main__":
    typer.run(main)
