"""Recordings of any length, made block by block: noise, which no codec can make light work of."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import soundfile

RATE_HZ = 96_000


def recording(folder: Path, minutes: float, *, form: str = "RF64") -> Path:
    """96 kHz, 24 bit, stereo; made once."""
    path = folder / f"{minutes:g} minutes.{form.lower()}"
    if path.exists():
        return path
    rng = np.random.default_rng(7)
    with soundfile.SoundFile(path, "w", RATE_HZ, 2, "PCM_24", format=form) as file:
        for _ in range(round(minutes * 6)):
            block = rng.integers(-(2**22), 2**22, (10 * RATE_HZ, 2), dtype=np.int32)
            file.write(block << 8)
    return path
