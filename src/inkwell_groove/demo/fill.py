"""Puts the demo archive on the shelf, through the API, as an archivist would: dockets, recordings, titles, covers."""

from __future__ import annotations

import time
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import httpx

from inkwell_groove.demo.archive import RELEASE, side_name
from inkwell_groove.demo.sides import LANTERNS

_CHUNK_BYTES = 8 << 20


CHAINS = (
    {
        "name": "Records, main deck",
        "deck": "Direct-drive turntable, deck 1",
        "stylus": "moving magnet, elliptical 5 x 18 um",
        "speed": "33 1/3 or 45 rpm",
        "equalisation": "IEC 60098",
        "preamp": "Phono stage 2",
        "interface": "Two-channel converter, rack 1",
    },
    {
        "name": "Cassettes, deck 3",
        "deck": "Three-head cassette deck, deck 3",
        "stylus": "replay head, azimuth as found",
        "speed": "4.76 cm/s",
        "equalisation": "120 us",
        "interface": "Two-channel converter, rack 1",
    },
)

# What the shelf says of the carriers that are still to be recorded; lengths in seconds, as on labels and inlays.
TO_RECORD: dict[str, dict[str, Any]] = {
    "WH-0031": {
        "format": "7-inch single",
        "release": {
            "album_artist": "The Tollgate Sisters",
            "title": "Slack Water / Paper Oars",
            "label": "Quayhead",
            "catalogue_number": "QHS 44",
            "year": "1968",
        },
        "carrier": {"condition": "Side A: one scratch across the first third.", "equalisation": "IEC 60098"},
        "lengths_s": [44, 39],
    },
    "WH-0044": {
        "format": "10-inch shellac",
        "release": {
            "album_artist": "Ephraim Duckett",
            "title": "Bellows Reel",
            "label": "Corrin",
            "catalogue_number": "2218",
            "year": "1931",
        },
        "carrier": {"condition": "Grey throughout, heavy crackle; no crack.", "equalisation": "250/0"},
        "lengths_s": [30, 27],
    },
    "WH-0057": {
        "format": "Cassette",
        "release": {"album_artist": "various, field recordings", "title": "Kiln Lane Tapes", "year": "1986"},
        "carrier": {
            "tape_type": "Type I",
            "noise_reduction": "none",
            "playing_order": "both sides in one take (auto-reverse)",
            "condition": "Pressure pad loose; plays.",
        },
        "lengths_s": [53, 33],
    },
}


# Compact discs are put in and read; what is on the sleeve and not on the disc is typed.
DISCS: dict[str, dict[str, Any]] = {
    "WH-0103": {"carriers": 1, "release": {"label": "Fathomline", "catalogue_number": "FL 019", "year": "1998"}},
    "WH-0104": {"carriers": 1, "release": {"label": "Fathomline", "catalogue_number": "FL 027", "year": "2001"}},
    "WH-0118": {
        "carriers": 2,
        "release": {
            "album_artist": "various artists",
            "title": "Harbour Lights: Songs from the Ferry",
            "label": "Gull & Crane",
            "catalogue_number": "GC 5-6",
            "year": "2003",
        },
    },
    "WH-0122": {"carriers": 1, "release": {"label": "Fathomline", "catalogue_number": "FLC 003", "year": "1995"}},
}


def fill(archive: Path, address: str, shelfmarks: Sequence[str]) -> None:
    """Puts these of the archive's dockets on the shelf. Raises httpx.HTTPStatusError with the refusal's text."""
    with httpx.Client(base_url=f"{address}/api/v1", timeout=60) as api:
        if not _json(api.get("/chains")):
            for chain in CHAINS:
                _json(api.post("/chains", json=chain))
        for shelfmark in shelfmarks:
            if shelfmark in DISCS:
                lay_out_disc(api, shelfmark, **DISCS[shelfmark])
            elif shelfmark in TO_RECORD:
                lay_out(api, shelfmark, **TO_RECORD[shelfmark])
            else:
                record_lanterns(api, archive)
        bring_in_files(api)


def bring_in_files(api: httpx.Client) -> None:
    """Copies of the folders that somebody else tagged, looked at by the survey, listened to and compared."""
    if _json(api.get("/bundles")):
        return
    for folder in _json(api.get("/files/folders")):
        if "/" not in folder["name"]:
            _json(api.post("/bundles", json={"folder": folder["name"]}))
    wait_for_jobs(api)
    for ask in ("/survey", "/survey/analyse", "/duplicates/compare"):
        _json(api.post(ask))
        wait_for_jobs(api)


def lay_out(
    api: httpx.Client,
    shelfmark: str,
    *,
    format: str,
    release: dict[str, str],
    carrier: dict[str, str],
    lengths_s: Sequence[float],
) -> None:
    """A docket for a carrier that lies beside its deck."""
    docket = _json(api.post("/dockets", json={"shelfmark": shelfmark, "carrier_format": format}))
    first = docket["carriers"][0]
    expected = {side["id"]: length for side, length in zip(first["sides"], lengths_s, strict=True)}
    _json(api.patch(f"/carriers/{first['id']}", json={**carrier, "expected_s": expected}))
    _json(api.patch(f"/dockets/{docket['id']}/description", json={"release": release}))


def lay_out_disc(api: httpx.Client, shelfmark: str, *, carriers: int, release: dict[str, str]) -> None:
    """A docket for compact discs that are still to be read."""
    body = {"shelfmark": shelfmark, "carrier_format": "CD", "carriers": carriers}
    docket = _json(api.post("/dockets", json=body))
    _json(api.patch(f"/dockets/{docket['id']}/description", json={"release": release}))


def record_lanterns(api: httpx.Client, archive: Path) -> None:
    """The docket whose sides were recorded elsewhere and are brought as files."""
    docket = _json(api.post("/dockets", json={"shelfmark": LANTERNS[0].shelfmark, "carrier_format": "LP"}))
    for script, side in zip(LANTERNS, docket["carriers"][0]["sides"], strict=True):
        send(api, docket["id"], archive / f"{side_name(script)}.flac", side["id"])
    wait_for_jobs(api)
    # The sleeve gives their durations, to the second; two of side B run together, which only those tell.
    for script, side in zip(LANTERNS, docket["carriers"][0]["sides"], strict=True):
        durations = [round(tune.duration_s) for tune in script.tunes]
        _json(api.post(f"/sides/{side['id']}/find-tracks", json={"durations_s": durations}))
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
