"""Ten thousand files on the sheet: opened, a replace worked out, written, taken back to the byte."""

from __future__ import annotations

import hashlib
import shutil
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
from playwright.sync_api import sync_playwright

from inkwell_groove.core.files.writing import Change, write
from inkwell_groove.demo.encoding import encode
from inkwell_groove.demo.tunes import Tune, play
from launcher.database import Database
from tests.live import Server, new_schema

FILES = 10_000


def run(folder: Path) -> Iterator[str]:
    """Lines to print."""
    source = folder / "many"
    size = _make(source)
    before = _digests(source)
    database = Database(folder / "mariadb")
    database.ensure_running()
    try:
        with Server(new_schema(database), folder / "media", INKWELL_FILES_ROOT=str(folder)) as server:
            began = time.perf_counter()
            bundle = server.post("/bundles", {"folder": "many", "in_place": True})["id"]
            server.wait_for_jobs(patience_s=600)
            took = time.perf_counter() - began
            yield f"{FILES:,} FLACs of {size / FILES / 1000:.0f} kB brought in at {FILES / took:.0f} files/s"
            yield from _looked_at(server, bundle)
            yield from _on_the_screen(server, bundle)
            yield from _written(server, bundle, source, before)
    finally:
        database.stop()


def _looked_at(server: Server, bundle: int) -> Iterator[str]:
    times = []
    for _ in range(3):
        began = time.perf_counter()
        answer = server.api.get("/sheet", params={"bundle": bundle})
        times.append(time.perf_counter() - began)
    rows = answer.json()["rows"]
    yield f"the sheet's {len(rows):,} rows sent in {min(times):.2f} s ({len(answer.content) / 1e6:.1f} MB)"
    ids = [row["id"] for row in rows]
    rule = {"fields": ["title"], "steps": [{"do": "replace", "find": "Weir", "by": "Sluice", "how": "word"}]}
    began = time.perf_counter()
    proposed = server.post("/sheet/reword", {"file_ids": ids, "rules": [rule]})
    yield f"a replace worked out over all in {time.perf_counter() - began:.2f} s: {len(proposed['changes']):,} cells"
    changes = [{"file_id": one["file_id"], "field": one["field"], "value": one["after"]} for one in proposed["changes"]]
    began = time.perf_counter()
    server.api.patch("/sheet", json={"changes": changes})
    yield f"kept, unwritten, in {time.perf_counter() - began:.2f} s"


def _on_the_screen(server: Server, bundle: int) -> Iterator[str]:
    """The real interface: from the address to the first rows, and from a key or a click to the changed sheet."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium-headless-shell")
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(f"{server.address}/files")  # the application itself is loaded once a day
        opened = []
        for _ in range(3):
            began = time.perf_counter()
            page.goto(f"{server.address}/files/sheet?bundle={bundle}")
            page.locator("[data-file]").first.wait_for()
            opened.append(time.perf_counter() - began)
        page.evaluate(_TIMED)
        filtered = [
            page.evaluate("(text) => timed(() => type(text))", text) for text in ("weir 77", "", "title has 9", "")
        ]
        sorts = [
            page.evaluate("(name) => timed(() => column(name))", name) for name in ("Title", "Title", "Track", "File")
        ]
        browser.close()
    yield (
        f"on the screen: open in {min(opened):.2f} s, a filter through in {max(filtered):.0f} ms at most, "
        f"a sort in {max(sorts):.0f} ms"
    )


# From an act to the second frame after the sheet has changed, in milliseconds.
_TIMED = """() => {
    const grid = document.querySelector('[role=grid]');
    window.timed = (act) => new Promise((done) => {
        const began = performance.now();
        const seen = new MutationObserver(() => {
            seen.disconnect();
            requestAnimationFrame(() => requestAnimationFrame(() => done(performance.now() - began)));
        });
        seen.observe(grid, { subtree: true, childList: true, characterData: true });
        act();
    });
    window.type = (text) => {
        const field = document.querySelector('[data-find]');
        Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set.call(field, text);
        field.dispatchEvent(new Event('input', { bubbles: true }));
    };
    window.column = (name) => [...grid.querySelectorAll('[role=columnheader]')]
        .find((one) => one.textContent.startsWith(name)).click();
}"""


def _written(server: Server, bundle: int, source: Path, before: dict[str, str]) -> Iterator[str]:
    began = time.perf_counter()
    step = server.post("/sheet/write", {"bundle_ids": [bundle]})
    step = _ended(server, step["id"])
    took = time.perf_counter() - began
    changed = sum(before[name] != digest for name, digest in _digests(source).items())
    yield f"{step['counts']['done']:,} written in {took:.1f} s, {FILES / took:.0f} files/s; {changed:,} are changed"
    began = time.perf_counter()
    server.post(f"/file-steps/{step['id']}/undo")
    _ended(server, step["id"])
    took = time.perf_counter() - began
    same = _digests(source) == before
    yield f"taken back in {took:.1f} s, {FILES / took:.0f} files/s; every file is what it was, byte for byte: {same}"


def _make(folder: Path) -> int:
    """The same few seconds ten thousand times, each under its own tags, as FLAC with room for more."""
    folder.mkdir()
    left, right = play(Tune("bench", 3.0, 7, 120, 3), 44_100, speed=1.0)
    first = encode(folder / "00000.flac", np.stack([left, right], axis=1).astype(np.float32), 44_100, "flac")
    write(first, Change({"title": "Lanterns on the Weir", "album": "Weir", "artist": "Marrowby Silver Band"}))
    for number in range(1, FILES):
        place = folder / f"{number // 12:04}"
        place.mkdir(exist_ok=True)
        path = Path(shutil.copyfile(first, place / f"{number:05}.flac"))
        write(path, Change({"track_number": str(number % 12 + 1), "title": f"Lanterns on the Weir {number}"}))
    return FILES * first.stat().st_size


def _digests(folder: Path) -> dict[str, str]:
    return {str(path): hashlib.sha256(path.read_bytes()).hexdigest() for path in folder.rglob("*.flac")}


def _ended(server: Server, step_id: int) -> Any:
    while True:
        step = next(one for one in server.get("/file-steps") if one["id"] == step_id)
        if step["state"] not in ("under way", "being taken back"):
            return step
        time.sleep(0.05)
