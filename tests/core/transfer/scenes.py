"""Scenes at a deck, from seeds: idling, handling noise, a stylus that lands, a groove, and music.

The noises are models of what happens (common practice): a bump is a low note that dies within a fifth of a second, a
brush strokes the stylus or the record, a finger on the cartridge buzzes with the mains, a plug crackles.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy.signal import butter, sosfilt

from inkwell_groove.core.transfer.block import Block, from_float

RATE_HZ = 32_000
Audio = npt.NDArray[np.float64]
_GROOVE = butter(1, 3_000, fs=RATE_HZ, output="sos")


@dataclass(frozen=True)
class Scene:
    """Samples, and where the stylus lands and the music begins."""

    samples: npt.NDArray[np.int32]
    lands_at: int
    music_at: int

    def blocks(self, size: int = 640) -> Iterator[Block]:
        return blocks_of(self.samples, size)


def blocks_of(samples: npt.NDArray[np.int32], size: int = 640) -> Iterator[Block]:
    for number, first in enumerate(range(0, len(samples), size)):
        yield Block(number, first, (first + size) / RATE_HZ, samples[first : first + size])


def needle_drop(seed: int) -> Scene:
    """Handling noise while idle, then a landing and music, all in measures drawn from the seed."""
    rng = np.random.default_rng(seed)
    idle, groove, music = (round(s * RATE_HZ) for s in (rng.uniform(4, 9), rng.uniform(0.4, 4), 2.5))
    idle_dbfs = rng.uniform(-105, -80)
    groove_dbfs = rng.uniform(max(-78.0, idle_dbfs + 8), -46)
    audio = hiss(rng, idle + groove + music, idle_dbfs)
    audio[idle:] += groove_noise(rng, groove + music, groove_dbfs)
    put(audio, idle, bump(rng))
    handle(audio, rng, round(2.2 * RATE_HZ), idle - round(0.5 * RATE_HZ))
    t = np.arange(music) / RATE_HZ
    audio[idle + groove :] += (0.1 * sum(np.sin(2 * np.pi * hz * t) for hz in (220, 330, 440, 880)))[:, None]
    return Scene(from_float(audio), idle, idle + groove)


def handling_only(seed: int, seconds: float = 12.0) -> Scene:
    """Bumps, strokes, buzzing and crackling, and no record."""
    rng = np.random.default_rng(10_000 + seed)
    samples = round(seconds * RATE_HZ)
    audio = hiss(rng, samples, rng.uniform(-105, -80))
    handle(audio, rng, round(2.2 * RATE_HZ), samples)
    return Scene(from_float(audio), samples, samples)


def handle(audio: Audio, rng: np.random.Generator, first: int, last: int) -> None:
    """One noise after the other into audio[first:last]."""
    at = first
    while at < last:
        noise = (bump, brush, buzz, crackle)[rng.integers(0, 4)](rng)
        if at + len(noise) < last:
            put(audio, at, noise)
        at += len(noise) + round(rng.uniform(0.4, 1.5) * RATE_HZ)


def hiss(rng: np.random.Generator, samples: int, level_dbfs: float) -> Audio:
    return np.asarray(10 ** (level_dbfs / 20) * rng.standard_normal((samples, 2)))


def groove_noise(rng: np.random.Generator, samples: int, level_dbfs: float) -> Audio:
    white = rng.standard_normal((samples, 2))
    noise = sosfilt(_GROOVE, white, axis=0) + 0.25 * white
    return np.asarray(10 ** (level_dbfs / 20) * noise / noise.std())


def put(audio: Audio, at: int, noise: Audio) -> None:
    count = max(0, min(len(noise), len(audio) - at))
    audio[at : at + count] += noise[:count]


def bump(rng: np.random.Generator) -> Audio:
    t = np.arange(round(0.3 * RATE_HZ)) / RATE_HZ
    low = rng.uniform(0.02, 0.6) * np.sin(2 * np.pi * rng.uniform(12, 60) * t) * np.exp(-t * rng.uniform(12, 30))
    tick = rng.uniform(0.01, 0.2) * rng.standard_normal(len(t)) * np.exp(-t * rng.uniform(60, 250))
    return np.asarray((low + tick)[:, None] * np.array([1.0, 0.9]))


def brush(rng: np.random.Generator) -> Audio:
    parts = []
    for _ in range(rng.integers(2, 5)):
        shape = np.hanning(round(rng.uniform(0.12, 0.3) * RATE_HZ))[:, None]
        parts.append(rng.uniform(0.005, 0.1) * shape * rng.standard_normal((len(shape), 2)))
        parts.append(np.zeros((round(rng.uniform(0.25, 0.6) * RATE_HZ), 2)))
    return np.concatenate(parts)


def buzz(rng: np.random.Generator) -> Audio:
    t = np.arange(round(rng.uniform(0.3, 1.6) * RATE_HZ)) / RATE_HZ
    wave = sum(np.sin(2 * np.pi * 50 * k * t + k) / k**0.7 for k in range(1, 30)) * rng.uniform(0.01, 0.08)
    return np.column_stack([wave, wave])


def crackle(rng: np.random.Generator) -> Audio:
    out = np.zeros((round(0.4 * RATE_HZ), 2))
    for _ in range(rng.integers(3, 20)):
        length = int(rng.integers(5, 1_500))
        put(out, int(rng.integers(0, len(out) - 200)), rng.uniform(0.003, 0.25) * rng.standard_normal((length, 2)))
    return out
