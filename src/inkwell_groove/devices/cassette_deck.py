"""The simulated cassette deck: play, stop, turn the cassette, or let auto-reverse do it."""

from __future__ import annotations

from typing import ClassVar

from inkwell_groove.core.audio.sound import Audio
from inkwell_groove.devices.carriers import CarrierShelf
from inkwell_groove.devices.deck import Deck
from inkwell_groove.devices.signal import hiss
from inkwell_groove.devices.source import Control

_AMPLIFIER_DBFS = -92.0


class CassetteDeck(Deck):
    """A `Signal`. A cassette whose file holds both sides in one is turned by the deck itself, and clatters doing it."""

    NAME: ClassVar[str] = "cassette deck"
    BUSY: ClassVar[str] = "Stop the tape first"
    EMPTY: ClassVar[str] = "Put a cassette in first"

    def __init__(self, shelf: CarrierShelf, *, rate_hz: int, seed: int = 2) -> None:
        super().__init__(shelf, rate_hz=rate_hz, seed=seed)

    def play(self, samples: int) -> Audio:
        with self._lock:
            tape = self._groove
            return tape.play(samples) if tape is not None else hiss(self._rng, samples, _AMPLIFIER_DBFS)

    def controls(self) -> list[Control]:
        with self._lock:
            runs = self._groove is not None
            loaded = self._carrier is not None
            many = self._carrier is not None and len(self._carrier.sides) > 1
            return [
                self._choice("cassette", "In the deck", "cassette"),
                Control(name="play", label="Play", enabled=loaded and not runs),
                Control(name="stop", label="Stop the tape", enabled=runs),
                Control(name="turn over", label="Turn the cassette over", enabled=many and not runs),
            ]

    def _do(self, control: str, value: str) -> None:
        match control:
            case "cassette":
                self._put_on(value)
            case "play":
                self._begin()
            case "stop":
                self._end()
            case "turn over":
                self._turn_over()
