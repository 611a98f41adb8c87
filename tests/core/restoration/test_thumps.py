"""Thumps: found by their vertical swing, taken off without the bass beside them, and kick drums left alone."""

from __future__ import annotations

import numpy as np
import pytest

from inkwell_groove.core.restoration.thumps import Settled, find
from tests.streams import Held

RATE_HZ = 44_100


def bass_and_drums(seconds: float = 8.0, seed: int = 1) -> np.ndarray:
    """A walking bass and a kick drum, alike in both channels as they are cut; something above; a little rumble."""
    rng, t = np.random.default_rng(seed), np.arange(round(seconds * RATE_HZ)) / RATE_HZ
    notes = np.array([55.0, 65.4, 73.4, 82.4])[(t * 2).astype(int) % 4]
    bass = 0.2 * np.sin(2 * np.pi * np.cumsum(notes) / RATE_HZ)
    kick = np.zeros_like(t)
    stroke = np.arange(round(0.15 * RATE_HZ)) / RATE_HZ
    for at in np.arange(0.25, seconds - 0.3, 0.5):
        k = round(at * RATE_HZ)
        kick[k : k + len(stroke)] += 0.4 * np.sin(2 * np.pi * 60 * stroke) * np.exp(-stroke * 25)
    above = 0.05 * rng.standard_normal((len(t), 2))
    rumble = np.cumsum(rng.standard_normal((len(t), 2)), axis=0)
    rumble -= np.mean(rumble, axis=0)
    return (bass + kick)[:, None] * np.array([1.0, 0.97]) + above * 0.1 + 0.002 * rumble / rumble.std()


def pulse(height: float) -> np.ndarray:
    t = np.arange(round(0.12 * RATE_HZ)) / RATE_HZ
    swing = height * np.sin(2 * np.pi * 25 * t) * np.exp(-t * 30)
    return np.column_stack([swing, -0.8 * swing])


@pytest.mark.parametrize("height", [0.1, 0.4])
def test_a_thump_is_found_and_taken_off_and_the_bass_stays(height: float) -> None:
    clean = bass_and_drums()
    thumped, at, blow = clean.copy(), round(3.1 * RATE_HZ), pulse(height)
    thumped[at : at + len(blow)] += blow
    blows = np.array([[at - 20, at + 30], [9_000, 9_005], [RATE_HZ, RATE_HZ + 40]])
    (one,) = find(Held(thumped, RATE_HZ), blows)
    assert abs(one.start - at) < 0.02 * RATE_HZ
    settled = Settled(Held(thumped, RATE_HZ), [one])
    out = settled.read(0, len(thumped))
    near = slice(at, at + len(blow))
    left = 10 * np.log10(((out[near] - clean[near]) ** 2).sum() / (blow**2).sum())
    assert left < -10.0, "at least 10 dB of it is gone"
    spare = round(0.07 * RATE_HZ)
    far = np.ones(len(out), bool)
    far[one.start - spare : one.end + spare] = False
    assert np.array_equal(out[far], thumped[far])
    blocks = [
        Settled(Held(thumped, RATE_HZ), [one]).read(first, 9_001)[: len(out) - first]
        for first in range(0, len(out), 9_001)
    ]
    assert np.array_equal(np.concatenate(blocks), out)


def test_kick_drums_and_silence_are_no_thumps() -> None:
    everywhere = np.column_stack([np.arange(0, 8 * RATE_HZ, 400), np.arange(0, 8 * RATE_HZ, 400) + 40])
    assert find(Held(bass_and_drums(), RATE_HZ), everywhere) == []
    assert find(Held(np.zeros((3 * RATE_HZ, 2)), RATE_HZ), everywhere) == []
    assert find(Held(bass_and_drums()[:, :1], RATE_HZ), everywhere) == []
    assert find(Held(np.zeros((100, 2)), RATE_HZ), everywhere) == []


def test_where_no_blow_was_mended_is_no_thump() -> None:
    thumped = bass_and_drums()
    thumped[RATE_HZ : RATE_HZ + len(pulse(0.4))] += pulse(0.4)
    assert find(Held(thumped, RATE_HZ), np.zeros((0, 2), np.int64)) == []
    assert find(Held(thumped, RATE_HZ), np.array([[RATE_HZ, RATE_HZ + 4], [3 * RATE_HZ, 3 * RATE_HZ + 60]])) == []
