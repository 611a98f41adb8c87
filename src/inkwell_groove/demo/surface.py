"""What a record adds to the music: surface noise, rumble, crackle, clicks and hum."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy.signal import butter, sosfilt

Stereo = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Click:
    """One click: first sample, length, and the channels it is in."""

    start: int
    length: int
    channel: int | str


def groove_noise(samples: int, rate_hz: int, *, level_dbfs: float, rng: np.random.Generator) -> Stereo:
    """Surface hiss with a gentle fall towards the treble, and rumble below 40 Hz, different in each channel."""
    white = rng.standard_normal((samples, 2))
    hiss = sosfilt(butter(1, 3_000, btype="lowpass", fs=rate_hz, output="sos"), white, axis=0) + 0.25 * white
    rumble = sosfilt(butter(2, 35, btype="lowpass", fs=rate_hz, output="sos"), white[:, ::-1], axis=0)
    level = 10 ** (level_dbfs / 20)
    return np.asarray(level * hiss / hiss.std() + 0.9 * level * rumble / rumble.std())


def hum(samples: int, rate_hz: int, *, frequency_hz: float, level_dbfs: float) -> Stereo:
    """Mains hum with its second and third harmonic."""
    t = np.arange(samples) / rate_hz
    wave = np.sum([np.sin(2 * np.pi * frequency_hz * n * t + n) / n**1.5 for n in (1, 2, 3)], axis=0)
    return np.asarray(10 ** (level_dbfs / 20) * wave[:, None] * np.array([1.0, 0.9]))


def crackle(samples: int, rate_hz: int, *, per_second: float, level_dbfs: float, rng: np.random.Generator) -> Stereo:
    """Dense small ticks of a few samples, in either channel."""
    out = np.zeros((samples, 2))
    count = rng.poisson(per_second * samples / rate_hz)
    at = rng.integers(0, samples - 8, count)
    channel = rng.integers(0, 2, count)
    height = 10 ** (level_dbfs / 20) * rng.exponential(1.0, count) * rng.choice([-1, 1], count)
    for offset, share in enumerate((0.4, 1.0, -0.55, 0.25, -0.1)):
        np.add.at(out, (at + offset, channel), height * share)
    return out


def clicks(samples: int, rate_hz: int, *, per_second: float, rng: np.random.Generator) -> tuple[Stereo, list[Click]]:
    """Clicks of 0.1 to 1.5 ms and where each lies: a sharp edge and a damped ringing, in one channel or both."""
    out = np.zeros((samples, 2))
    found = []
    for _ in range(rng.poisson(per_second * samples / rate_hz)):
        length = int(rng.uniform(0.0001, 0.0015) * rate_hz) + 2
        start = int(rng.integers(0, samples - length))
        t = np.arange(length) / rate_hz
        ring = np.exp(-t * rng.uniform(2_500, 6_000)) * np.cos(2 * np.pi * rng.uniform(800, 6_000) * t)
        which = rng.choice(["both", "0", "1"], p=[0.5, 0.25, 0.25])
        height = 10 ** (rng.uniform(-26, -8) / 20) * rng.choice([-1, 1])
        channels = [0, 1] if which == "both" else [int(which)]
        for channel in channels:
            out[start : start + length, channel] += (
                height * ring * (1.0 if channel == channels[0] else rng.uniform(0.5, 1.0))
            )
        found.append(Click(start, length, "both" if which == "both" else int(which)))
    return out, sorted(found, key=lambda click: click.start)


def needle_drop(rate_hz: int, *, rng: np.random.Generator) -> Stereo:
    """The stylus lands: a thump of a tenth of a second."""
    t = np.arange(round(0.15 * rate_hz)) / rate_hz
    thump = np.sin(2 * np.pi * 28 * t) * np.exp(-t * 24) * 0.25 + rng.standard_normal(len(t)) * np.exp(-t * 160) * 0.1
    return np.asarray(thump[:, None] * np.array([1.0, 0.92]))
