"""Meridian Discography, simulated: knows pressings, by number, barcode, words and lengths, a page at a time."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from fastapi import FastAPI, HTTPException, Query
from fastapi.responses import FileResponse

from inkwell_groove.core.matching.release import SourceRelease
from inkwell_groove.standins.holdings import Holdings
from inkwell_groove.standins.service import simulated

PAGE = 10


def make_app(holdings: Holdings, pictures: Path, *, latency_s: float = 0.05) -> FastAPI:
    app = simulated("Meridian Discography", latency_s=latency_s, burst=40, per_s=20)

    @app.get("/releases")
    async def search(
        number: str = "",
        barcode: str = "",
        artist: str = "",
        title: str = "",
        lengths: str = "",
        page: int = Query(default=1, ge=1),
    ) -> dict[str, Any]:
        if barcode:
            found = holdings.by_barcode(barcode)
        elif number:
            found = holdings.by_number(number)
        elif lengths:
            found = holdings.by_lengths([float(one) for one in lengths.split(",")])
        else:
            found = holdings.by_words(artist, title)
        shown = found[(page - 1) * PAGE : page * PAGE]
        return {
            "page": page,
            "pages": max(1, -(-len(found) // PAGE)),
            "total": len(found),
            "releases": [_line(holdings.by_id[one]) for one in shown],
        }

    @app.get("/releases/{name}")
    async def release(name: str) -> dict[str, Any]:
        if name not in holdings.by_id:
            raise HTTPException(404, "no such release")
        return _whole(holdings.by_id[name])

    @app.get("/pictures/{name}")
    async def picture(name: str) -> FileResponse:
        path = pictures / Path(name).name
        if not path.is_file():
            raise HTTPException(404, "no such picture")
        return FileResponse(path)

    return app


def _line(one: SourceRelease) -> dict[str, Any]:
    return {"id": one.id, "artist": one.artist, "title": one.title, "year": one.date[:4], "format": one.formats[0]}


def _whole(one: SourceRelease) -> dict[str, Any]:
    return {
        **_line(one),
        "credited": [person.model_dump(exclude_defaults=True) for person in one.credits],
        "labels": [
            {"name": label, "number": number}
            for label, number in zip(one.labels * len(one.catalogue_numbers), one.catalogue_numbers, strict=False)
        ],
        "barcode": one.barcode,
        "country": one.country,
        "released": one.date,
        "styles": list(one.genres),
        "runout": one.matrix,
        "remarks": one.notes,
        "compilation": one.compilation,
        "carriers": [
            {
                "kind": medium.format,
                "side": medium.side,
                "tracks": [
                    {
                        "at": track.position,
                        "name": track.title,
                        "time": _clock(track.duration_s),
                        "by": [person.model_dump(exclude_defaults=True) for person in track.credits],
                        "only_here": track.bonus,
                    }
                    for track in medium.tracks
                ],
            }
            for medium in one.media
        ],
        "pictures": [
            {"file": art.address, "shows": art.role, "w": art.width_px, "h": art.height_px, "bytes": art.size_bytes}
            for art in one.art
        ],
    }


def _clock(seconds: float | None) -> str:
    return "" if seconds is None else f"{round(seconds) // 60}:{round(seconds) % 60:02}"
