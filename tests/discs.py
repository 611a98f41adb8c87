"""Disc images for tests: seeded noise, music with a hidden opening, and a register that knows it."""

from __future__ import annotations

import json
import socket
import threading
import time
from collections.abc import Sequence
from pathlib import Path

import httpx
import numpy as np
import uvicorn

from inkwell_groove.core.disc.image import DiscImage
from inkwell_groove.core.disc.toc import SAMPLES_PER_FRAME
from inkwell_groove.core.frames import msf
from inkwell_groove.demo.discs import DiscScript, write_disc
from inkwell_groove.demo.tunes import Tune
from inkwell_groove.standins.witness_register import make_app
from tests.patience import PATIENCE_S
from tests.plain import PLAIN

HIDDEN = DiscScript(
    name="D-1",
    title="Two Tides",
    performer="The Test Trio",
    barcode="4006381333931",
    isrc="GBTST26010",
    tunes=(Tune("Ebb", 4, 1, 120, 3), Tune("Flood", 5, 2, 100, 5), Tune("Slack", 4, 3, 90, 0)),
    opening=Tune("Hidden opening", 3, 4, 84, 8),
    opening_frames=300,
    gaps=(2,),
    scratches=((2, 0.5, 20),),
    reads=6,
    other_pressing=2,
)


def noise(frames: int, seed: int) -> np.ndarray:
    """Return (samples, 2) int16 noise, loud enough that no two frames are alike."""
    rng = np.random.default_rng(seed)
    return rng.integers(-20_000, 20_001, (frames * SAMPLES_PER_FRAME, 2)).astype("<i2")


def write_image(
    folder: Path,
    starts: Sequence[int],
    frames: int,
    *,
    gaps: dict[int, int] | None = None,
    seed: int = 1,
    silent: Sequence[tuple[int, int]] = (),
    more: str = "",
) -> Path:
    """A disc whose tracks start at these frames. `gaps` are frames before a track, by number; `silent` are stretches
    [first, end) of digital silence; `more` goes below the last track. Returns the sheet.
    """
    audio = noise(frames, seed)
    for first, end in silent:
        audio[first * SAMPLES_PER_FRAME : end * SAMPLES_PER_FRAME] = 0
    (folder / "disc.bin").write_bytes(audio.tobytes())
    lines = ['FILE "disc.bin" BINARY']
    for number, start in enumerate(starts, start=1):
        lines += [f"  TRACK {number:02} AUDIO", f'    TITLE "Number {number}"']
        gap = (gaps or {}).get(number, start if number == 1 else 0)
        if gap:
            lines.append(f"    INDEX 00 {msf(start - gap)}")
        lines.append(f"    INDEX 01 {msf(start)}")
    sheet = folder / "disc.cue"
    sheet.write_text("\n".join(lines) + "\n" + more)
    return sheet


def whole(image: DiscImage) -> np.ndarray:
    """Return all samples of an image, (samples, 2)."""
    return image.read(0, image.toc.lead_out * SAMPLES_PER_FRAME)


def lay_out(folder: Path) -> Path:
    """Discs D-1 (HIDDEN, scratched), D-2 (noise, unknown to all) and one that is none; the register's file."""
    _, known = write_disc(HIDDEN, folder)
    plain = folder / "plain"
    plain.mkdir()
    sheet = write_image(plain, (0, 80, 160), 240, gaps={2: 10}, seed=3)
    (folder / "D-2.cue").write_text(sheet.read_text().replace("disc.bin", "D-2.bin"))
    (plain / "disc.bin").rename(folder / "D-2.bin")
    (folder / "bad.cue").write_text('FILE "gone.bin" BINARY\n  TRACK 01 AUDIO\n    INDEX 01 00:00:00\n')
    register = plain / "register.json"
    register.write_text(json.dumps(known))
    return register


class Running:
    """The simulated register in a thread of this process, on its own port."""

    def __init__(self, file: Path | None = None) -> None:
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            self.port = free.getsockname()[1]
        config = uvicorn.Config(make_app(file), host="127.0.0.1", port=self.port, log_level="error")
        self._server = uvicorn.Server(config)
        self._thread = threading.Thread(target=self._server.run, daemon=True)
        self._thread.start()
        while not self._server.started:
            time.sleep(0.01)
        self.address = f"http://127.0.0.1:{self.port}"

    def trouble(self, kind: str, seconds: float = 30.0) -> None:
        httpx.put(f"{self.address}/trouble", json={"kind": kind, "seconds": seconds}, verify=PLAIN).raise_for_status()

    def stop(self) -> None:
        self._server.should_exit = True
        self._thread.join(PATIENCE_S)
