"""The simulated cassette deck: play, stop, turn the cassette, or let auto-reverse do it."""

from __future__ import annotations

import threading

import numpy as np

from inkwell_groove.core.errors import Refused
from inkwell_groove.core.sound import Audio
from inkwell_groove.devices.carriers import CarrierShelf, SimulatedCarrier
from inkwell_groove.devices.signal import Groove, hiss
from inkwell_groove.devices.source import Control

_AMPLIFIER_DBFS = -92.0
_NONE = "nothing"


class CassetteDeck:
    """A `Signal`. A cassette whose file holds both sides in one is turned by the deck itself, and clatters doing it."""

    def __init__(self, shelf: CarrierShelf, *, rate_hz: int, seed: int = 2) -> None:
        self._shelf = shelf
        self._rate_hz = rate_hz
        self._rng = np.random.default_rng(seed)
        self._lock = threading.Lock()
        self._carrier: SimulatedCarrier | None = None
        self._side = 0
        self._tape: Groove | None = None

    def play(self, samples: int) -> Audio:
        with self._lock:
            amplifier = hiss(self._rng, samples, _AMPLIFIER_DBFS)
            return amplifier if self._tape is None else self._tape.play(samples)

    def controls(self) -> list[Control]:
        with self._lock:
            runs = self._tape is not None
            marks = tuple(one.shelfmark for one in self._shelf.all() if one.kind == "cassette")
            on = self._carrier.shelfmark if self._carrier else _NONE
            loaded = self._carrier is not None
            many = self._carrier is not None and len(self._carrier.sides) > 1
            return [
                Control(name="cassette", label="In the deck", choices=(_NONE, *marks), value=on, enabled=not runs),
                Control(name="play", label="Play", enabled=loaded and not runs),
                Control(name="stop", label="Stop the tape", enabled=runs),
                Control(name="turn over", label="Turn the cassette over", enabled=many and not runs),
            ]

    def operate(self, control: str, value: str = "") -> None:
        found = {one.name: one for one in self.controls()}.get(control)
        if found is None or (found.choices and value not in found.choices):
            raise Refused(f"the cassette deck has no '{control} {value}'".rstrip(), where="cassette deck")
        if not found.enabled:
            remedy = "Stop the tape first" if self._tape is not None else "Put a cassette in first"
            raise Refused(f"this cannot be done now: {found.label.lower()}", where="cassette deck", remedy=remedy)
        with self._lock:
            if control == "cassette":
                self._carrier = None if value == _NONE else self._shelf.find(value)
                self._side = 0
            elif control == "turn over":
                assert self._carrier is not None
                self._side = (self._side + 1) % len(self._carrier.sides)
            elif control == "stop":
                self._stop()
            else:
                assert self._carrier is not None
                side = self._carrier.sides[self._side]
                path = self._shelf.sound(side)
                self._tape = Groove(path, side.run_out_sample, rate_hz=self._rate_hz, speed=1.0)

    def on(self) -> str | None:
        carrier = self._carrier
        return f"{carrier.shelfmark} side {carrier.sides[self._side].letter}" if carrier else None

    def close(self) -> None:
        with self._lock:
            self._stop()

    def _stop(self) -> None:
        if self._tape is not None:
            self._tape.close()
            self._tape = None
