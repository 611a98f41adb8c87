"""The simulated turntable with its preamp: a record on the platter, a stylus to lower, two sides to turn over.

With the stylus up only the preamp's hiss is heard, and what a hand does at the deck. Lowering it gives a thump, then
the groove; at the record's own speed and rate its samples come out as they are in the carrier's file.
"""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from inkwell_groove.core.audio.sound import Audio
from inkwell_groove.devices.carriers import CarrierShelf
from inkwell_groove.devices.deck import Deck
from inkwell_groove.devices.signal import hiss
from inkwell_groove.devices.source import Control

_PREAMP_DBFS = -96.0


class Turntable(Deck):
    """A `Signal`, and the hands at it."""

    NAME: ClassVar[str] = "turntable"
    BUSY: ClassVar[str] = "Lift the stylus first"
    EMPTY: ClassVar[str] = "Put a record on the platter first"
    RPM: ClassVar[dict[str, float]] = {"33 1/3": 100.0 / 3.0, "45": 45.0, "78": 78.26}

    def __init__(self, shelf: CarrierShelf, *, rate_hz: int, seed: int = 1) -> None:
        super().__init__(shelf, rate_hz=rate_hz, seed=seed)
        self._speed = "33 1/3"
        self._noises = np.zeros((0, 2))  # what the hand does, still to be heard

    def play(self, samples: int) -> Audio:
        with self._lock:
            down = self._groove
            out = down.play(samples) if down is not None else hiss(self._rng, samples, _PREAMP_DBFS)
            count = min(samples, len(self._noises))
            if count:
                out = out.copy()
                out[:count] += self._noises[:count]
                self._noises = self._noises[count:]
            return out

    def controls(self) -> list[Control]:
        with self._lock:
            down = self._groove is not None
            ready = self._carrier is not None and not down
            return [
                self._choice("record", "On the platter", "record"),
                Control(name="speed", label="Speed", choices=tuple(self.RPM), value=self._speed, enabled=not down),
                Control(name="lower", label="Lower the stylus", enabled=ready),
                Control(name="lower in the middle", label="Lower it in the middle", enabled=ready),
                Control(name="lift", label="Lift the stylus", enabled=down),
                Control(name="turn over", label="Turn the record over", enabled=ready),
                Control(name="bump", label="Bump the deck"),
            ]

    def _do(self, control: str, value: str) -> None:
        match control:
            case "record":
                self._put_on(value)
                if self._carrier is not None:
                    self._speed = self._carrier.played_at
            case "speed":
                self._speed = value
            case "lower" | "lower in the middle":
                assert self._carrier is not None
                speed = self.RPM[self._speed] / self.RPM[self._carrier.played_at]
                self._begin(speed=speed, start_share=0.5 if control == "lower in the middle" else 0.0)
            case "lift":
                self._end()
                self._noises = self._knock(0.12)
            case "turn over":
                self._turn_over()
                self._noises = self._knock(0.3)
            case "bump":
                self._noises = self._knock(0.5)

    def _knock(self, height: float) -> Audio:
        """A thump of the deck: a low note that dies away within a fifth of a second, and a tick on top."""
        t = np.arange(round(0.25 * self._rate_hz)) / self._rate_hz
        low = np.sin(2 * np.pi * 24 * t) * np.exp(-t * 22)
        tick = 0.2 * self._rng.standard_normal(len(t)) * np.exp(-t * 180)
        return np.asarray(height * (low + tick)[:, None] * np.array([1.0, 0.9]))
