"""The simulated audio interface: gain, converter, clock. It overloads as converters do, and drops blocks when told.

Real time by default; a factor makes its clock run faster, infinity as fast as samples can be made. All its times are
those of its own clock, so that what is measured against the clock holds at any factor.
"""

from __future__ import annotations

import math
import threading
from typing import Literal, Protocol

import numpy as np

from inkwell_groove.clock import WALL, Clock
from inkwell_groove.core.audio.sound import Audio
from inkwell_groove.core.errors import Refused
from inkwell_groove.core.transfer.block import Block, from_float
from inkwell_groove.core.transfer.gain import GainRange
from inkwell_groove.devices.source import Control, SourceFacts

GAIN = GainRange(lowest_db=-20.0, highest_db=40.0, step_db=0.5)
_BLOCK_S = 0.02

Wiring = Literal["stereo", "swapped", "left dead", "right dead"]
WIRINGS: tuple[Wiring, ...] = ("stereo", "swapped", "left dead", "right dead")
_KNOB_DB = tuple(str(db) for db in range(-12, 13, 3))
_FAULTS = ("drop a block", "drop a block unseen", "repeat a block")


class Playing(Protocol):
    """A deck: a signal, and the hands at it."""

    def play(self, samples: int) -> Audio: ...
    def controls(self) -> list[Control]: ...
    def operate(self, control: str, value: str = "") -> None: ...
    def on(self) -> str | None: ...
    def close(self) -> None: ...


class SimulatedInterface:
    """A `Source` over a deck."""

    def __init__(
        self,
        facts: SourceFacts,
        deck: Playing,
        *,
        rate_hz: int,
        bits: int = 24,
        speed: float = 1.0,
        block_s: float = _BLOCK_S,
        clock: Clock = WALL,
    ) -> None:
        self.facts = facts
        self.rate_hz = rate_hz
        self.channels = 2
        self.deck = deck
        self._bits = bits
        self._speed = speed
        self._gain_db = 0.0
        self._wiring: Wiring = "stereo"
        self._block = round(block_s * rate_hz)
        self._sequence = 0
        self._at = 0  # samples counted
        self._elapsed = 0  # samples of its own time: those dropped unseen are in here and not counted
        self._faults: list[str] = []
        self._last: Block | None = None
        self._lock = threading.Lock()
        self._clock = clock
        self._began_s = clock.monotonic()

    @property
    def gain_db(self) -> float | None:
        """None where it is a knob: the application cannot know how that stands."""
        return None if self.facts.gain is None else self._gain_db

    def set_gain(self, gain_db: float) -> float:
        if self.facts.gain is None:
            raise Refused("this interface's gain is a knob", where=self.facts.name, remedy="Turn it by hand")
        self._gain_db = self.facts.gain.nearest(gain_db)
        return self._gain_db

    def read(self, timeout_s: float) -> Block | None:
        if not self._wait(timeout_s):
            return None
        with self._lock:
            fault = self._faults.pop(0) if self._faults else ""
        if fault == "repeat a block" and self._last is not None:
            return self._last
        audio = self.deck.play(self._block)
        self._elapsed += self._block
        if fault == "drop a block":
            self._at += self._block
            self._sequence += 1
            return self.read(timeout_s)
        if fault == "drop a block unseen":
            return self.read(timeout_s)
        block = Block(self._sequence, self._at, self._elapsed / self.rate_hz, self._convert(audio))
        self._at += self._block
        self._sequence += 1
        self._last = block
        return block

    def waiting_samples(self) -> int:
        if math.isinf(self._speed):
            return 0
        played = int((self._clock.monotonic() - self._began_s) * self._speed * self.rate_hz)
        return max(0, (played - self._elapsed) // self._block * self._block)

    def _wait(self, timeout_s: float) -> bool:
        """Until the next block is due by the device's clock."""
        if math.isinf(self._speed):
            return True
        due_s = self._began_s + (self._elapsed + self._block) / self.rate_hz / self._speed
        return self._clock.wait_until(due_s, timeout_s=timeout_s)

    def _convert(self, audio: Audio) -> np.ndarray:
        """Gain, wiring, and the converter's word: beyond full scale it clips."""
        whole = from_float(audio * 10 ** (self._gain_db / 20) if self._gain_db else audio, bits=self._bits)
        if self._wiring == "swapped":
            whole = whole[:, ::-1]
        elif self._wiring != "stereo":
            whole[:, 0 if self._wiring == "left dead" else 1] = 0
        return np.ascontiguousarray(whole)

    def controls(self) -> list[Control]:
        faults = [Control(name=name, label=name.capitalize()) for name in _FAULTS]
        wiring = Control(name="wiring", label="Cables", choices=WIRINGS, value=self._wiring)
        knob = Control(name="knob", label="Gain knob, dB", choices=_KNOB_DB, value=f"{self._gain_db:.0f}")
        by_hand = [knob] if self.facts.gain is None else []
        return [*self.deck.controls(), *by_hand, wiring, *faults]

    def operate(self, control: str, value: str = "") -> None:
        if control == "wiring":
            if value not in WIRINGS:
                raise Refused(
                    f"cables cannot be '{value}'", where=self.facts.name, remedy=f"Choose {', '.join(WIRINGS)}"
                )
            self._wiring = value
        elif control == "knob" and self.facts.gain is None and value in _KNOB_DB:
            self._gain_db = float(value)
        elif control in _FAULTS:
            with self._lock:
                self._faults.append(control)
        else:
            self.deck.operate(control, value)

    def sides_playing(self) -> str | None:
        return self.deck.on()

    def close(self) -> None:
        self.deck.close()
