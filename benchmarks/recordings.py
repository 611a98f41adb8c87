"""Recordings of any length, made block by block: noise, which no codec can make light work of, and sides of records."""

from __future__ import annotations

from functools import cache
from pathlib import Path

import numpy as np
import numpy.typing as npt
import soundfile
from scipy import signal

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


def side(folder: Path, minutes: int) -> Path:
    """96 kHz, 24 bit, stereo, as a record sounds: tones that come and go over noise that falls with frequency.

    Every minute is like the first, which no coder of audio notices. FLAC makes 58 % of it, as of most music at this
    rate and word length (common practice).
    """
    path = folder / f"side of {minutes} minutes.wav"
    if not path.exists():
        minute = _a_minute()
        with soundfile.SoundFile(path, "w", RATE_HZ, 2, "PCM_24", format="WAVEX") as file:
            for _ in range(minutes):
                file.write(minute)
    return path


@cache
def _a_minute() -> npt.NDArray[np.int32]:
    seconds = np.arange(60 * RATE_HZ)[:, None] / RATE_HZ
    hiss = np.random.default_rng(7).standard_normal((len(seconds), 2))
    sound = 3e-4 * hiss + 0.03 * signal.sosfilt(signal.butter(1, 400, fs=RATE_HZ, output="sos"), hiss, axis=0)
    for hz, amplitude in ((220, 0.2), (277.2, 0.15), (330.6, 0.1), (441, 0.05), (1323, 0.02), (3970, 0.01)):
        swell = 1 + np.sin(2 * np.pi * seconds * hz / np.array([400, 410]))
        sound += amplitude / 2 * swell * np.sin(2 * np.pi * hz * seconds + np.array([0, 0.3]))
    return np.rint(sound * 2**22).astype(np.int32) << 8
