"""Short carriers for the simulated decks, with known positions of the music."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import numpy.typing as npt
import soundfile

RATE_HZ = 48_000
TURN_S = 1.8


def groove(
    seed: int, *, lead_in_s: float = 2.0, music_s: float = 6.0, run_out_s: float = 16.0, hiss_dbfs: float = -58.0
) -> tuple[npt.NDArray[np.int32], int, int]:
    """Return a side as left-justified 24-bit samples, the first sample of music and that of the run-out.

    Music is three notes over the hiss of the groove, and begins at once and loudly; the run-out ticks once a turn.
    """
    rng = np.random.default_rng(seed)
    lead, music, out = (round(s * RATE_HZ) for s in (lead_in_s, music_s, run_out_s))
    total = lead + music + out
    audio = 10 ** (hiss_dbfs / 20) * rng.standard_normal((total, 2))
    t = np.arange(round(0.2 * RATE_HZ)) / RATE_HZ
    audio[: len(t)] += (0.3 * np.sin(2 * np.pi * 30 * t) * np.exp(-t * 25))[:, None]
    t = np.arange(music) / RATE_HZ
    notes = sum(np.sin(2 * np.pi * hz * (1 + seed / 50) * t + hz) for hz in (330, 440, 554, 1320))
    # Strengths that never repeat, so that a take of it can be recognised; the first note is loud.
    strengths = np.concatenate(([1.0], rng.uniform(0.35, 1.0, int(music_s * 5) + 2)))
    shape = np.interp(t * 5, np.arange(len(strengths)), strengths)
    audio[lead : lead + music] += (0.11 * notes * shape)[:, None]
    tick = np.exp(-np.arange(400) / 60) * 0.05
    for at in np.arange(lead + music + 0.3 * RATE_HZ, total - 500, TURN_S * RATE_HZ):
        audio[round(at) : round(at) + 400] += tick[:, None]
    whole = np.rint(np.clip(audio, -1, 1 - 2**-23) * 2**23).astype(np.int32) << 8
    return whole, lead, lead + music


def write_carrier(
    folder: Path, shelfmark: str, *, kind: str = "record", played_at: str = "33 1/3", music_s: float = 6.0
) -> Path:
    """Write a record of two sides, or a cassette with both sides in one file, for the simulated decks."""
    folder.mkdir(parents=True, exist_ok=True)
    sides = []
    for index, letter in enumerate("AB" if kind == "record" else "A"):
        samples, _, run_out = groove(index + 1, music_s=music_s)
        name = f"{shelfmark} {letter}.flac"
        soundfile.write(str(folder / name), samples, RATE_HZ, subtype="PCM_24")
        sides.append({"letter": letter, "file": name, "run_out_sample": run_out})
    told = {"shelfmark": shelfmark, "name": shelfmark, "kind": kind, "played_at": played_at, "sides": sides}
    (folder / f"{shelfmark}.carrier.json").write_text(json.dumps(told))
    return folder
