"""How much sooner a divided job ends: `python -m benchmarks.pieces`, with a MariaDB of its own.

A damaged side that we made is scanned at once by one process, and in pieces by a server with so many processes; both
must find the same. Clocks are the wall's, in turns, on the machine as it is.
"""

from __future__ import annotations

import argparse
import os
import statistics
import tempfile
import time
from dataclasses import fields
from pathlib import Path

import numpy as np
import soundfile

from inkwell_groove.core.audio.soundfiles import FileReader
from inkwell_groove.core.restoration.scan import Scan, scan
from launcher.database import Database as MariaDb
from tests.core.restoration.scenes import RATE_HZ, clicked
from tests.live import Server, new_schema


def _side(path: Path, minutes: float) -> Path:
    scene = clicked().take.data
    turns = -(-round(60 * minutes * RATE_HZ) // len(scene))
    soundfile.write(str(path), np.tile(scene, (turns, 1)), RATE_HZ, subtype="PCM_16")
    return path


def _at_once(side: Path) -> tuple[float, Scan]:
    began = time.monotonic()
    with FileReader(side) as reader:
        found = scan(reader)
    return time.monotonic() - began, found


def _in_pieces(server: Server, side_id: int) -> float:
    began = time.monotonic()
    server.post(f"/sides/{side_id}/scan")
    server.wait_for_jobs(patience_s=3_600)
    return time.monotonic() - began


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--minutes", type=float, default=20.0)
    parser.add_argument("--processes", type=int, default=2, help="of the server, and one more for what is quick")
    parser.add_argument("--turns", type=int, default=3)
    wanted = parser.parse_args()
    with tempfile.TemporaryDirectory(prefix="pieces-") as name:
        folder = Path(name)
        side = _side(folder / "side.wav", wanted.minutes)
        mariadb = MariaDb(folder / "mariadb", is_durable=False)
        mariadb.ensure_running()
        try:
            settings = {"INKWELL_WORKERS": str(wanted.processes)}
            with Server(new_schema(mariadb), folder / "media", **settings) as server:
                docket_id = server.open_docket("P-1")["id"]
                server.upload(docket_id, side)
                server.wait_for_jobs(patience_s=3_600)
                found = server.get(f"/dockets/{docket_id}")["carriers"][0]["sides"][0]
                once, pieces = [], []
                for _ in range(wanted.turns):
                    took_s, whole = _at_once(side)
                    once.append(took_s)
                    pieces.append(_in_pieces(server, found["id"]))
                kept = Scan.load(server.media_root / "derived" / found["takes"][0]["sha256"] / "scan")
        finally:
            mariadb.stop()
    assert kept is not None
    same = all(np.array_equal(getattr(kept, one.name), getattr(whole, one.name)) for one in fields(Scan))
    once_s, parts_s = statistics.median(once), statistics.median(pieces)
    print(
        f"{os.cpu_count()} cores: a side of {wanted.minutes:g} min scanned at once in {once_s:.1f} s "
        f"({min(once):.1f} to {max(once):.1f}), in pieces in {parts_s:.1f} s ({min(pieces):.1f} to {max(pieces):.1f}); "
        f"{once_s / parts_s:.2f} times as fast, {'the same' if same else 'NOT THE SAME'} {len(kept)} candidates"
    )


if __name__ == "__main__":
    main()
