"""Union Shelf Catalogue, simulated: library records, with works, dates and filing names; listed from a place on."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from fastapi import FastAPI, HTTPException, Query
from fastapi.responses import FileResponse

from inkwell_groove.core.matching.release import Credit, SourceRelease
from inkwell_groove.standins.holdings import Holdings
from inkwell_groove.standins.service import simulated

MOST = 25


def make_app(holdings: Holdings, pictures: Path, *, latency_s: float = 0.08) -> FastAPI:
    app = simulated("Union Shelf Catalogue", latency_s=latency_s, burst=20, per_s=10)

    @app.get("/records")
    async def search(
        publisher_number: str = "",
        ean: str = "",
        words: str = "",
        start: int = Query(default=0, ge=0),
        count: int = Query(default=10, ge=1, le=MOST),
    ) -> dict[str, Any]:
        if ean:
            found = holdings.by_barcode(ean)
        elif publisher_number:
            found = holdings.by_number(publisher_number)
        else:
            found = holdings.by_words(words)
        records = [_record(holdings.by_id[one]) for one in found[start : start + count]]
        return {"hits": len(found), "start": start, "records": records}

    @app.get("/records/{name}")
    async def record(name: str) -> dict[str, Any]:
        if name not in holdings.by_id:
            raise HTTPException(404, "no such record")
        return _record(holdings.by_id[name])

    @app.get("/covers/{name}")
    async def cover(name: str) -> FileResponse:
        path = pictures / Path(name).name
        if not path.is_file():
            raise HTTPException(404, "no such cover")
        return FileResponse(path)

    return app


def _record(one: SourceRelease) -> dict[str, Any]:
    return {
        "control": one.id,
        "main_entry": [_name(person) for person in one.credits],
        "title_proper": one.title,
        "imprint": {
            "publishers": list(one.labels),
            "place": one.country,
            "date": one.date,
            "first": one.original_date,
        },
        "numbers": list(one.catalogue_numbers),
        "ean": one.barcode,
        "tongue": one.language,
        "subjects": list(one.genres),
        "extent": [medium.format for medium in one.media],
        "live": one.live,
        "collection": one.compilation,
        "note": one.notes,
        "contents": [
            {
                "carrier": place,
                "part": track.position,
                "title": track.title,
                "seconds": None if track.duration_s is None else round(track.duration_s),
                "names": [_name(person) for person in track.credits],
                "work": track.work,
                "movement": track.movement,
                "isrc": track.isrc,
                "first": track.original_date,
            }
            for place, medium in enumerate(one.media)
            for track in medium.tracks
        ],
        "sides": [medium.side for medium in one.media],
        "see_also": list(one.links),
        "cover": [
            {"file": art.address, "w": art.width_px, "h": art.height_px, "bytes": art.size_bytes} for art in one.art
        ],
    }


def _name(person: Credit) -> dict[str, str]:
    return {"heading": person.sort_name, "as_given": person.name, "function": person.role, "medium": person.instrument}
