"""The demo's messy folder, surveyed and listened to as it comes: which of its faults are found, and what beyond them.

What was planted is said here by hand, from the words of `demo/imports.py`; a check not named is to find nothing.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from pathlib import Path

from inkwell_groove.demo.imports import write_imports
from launcher.database import Database
from tests.live import Server, new_schema

Is = Callable[[str], bool]


def _below(*folders: str) -> Is:
    return lambda path: path.startswith(folders)


LANTERNS, TOLLGATE, HARBOUR, PRELUDES, UNSORTED = (
    _below("lanterns_on_the_weir/"),
    _below("TOLLGATE SISTERS (rip)/"),
    _below("Harbour Lights CD"),
    _below("preludes/"),
    _below("unsorted/"),
)


def KILN(path: str) -> bool:  # noqa: N802 - one of the folder's parts, as those above
    return "Kiln Lane Tapes" in path


def BROKEN(path: str) -> bool:  # noqa: N802
    return path.endswith("broken.flac")


def _any(*kinds: Is) -> Is:
    return lambda path: any(one(path) for one in kinds)


def _planted(says_nothing: set[str]) -> dict[str, Is]:
    """By check, which files are to be found. `says_nothing` are those that call themselves Track 01."""

    def every(path: str) -> bool:
        return not BROKEN(path)

    def unsorted(path: str) -> bool:
        return UNSORTED(path) and every(path)

    def untagged(path: str) -> bool:
        return unsorted(path) and path not in says_nothing and not KILN(path)

    return {
        "missing track_number": _any(LANTERNS, HARBOUR, unsorted),
        "missing title": untagged,
        "missing artist": _any(untagged, KILN),
        "missing album": _any(untagged, KILN),
        "missing album_artist": every,
        "missing date": _any(LANTERNS, unsorted),
        "says nothing": lambda path: path in says_nothing,
        "titles hold more": _any(LANTERNS, TOLLGATE, HARBOUR, PRELUDES),
        "writing": _any(LANTERNS, TOLLGATE, PRELUDES, KILN),
        "sort names": _any(TOLLGATE, PRELUDES, lambda path: HARBOUR(path) and not re.search(r"/0[147] ", path)),
        "spellings": TOLLGATE,
        "clash of date": HARBOUR,
        "clash of genre": HARBOUR,
        "discs in names": HARBOUR,
        "no picture": _any(HARBOUR, unsorted),
        "picture not embedded": LANTERNS,
        "picture not beside": _any(LANTERNS, TOLLGATE, PRELUDES),
        "pictures too large": PRELUDES,
        "picture too small": TOLLGATE,
        "pictures not square": LANTERNS,
        "silence at the end": KILN,
        "loudness not measured": every,
        "same sound": lambda path: path.endswith("High Causeway.flac"),
        "unreadable": BROKEN,
    }


def run(folder: Path) -> Iterator[str]:
    root = write_imports(folder / "archive").parent
    database = Database(folder / "mariadb")
    database.ensure_running()
    try:
        with Server(new_schema(database), folder / "media", INKWELL_FILES_ROOT=str(root)) as server:
            server.post("/bundles", {"folder": "untitled imports", "in_place": True})
            server.wait_for_jobs()
            for ask in ("/survey", "/survey/analyse", "/duplicates/compare"):
                server.post(ask)
                server.wait_for_jobs(patience_s=300)
            yield from _told(server)
    finally:
        database.stop()


def _told(server: Server) -> Iterator[str]:
    rows = server.get("/sheet", bundle=[1])["rows"]
    paths = {row["path"] for row in rows}
    planted = _planted({row["path"] for row in rows if row["fields"].get("title") == "Track 01"})
    found = {one["name"]: _files(server, one["name"]) for one in server.get("/survey")["checks"]}
    hits = wanted_in_all = shown_in_all = 0
    yield f"{len(paths)} files; by check: files planted, found of them, found beyond them, precision and recall"
    for check in sorted({*planted, *found}):
        wanted = {path for path in paths if check in planted and planted[check](path)}
        shown = found.get(check, set())
        hits += len(wanted & shown)
        wanted_in_all += len(wanted)
        shown_in_all += len(shown)
        missed = f", missed {sorted(wanted - shown)[:3]}" if wanted - shown else ""
        beyond = f", beyond {sorted(shown - wanted)[:3]}" if shown - wanted else ""
        precise, recalled = len(wanted & shown) / max(1, len(shown)), len(wanted & shown) / max(1, len(wanted))
        yield (
            f"{check:22} {len(wanted):3} {len(wanted & shown):3} {len(shown - wanted):3}  {precise:.3f} {recalled:.3f}"
            f"{missed}{beyond}"
        )
    yield f"in all: precision {hits / max(1, shown_in_all):.3f}, recall {hits / wanted_in_all:.3f}"
    sets = [
        sorted(copy["name"] for copy in one["copies"])
        for one in server.get("/duplicates")["sets"]
        if one["kind"] in ("same sound", "same recording")
    ]
    yield f"taken for one recording: {sets}"


def _files(server: Server, check: str) -> set[str]:
    """Every file that any finding of a check is about: the collection is asked, which knows them all."""
    found = server.get("/collection", finding=check, most=500)
    return {one["place"] for one in found["found"]}
