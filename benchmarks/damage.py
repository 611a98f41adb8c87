"""Damage put on clean music, and the truth about it: clicks of each kind, scratches, crackle, hum, rumble, dropouts.

A click's strength is its peak over the level of the music where it lies (root mean square over 20 ms): `audible` ones
stand 3 dB and more above it, `buried` ones up to 12 dB below that. All is seeded.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy.signal import butter, sosfilt, sosfiltfilt

Stereo = npt.NDArray[np.float64]
Mono = npt.NDArray[np.float64]
Rng = np.random.Generator
AUDIBLE_DB = 3.0


@dataclass(frozen=True)
class Hurt:
    """One click: samples [start, end), its channels, its kind, and by how many dB its peak exceeds the music there."""

    start: int
    end: int
    channels: tuple[int, ...]
    kind: str
    over_db: float

    @property
    def audible(self) -> bool:
        return self.over_db >= AUDIBLE_DB


def _tick(rate_hz: int, rng: Rng) -> Mono:
    """One to three samples."""
    return np.array([1.0, rng.uniform(-0.9, 0.6), rng.uniform(-0.5, 0.5)])[: rng.integers(1, 4)]


def _burst(rate_hz: int, rng: Rng) -> Mono:
    """Noise that dies away within 0.2 to 1.5 ms."""
    length = round(rng.uniform(0.0002, 0.0015) * rate_hz)
    shape = np.exp(-np.arange(length) / (length / rng.uniform(2.0, 4.0)))
    return np.asarray(rng.standard_normal(length) * shape)


def _ring(rate_hz: int, rng: Rng) -> Mono:
    """A sharp edge and a damped ringing of 0.3 to 3 ms, as a stylus answers to a blow."""
    length = round(rng.uniform(0.0003, 0.003) * rate_hz)
    t = np.arange(length) / rate_hz
    decay = np.exp(-t * rng.uniform(4.0, 6.0) * rate_hz / length)
    return np.asarray(decay * np.cos(2 * np.pi * rng.uniform(700, 9_000) * t + rng.uniform(0, 6.28)))


def _pop(rate_hz: int, rng: Rng) -> Mono:
    """A pulse of 1 to 4 ms with a steep front, swinging back once."""
    length = round(rng.uniform(0.001, 0.004) * rate_hz)
    t = np.arange(length) / length
    front = np.minimum(1.0, np.arange(length) / rng.uniform(1.0, 6.0))
    return np.asarray(front * np.exp(-t * 3.0) * np.cos(np.pi * t * rng.uniform(1.0, 2.5)) * (1 - t))


def _edge(rate_hz: int, rng: Rng) -> Mono:
    """A burst through the bandwidth of a cartridge (9 to 20 kHz), so not a sharp edge at all."""
    raw = np.concatenate([np.zeros(8), _burst(rate_hz, rng), np.zeros(12)])
    sos = butter(2, rng.uniform(9_000, 20_000), fs=rate_hz, output="sos")
    return np.asarray(sosfilt(sos, raw))[8:]


KINDS: dict[str, Callable[[int, Rng], Mono]] = {
    "tick": _tick,
    "burst": _burst,
    "ring": _ring,
    "pop": _pop,
    "soft": _edge,
}


def hurt(
    music: Stereo,
    rate_hz: int,
    rng: Rng,
    *,
    per_second: float,
    kinds: tuple[str, ...] = tuple(KINDS),
    over_db: tuple[float, float] = (-9.0, 24.0),
    both_share: float = 0.6,
) -> tuple[Stereo, list[Hurt]]:
    """Clicks for (samples, 2) of music: what is to be added, and where each lies. None lie within 3 ms of another."""
    out = np.zeros_like(music)
    level = _local_level(music, rate_hz)
    found: list[Hurt] = []
    margin = round(0.003 * rate_hz)
    taken = np.zeros(len(music) // margin + 2, bool)
    for _ in range(rng.poisson(per_second * len(music) / rate_hz)):
        kind = kinds[rng.integers(len(kinds))]
        shape = KINDS[kind](rate_hz, rng)
        start = int(rng.integers(margin, len(music) - len(shape) - margin))
        cells = slice(start // margin, (start + len(shape)) // margin + 2)
        if taken[cells].any():
            continue
        taken[cells] = True
        above_db = float(rng.uniform(*over_db))
        peak = max(1e-4, float(level[start : start + len(shape)].max())) * 10 ** (above_db / 20)
        shape = shape / np.abs(shape).max() * min(peak, 0.9) * rng.choice([-1, 1])
        channels = (0, 1) if rng.random() < both_share else (int(rng.integers(2)),)
        for number, channel in enumerate(channels):
            share = 1.0 if number == 0 else rng.uniform(0.4, 1.0) * rng.choice([1, 1, 1, -1])
            out[start : start + len(shape), channel] += share * shape
        found.append(Hurt(start, start + len(shape), channels, kind, above_db))
    return out, sorted(found, key=lambda one: one.start)


def scratch(
    music: Stereo, rate_hz: int, rng: Rng, *, turn_s: float, over_db: float = 12.0
) -> tuple[Stereo, list[Hurt]]:
    """One click a turn, its shape kept and its place wandering by half a millisecond."""
    out = np.zeros_like(music)
    level = _local_level(music, rate_hz)
    shape = _ring(rate_hz, rng)
    shape /= np.abs(shape).max()
    found = []
    at = float(rng.uniform(0.2, turn_s))
    while at < len(music) / rate_hz - 0.1:
        start = round((at + rng.normal(0, 0.0002)) * rate_hz)
        here = shape * rng.uniform(0.6, 1.0) * max(1e-4, float(level[start])) * 10 ** (over_db / 20)
        here = np.clip(here, -0.9, 0.9)
        out[start : start + len(shape)] += here[:, None] * np.array([1.0, 0.8])
        found.append(Hurt(start, start + len(shape), (0, 1), "scratch", over_db))
        at += turn_s
    return out, found


def crackle(
    music: Stereo, rate_hz: int, rng: Rng, *, per_second: float, over_db: float = 0.0
) -> tuple[Stereo, list[Hurt]]:
    """Dense small ticks in either channel, their heights exponential about `over_db` of the level of the whole."""
    out = np.zeros_like(music)
    level = float(np.sqrt((music**2).mean())) * 10 ** (over_db / 20)
    found = []
    for _ in range(rng.poisson(per_second * len(music) / rate_hz)):
        shape = np.concatenate([_tick(rate_hz, rng), [0.0, 0.0]]) if rng.random() < 0.7 else _burst(rate_hz, rng)[:20]
        start = int(rng.integers(8, len(music) - 64))
        channel = int(rng.integers(2))
        peak = level * rng.exponential(1.0) * rng.choice([-1, 1])
        out[start : start + len(shape), channel] += shape / np.abs(shape).max() * peak
        found.append(Hurt(start, start + len(shape), (channel,), "crackle", 20 * np.log10(abs(peak) / level) + over_db))
    return out, sorted(found, key=lambda one: one.start)


def surface(samples: int, rate_hz: int, rng: Rng, *, level_dbfs: float) -> Stereo:
    """A record's own hiss: white with a gentle fall."""
    white = rng.standard_normal((samples, 2))
    hiss = sosfilt(butter(1, 4_000, fs=rate_hz, output="sos"), white, axis=0) + 0.25 * white
    return np.asarray(hiss / hiss.std() * 10 ** (level_dbfs / 20))


def hum(samples: int, rate_hz: int, rng: Rng, *, base_hz: float, level_dbfs: float, drift_hz: float = 0.05) -> Stereo:
    """Mains hum of eight harmonics whose frequency wanders by `drift_hz` within a minute."""
    t = np.arange(samples) / rate_hz
    wander = drift_hz * np.sin(2 * np.pi * t / 60.0 + rng.uniform(0, 6.28))
    phase = 2 * np.pi * np.cumsum(base_hz + wander) / rate_hz
    out = np.zeros((samples, 2))
    for n in range(1, 9):
        for channel in range(2):
            out[:, channel] += rng.uniform(0.3, 1.0) / n * np.sin(n * phase + rng.uniform(0, 6.28))
    return out / out.std() * 10 ** (level_dbfs / 20)


def rumble(samples: int, rate_hz: int, rng: Rng, *, level_dbfs: float) -> Stereo:
    """Noise below 30 Hz, more of it vertical than lateral."""
    sos = butter(4, [5.0, 25.0], btype="bandpass", fs=rate_hz, output="sos")
    both = sosfiltfilt(sos, rng.standard_normal((samples, 2)), axis=0)
    lateral, vertical = both[:, 0], 1.6 * both[:, 1]
    out = np.column_stack([lateral + vertical, lateral - vertical])
    return np.asarray(out / out.std() * 10 ** (level_dbfs / 20))


def _local_level(music: Stereo, rate_hz: int) -> Mono:
    """The root mean square over 20 ms around each sample, of the louder channel."""
    width = round(0.02 * rate_hz)
    power = np.column_stack([np.convolve(music[:, c] ** 2, np.ones(width) / width, "same") for c in range(2)])
    return np.sqrt(np.maximum(power.max(axis=1), 0.0))
