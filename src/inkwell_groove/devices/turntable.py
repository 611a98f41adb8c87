"""The simulated turntable with its preamp: a record on the platter, a stylus to lower, two sides to turn over.

With the stylus up only the preamp's hiss is heard, and what a hand does at the deck. Lowering it gives a thump, then
the groove; at the record's own speed and rate its samples come out as they are in the carrier's file.
"""

from __future__ import annotations

import threading
from typing import ClassVar

import numpy as np

from inkwell_groove.core.errors import Refused
from inkwell_groove.core.sound import Audio
from inkwell_groove.devices.carriers import CarrierShelf, CarrierSide, SimulatedCarrier
from inkwell_groove.devices.signal import Groove, hiss
from inkwell_groove.devices.source import Control

_PREAMP_DBFS = -96.0
_NONE = "nothing"


class Turntable:
    """A `Signal`, and the hands at it."""

    RPM: ClassVar[dict[str, float]] = {"33 1/3": 100.0 / 3.0, "45": 45.0, "78": 78.26}

    def __init__(self, shelf: CarrierShelf, *, rate_hz: int, seed: int = 1) -> None:
        self._shelf = shelf
        self._rate_hz = rate_hz
        self._rng = np.random.default_rng(seed)
        self._lock = threading.Lock()
        self._carrier: SimulatedCarrier | None = None
        self._side = 0
        self._speed = "33 1/3"
        self._groove: Groove | None = None
        self._noises = np.zeros((0, 2))  # what the hand does, still to be heard
        self.landed_at: list[int] = []
        self._played = 0

    def play(self, samples: int) -> Audio:
        with self._lock:
            down = self._groove
            out = down.play(samples) if down is not None else hiss(self._rng, samples, _PREAMP_DBFS)
            count = min(samples, len(self._noises))
            if count:
                out = out.copy()
                out[:count] += self._noises[:count]
                self._noises = self._noises[count:]
            self._played += samples
            return out

    def controls(self) -> list[Control]:
        with self._lock:
            down = self._groove is not None
            marks = tuple(one.shelfmark for one in self._shelf.all() if one.kind == "record")
            on = self._carrier.shelfmark if self._carrier else _NONE
            return [
                Control(name="record", label="On the platter", choices=(_NONE, *marks), value=on, enabled=not down),
                Control(name="speed", label="Speed", choices=tuple(self.RPM), value=self._speed, enabled=not down),
                Control(name="lower", label="Lower the stylus", enabled=self._carrier is not None and not down),
                Control(
                    name="lower in the middle", label="Lower it in the middle", enabled=bool(on != _NONE and not down)
                ),
                Control(name="lift", label="Lift the stylus", enabled=down),
                Control(name="turn over", label="Turn the record over", enabled=self._carrier is not None and not down),
                Control(name="bump", label="Bump the deck"),
            ]

    def operate(self, control: str, value: str = "") -> None:
        found = {one.name: one for one in self.controls()}.get(control)
        if found is None or (found.choices and value not in found.choices):
            raise Refused(f"the turntable has no '{control} {value}'".rstrip(), where="turntable")
        if not found.enabled:
            raise Refused(f"this cannot be done now: {found.label.lower()}", where="turntable", remedy=self._remedy())
        with self._lock:
            getattr(self, "_do_" + control.replace(" ", "_"))(value)

    def on(self) -> str | None:
        """What plays or would play, as in 'WH-0031 side A'."""
        carrier = self._carrier
        return f"{carrier.shelfmark} side {carrier.sides[self._side].letter}" if carrier else None

    def _remedy(self) -> str:
        return "Lift the stylus first" if self._groove is not None else "Put a record on the platter first"

    def _do_record(self, value: str) -> None:
        self._carrier = None if value == _NONE else self._shelf.find(value)
        self._side = 0
        if self._carrier is not None:
            self._speed = self._carrier.played_at

    def _do_speed(self, value: str) -> None:
        self._speed = value

    def _do_turn_over(self, _: str) -> None:
        assert self._carrier is not None
        self._side = (self._side + 1) % len(self._carrier.sides)
        self._noises = self._knock(0.3)

    def _do_lower(self, _: str) -> None:
        self._land(0.0)

    def _do_lower_in_the_middle(self, _: str) -> None:
        self._land(0.5)

    def _do_lift(self, _: str) -> None:
        assert self._groove is not None
        self._groove.close()
        self._groove = None
        self._noises = self._knock(0.12)

    def _do_bump(self, _: str) -> None:
        self._noises = self._knock(0.5)

    def _land(self, start_share: float) -> None:
        assert self._carrier is not None
        side: CarrierSide = self._carrier.sides[self._side]
        speed = self.RPM[self._speed] / self.RPM[self._carrier.played_at]
        self._groove = Groove(
            self._shelf.sound(side), side.run_out_sample, rate_hz=self._rate_hz, speed=speed, start_share=start_share
        )
        self.landed_at.append(self._played)

    def _knock(self, height: float) -> Audio:
        """A thump of the deck: a low note that dies away within a fifth of a second, and a tick on top."""
        t = np.arange(round(0.25 * self._rate_hz)) / self._rate_hz
        low = np.sin(2 * np.pi * 24 * t) * np.exp(-t * 22)
        tick = 0.2 * self._rng.standard_normal(len(t)) * np.exp(-t * 180)
        return np.asarray(height * (low + tick)[:, None] * np.array([1.0, 0.9]))

    def close(self) -> None:
        with self._lock:
            if self._groove is not None:
                self._groove.close()
                self._groove = None
