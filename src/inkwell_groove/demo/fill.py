"""Puts the demo archive on the shelf, through the API, as an archivist would: dockets, recordings, titles, covers."""

from __future__ import annotations

import time
from pathlib import Path
from typing import Any

import httpx

from inkwell_groove.demo.archive import RELEASE, side_name
from inkwell_groove.demo.sides import LANTERNS

_CHUNK_BYTES = 8 << 20


def fill(archive: Path, address: str) -> None:
    """Raises httpx.HTTPStatusError with the refusal's text."""
    with httpx.Client(base_url=f"{address}/api", timeout=60) as api:
        docket = _json(api.post("/dockets", json={"shelfmark": LANTERNS[0].shelfmark, "carrier_format": "LP"}))
        for script, side in zip(LANTERNS, docket["carriers"][0]["sides"], strict=True):
            send(api, docket["id"], archive / f"{side_name(script)}.flac", side["id"])
        wait_for_jobs(api)
        # The sleeve lists five tracks a side; two of side B run together, which only a count tells.
        for side in docket["carriers"][0]["sides"]:
            _json(api.post(f"/sides/{side['id']}/find-tracks", json={"count": 5}))
        wait_for_jobs(api)
        docket = _json(api.get(f"/dockets/{docket['id']}"))
        titles = iter(tune.title for script in LANTERNS for tune in script.tunes)
        tracks = {
            line["key"]: {"title": next(titles)} for side in docket["carriers"][0]["sides"] for line in side["tracks"]
        }
        _json(api.patch(f"/dockets/{docket['id']}/description", json={"release": RELEASE, "tracks": tracks}))
        cover = archive / f"{LANTERNS[0].shelfmark} front.jpg"
        _json(api.post(f"/dockets/{docket['id']}/artwork", params={"name": cover.name}, content=cover.read_bytes()))


def send(api: httpx.Client, docket_id: int, recording: Path, side_id: int | None = None) -> None:
    """Uploads a recording piece by piece."""
    size = recording.stat().st_size
    body = {"name": recording.name, "size_bytes": size, "side_id": side_id}
    upload = _json(api.post(f"/dockets/{docket_id}/uploads", json=body))
    with recording.open("rb") as file:
        offset = 0
        while chunk := file.read(_CHUNK_BYTES):
            _json(api.patch(f"/uploads/{upload['id']}", content=chunk, headers={"Upload-Offset": str(offset)}))
            offset += len(chunk)


def wait_for_jobs(api: httpx.Client, *, patience_s: float = 120.0) -> None:
    """Until no job waits or runs. Raises RuntimeError for one that failed, or after `patience_s`."""
    until = time.monotonic() + patience_s
    while time.monotonic() < until:
        jobs = _json(api.get("/jobs"))
        failed = [job for job in jobs if job["state"] == "failed"]
        if failed:
            raise RuntimeError(f"{failed[0]['kind']} of {failed[0]['subject']} failed: {failed[0]['failure']['what']}")
        if all(job["state"] in ("done", "cancelled") for job in jobs):
            return
        time.sleep(0.1)
    raise RuntimeError(f"jobs still run after {patience_s:.0f} s")


def _json(answer: httpx.Response) -> Any:
    if answer.is_error:
        raise httpx.HTTPStatusError(answer.text, request=answer.request, response=answer)
    return answer.json()
