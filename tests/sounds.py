"""Short recordings for tests."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import numpy.typing as npt
import soundfile

Integers = npt.NDArray[np.int32]
SUBTYPES = {16: "PCM_16", 24: "PCM_24", 32: "PCM_32"}


def noise(samples: int, channels: int = 2, *, bits: int = 24, seed: int = 1, level: float = 0.25) -> Integers:
    """Return noise as integers of that many bits, left-justified in 32 bits as libsndfile expects."""
    rng = np.random.default_rng(seed)
    whole = np.rint(rng.uniform(-level, level, (samples, channels)) * 2 ** (bits - 1)).astype(np.int64)
    return (whole << (32 - bits)).astype(np.int32)


def write(
    path: Path,
    data: npt.NDArray[np.generic],
    rate_hz: int = 48_000,
    *,
    subtype: str = "PCM_24",
    form: str | None = None,
) -> Path:
    soundfile.write(str(path), data, rate_hz, subtype=subtype, format=form)
    return path


def record_side(
    path: Path,
    *,
    tracks_s: tuple[float, ...] = (12.0, 14.0, 11.0),
    gap_s: float = 2.0,
    rate_hz: int = 44_100,
    seed: int = 3,
) -> list[tuple[int, int]]:
    """Write a side of tones over noise at -60 dBFS as 16-bit WAV; return (start, end) samples of each track."""
    rng = np.random.default_rng(seed)
    pieces, spans, at = [np.zeros(round(3 * rate_hz))], [], round(3 * rate_hz)
    for index, seconds in enumerate(tracks_s):
        t = np.arange(round(seconds * rate_hz)) / rate_hz
        tone = sum(np.sin(2 * np.pi * (220 * (index + 1) * k / 2) * t + k) for k in (2, 3, 4)) * 0.12
        pieces += [tone, np.zeros(round(gap_s * rate_hz))]
        spans.append((at, at + len(t)))
        at += len(t) + round(gap_s * rate_hz)
    mono = np.concatenate(pieces)
    stereo = np.column_stack([mono, mono * 0.9]) + rng.standard_normal((len(mono), 2)) * 0.001
    soundfile.write(str(path), stereo, rate_hz, subtype="PCM_16")
    return spans


def sine(
    frequency_hz: float,
    seconds: float,
    *,
    rate_hz: int = 48_000,
    dbfs: float = 0.0,
    phase_degrees: float = 0.0,
    channels: int = 2,
) -> npt.NDArray[np.float64]:
    t = np.arange(round(seconds * rate_hz)) / rate_hz
    wave = 10 ** (dbfs / 20) * np.sin(2 * np.pi * frequency_hz * t + np.radians(phase_degrees))
    return np.repeat(wave[:, None], channels, axis=1)


class ArrayReader:
    """A SoundReader over an array."""

    def __init__(self, data: npt.NDArray[np.generic], rate_hz: int, word: str) -> None:
        from inkwell_groove.core.audio.sound import SoundFormat

        self._data = data
        self.format = SoundFormat(
            container="array",
            word=word,
            rate_hz=rate_hz,
            channels=data.shape[1],
            samples=len(data),  # type: ignore[arg-type]
        )

    def read(self, start_sample: int, samples: int) -> npt.NDArray[np.generic]:
        return self._data[start_sample : start_sample + samples]
