"""Synthesised instruments: enough of a brass band for a finder of joins to take it for music."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from scipy.signal import butter, sosfilt

Mono = npt.NDArray[np.float64]


def horn(frequency_hz: float, duration_s: float, rate_hz: int, *, brightness: float, rng: np.random.Generator) -> Mono:
    """A brass note: harmonics that grow with the breath, a little vibrato, a soft attack. Peak about 1."""
    t = np.arange(round(duration_s * rate_hz)) / rate_hz
    attack, release = 0.05 + 0.03 * rng.random(), min(0.12, duration_s / 3)
    envelope = np.minimum(1.0, t / attack) * np.clip((duration_s - t) / release, 0.0, 1.0)
    vibrato = 0.0035 * np.sin(2 * np.pi * (5.0 + rng.random()) * t + rng.random() * 6.28) * np.minimum(1.0, t / 0.4)
    turns = np.cumsum(frequency_hz / rate_hz * (1.0 + vibrato))
    # In single precision from here on, 120 dB below the note: half the time, and most of the demo's time is this.
    phase = (2 * np.pi * (turns - np.floor(turns)) + 0.3).astype(np.float32)
    breath, tone = envelope.astype(np.float32), np.zeros(len(t), np.float32)
    # Each harmonic is the one before turned on by the first, which is far cheaper than a sine each. Upper ones follow
    # the breath more steeply: what makes brass sound like brass.
    harmonic_wave = np.empty(len(t), np.complex64)
    harmonic_wave.real, harmonic_wave.imag = np.cos(phase), np.sin(phase)
    turn = harmonic_wave * breath ** np.float32(0.35)
    harmonic_wave *= breath
    for harmonic in range(1, 11):
        if harmonic * frequency_hz > 0.4 * rate_hz:
            break
        tone += np.float32(brightness ** (harmonic - 1) / harmonic**0.4) * harmonic_wave.imag
        harmonic_wave *= turn
    return tone.astype(np.float64) / 2.2


def drum(duration_s: float, rate_hz: int, *, rng: np.random.Generator) -> Mono:
    """A bass drum stroke with its skin noise."""
    t = np.arange(round(duration_s * rate_hz)) / rate_hz
    body = np.sin(2 * np.pi * (62 * t + 9 * (1 - np.exp(-t * 25)))) * np.exp(-t * 11)
    skin = rng.standard_normal(len(t)) * np.exp(-t * 70) * 0.35
    return np.asarray(body + skin)


def cymbal(duration_s: float, rate_hz: int, *, rng: np.random.Generator) -> Mono:
    """A short cymbal: noise above 4 kHz."""
    t = np.arange(round(duration_s * rate_hz)) / rate_hz
    sos = butter(2, 4_000, btype="highpass", fs=rate_hz, output="sos")
    return np.asarray(sosfilt(sos, rng.standard_normal(len(t))) * np.exp(-t * 18) * 0.5)
