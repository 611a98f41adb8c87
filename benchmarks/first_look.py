"""From the last byte of an upload to the first sight of the side, with the real server and database."""

from __future__ import annotations

import time
from collections.abc import Iterator
from pathlib import Path

from benchmarks.recordings import recording
from launcher.database import Database
from tests.live import Server, new_schema
from tests.sounds import record_side

_CHUNK_BYTES = 8 << 20


def run(folder: Path) -> Iterator[str]:
    take = recording(folder, 50)
    database = Database(folder / "mariadb")
    database.ensure_running()
    try:
        with Server(new_schema(database), folder / "media") as server:
            record_side(folder / "warm.wav")
            server.upload(server.open_docket("WARM")["id"], folder / "warm.wav")
            server.wait_for_jobs()
            for attempt in range(3):
                seconds, sent_s = _once(server, take, f"BENCH-{attempt}")
                server.wait_for_jobs(patience_s=300)  # finding the tracks of the one before is not measured
                yield (
                    f"50 minutes at 96 kHz/24 ({take.stat().st_size / 1e6:.0f} MB, sent in {sent_s:.1f} s): "
                    f"first waveform {seconds:.2f} s after the last byte"
                )
    finally:
        database.stop()


def _once(server: Server, take: Path, shelfmark: str) -> tuple[float, float]:
    docket = server.open_docket(shelfmark)
    size = take.stat().st_size
    upload = server.post(f"/dockets/{docket['id']}/uploads", {"name": take.name, "size_bytes": size})
    began = time.perf_counter()
    with take.open("rb") as file:
        offset = 0
        while chunk := file.read(_CHUNK_BYTES):
            # Another recording each time: the same one twice is kept once, which is another story.
            marked = chunk[:-1] + shelfmark[-1:].encode()
            server.api.patch(f"/uploads/{upload['id']}", content=marked, headers={"Upload-Offset": str(offset)})
            offset += len(marked)
    sent = time.perf_counter()
    while True:
        side = server.get(f"/dockets/{docket['id']}")["carriers"][0]["sides"][0]
        if side["takes"]:
            take_id = side["takes"][0]["id"]
            index = server.get(f"/takes/{take_id}/peaks")
            level = len(index["blocks"]) - 4
            assert server.api.get(f"/takes/{take_id}/peaks/{level}").content
            return time.perf_counter() - sent, sent - began
        time.sleep(0.01)
