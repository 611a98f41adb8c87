"""Sound with known damage, small enough for tests: an autoregressive process, which is what the models assume."""

from __future__ import annotations

from functools import lru_cache
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from tests.streams import Taken, band_noise

RATE_HZ = 44_100


class Scene(NamedTuple):
    """A take, the same without damage as samples of the take, and (clicks, 3) of start, end and channel."""

    take: Taken
    clean: npt.NDArray[np.int16]
    clicks: npt.NDArray[np.int64]


@lru_cache(maxsize=4)
def clicked(seconds: float = 12.0, per_second: float = 4.0, seed: int = 5) -> Scene:
    """Two channels of resonant noise with bursts of 0.2 to 1 ms in one of them or both."""
    rng = np.random.default_rng(seed)
    samples = round(seconds * RATE_HZ)
    music = np.column_stack([band_noise(samples, rng, radius=0.995), band_noise(samples, rng, radius=0.995)])
    music *= 0.1 / music.std()
    added = np.zeros_like(music)
    clicks = []
    for at in np.arange(0.5, seconds - 0.5, 1.0 / per_second):
        start = round(at * RATE_HZ)
        length = int(rng.integers(9, 45))
        burst = rng.standard_normal(length) * np.exp(-np.arange(length) / (length / 3)) * 0.35
        burst[0] = 0.4 * rng.choice([-1, 1])
        for channel in (0, 1) if rng.random() < 0.5 else (int(rng.integers(2)),):
            added[start : start + length, channel] += burst
            clicks.append((start, start + length, channel))
    return Scene(Taken(music + added), Taken(music).data.astype(np.int16), np.array(clicks))
