"""Composing: a march or an air over a chord sequence, from a seed."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from inkwell_groove.demo.instruments import Mono, cymbal, drum, horn

_SCALE = (0, 2, 4, 5, 7, 9, 11)
_CHORDS = ((0, 4, 7), (5, 9, 12), (7, 11, 14), (9, 12, 16), (2, 5, 9))
_SEQUENCES = ((0, 1, 2, 0), (0, 3, 1, 2), (0, 4, 2, 0), (3, 1, 0, 2))


@dataclass(frozen=True)
class Tune:
    """A track to be played: length before the turntable's speed, and how it begins and ends."""

    title: str
    duration_s: float
    seed: int
    beats_per_minute: float
    key_semitone: int
    fade_in_s: float = 0.0
    fade_out_s: float = 0.0
    rest_at_s: float | None = None
    rest_s: float = 0.0
    drums: bool = True


def play(tune: Tune, rate_hz: int, *, speed: float) -> tuple[Mono, Mono]:
    """Left and right channel of a tune on a turntable at `speed` times its nominal one, peaks about 0.4."""
    rng = np.random.default_rng(tune.seed)
    duration_s = tune.duration_s / speed
    samples = round(duration_s * rate_hz)
    left, right = np.zeros(samples), np.zeros(samples)
    beat_s = 60.0 / tune.beats_per_minute / speed
    root_hz = 116.54 * 2 ** (tune.key_semitone / 12) * speed
    sequence = _SEQUENCES[tune.seed % len(_SEQUENCES)]
    degree = 4

    def put(note: Mono, at_s: float, gain: float, pan: float) -> None:
        at = round(at_s * rate_hz)
        note = note[: max(0, samples - at)]
        left[at : at + len(note)] += note * gain * (1.0 - pan)
        right[at : at + len(note)] += note * gain * pan

    # The last chord ends with the track: nothing rings beyond it, so the truth about the end is exact.
    beats = int((duration_s - 0.05) / beat_s)
    for beat in range(beats):
        at_s = beat * beat_s
        chord = _CHORDS[sequence[beat // 4 % 4]]
        final = beat >= beats - 2
        length_s = (duration_s - at_s) if final else beat_s
        if beat % 2 == 0 or final:
            for index, semitone in enumerate(chord):
                hz = root_hz * 2 ** (semitone / 12)
                put(
                    horn(hz, length_s * (1.9 if not final else 1.0), rate_hz, brightness=0.55, rng=rng),
                    at_s,
                    0.10,
                    0.3 + 0.2 * index,
                )
            put(horn(root_hz / 2, length_s, rate_hz, brightness=0.5, rng=rng), at_s, 0.16, 0.5)
        if not final:
            for part in range(1 if rng.random() < 0.6 else 2):
                degree = int(np.clip(degree + rng.integers(-2, 3), 0, 9))
                hz = root_hz * 2 ** (1 + degree // 7 + _SCALE[degree % 7] / 12)
                put(horn(hz, beat_s * 0.95, rate_hz, brightness=0.7, rng=rng), at_s + part * beat_s / 2, 0.13, 0.42)
        if tune.drums and not final:
            put(drum(0.4, rate_hz, rng=rng), at_s, 0.22, 0.5)
            put(cymbal(0.15, rate_hz, rng=rng), at_s + beat_s / 2, 0.05, 0.62)
    shape = np.ones(samples)
    if tune.fade_in_s:
        n = round(tune.fade_in_s / speed * rate_hz)
        shape[:n] *= np.linspace(0, 1, n) ** 2
    if tune.fade_out_s:
        n = round(tune.fade_out_s / speed * rate_hz)
        shape[-n:] *= np.linspace(1, 0, n) ** 2
    if tune.rest_at_s is not None:
        first = round(tune.rest_at_s / speed * rate_hz)
        last = first + round(tune.rest_s / speed * rate_hz)
        edge = round(0.03 * rate_hz)
        shape[first : first + edge] *= np.linspace(1, 0, edge)
        shape[first + edge : last] = 0
        shape[last : last + edge] *= np.linspace(0, 1, edge)
    return left * shape, right * shape
