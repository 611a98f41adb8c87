"""Whether the demo archive is made and on the shelf: asked at every start, so it loads nothing that takes time."""

from __future__ import annotations

from pathlib import Path

import httpx

VERSION = "1"
FIRST_SHELFMARK = "WH-0012"
VERSION_FILE = "version.txt"


def version(*, full_length: bool) -> str:
    return f"{VERSION}{' full length' if full_length else ''}"


def is_made(folder: Path, *, full_length: bool) -> bool:
    """Whether the archive lies in `folder`, in this version and length."""
    marker = folder / VERSION_FILE
    return marker.is_file() and marker.read_text() == version(full_length=full_length)


def is_on_shelf(address: str) -> bool:
    """Whether the application at `address` has the archive's first docket."""
    found = (
        httpx.get(f"{address}/api/dockets", params={"search": FIRST_SHELFMARK}, timeout=60).raise_for_status().json()
    )
    return any(line["shelfmark"] == FIRST_SHELFMARK for line in found)
