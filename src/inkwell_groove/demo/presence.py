"""Whether the demo archive is made and on the shelf: asked at every start, so it loads nothing that takes time."""

from __future__ import annotations

from pathlib import Path

import httpx

VERSION = "5"
SHELFMARKS = ("WH-0012", "WH-0031", "WH-0044", "WH-0057", "WH-0103", "WH-0104", "WH-0118", "WH-0122")
VERSION_FILE = "version.txt"


def version(*, full_length: bool) -> str:
    return f"{VERSION}{' full length' if full_length else ''}"


def is_made(folder: Path, *, full_length: bool) -> bool:
    """Whether the archive lies in `folder`, in this version and length."""
    marker = folder / VERSION_FILE
    return marker.is_file() and marker.read_text() == version(full_length=full_length)


def not_on_shelf(address: str) -> list[str]:
    """The archive's shelfmarks that the application at `address` has no docket for."""
    answer = httpx.get(f"{address}/api/v1/dockets", timeout=60).raise_for_status()
    there = {line["shelfmark"] for line in answer.json()}
    return [mark for mark in SHELFMARKS if mark not in there]
