"""What the simulated decks have in common: a carrier that is put on, sides to turn, and hands that ask first."""

from __future__ import annotations

import threading
from typing import ClassVar

import numpy as np

from inkwell_groove.core.errors import Refused
from inkwell_groove.devices.carriers import CarrierShelf, CarrierSide, SimulatedCarrier
from inkwell_groove.devices.signal import Groove
from inkwell_groove.devices.source import Control

NOTHING = "nothing"


class Deck:
    """A deck without its sound: subclasses say what it plays, which controls it has, and what they do."""

    NAME: ClassVar[str]
    BUSY: ClassVar[str]  # what to do first, while something plays
    EMPTY: ClassVar[str]  # and while nothing is on

    def __init__(self, shelf: CarrierShelf, *, rate_hz: int, seed: int) -> None:
        self._shelf = shelf
        self._rate_hz = rate_hz
        self._rng = np.random.default_rng(seed)
        self._lock = threading.Lock()
        self._carrier: SimulatedCarrier | None = None
        self._side_index = 0
        self._groove: Groove | None = None  # what plays, if anything does

    @property
    def _side(self) -> CarrierSide:
        assert self._carrier is not None
        return self._carrier.sides[self._side_index]

    def controls(self) -> list[Control]:
        raise NotImplementedError

    def _do(self, control: str, value: str) -> None:
        raise NotImplementedError

    def operate(self, control: str, value: str = "") -> None:
        """Does it, if it can be done now. Raises Refused, saying what to do first."""
        found = {one.name: one for one in self.controls()}.get(control)
        if found is None or (found.choices and value not in found.choices):
            raise Refused(f"the {self.NAME} has no '{f'{control} {value}'.strip()}'", where=self.NAME)
        if not found.enabled:
            remedy = self.BUSY if self._groove is not None else self.EMPTY
            raise Refused(f"this cannot be done now: {found.label.lower()}", where=self.NAME, remedy=remedy)
        with self._lock:
            self._do(control, value)

    def on(self) -> str | None:
        """What plays or would play, as in 'WH-0031 side A'."""
        return f"{self._carrier.shelfmark} side {self._side.letter}" if self._carrier else None

    def close(self) -> None:
        with self._lock:
            self._end()

    def _choice(self, name: str, label: str, kind: str) -> Control:
        """The carriers of a kind that can be put on."""
        marks = tuple(one.shelfmark for one in self._shelf.all() if one.kind == kind)
        on = self._carrier.shelfmark if self._carrier else NOTHING
        return Control(name=name, label=label, choices=(NOTHING, *marks), value=on, enabled=self._groove is None)

    def _put_on(self, shelfmark: str) -> None:
        self._carrier = None if shelfmark == NOTHING else self._shelf.find(shelfmark)
        self._side_index = 0

    def _turn_over(self) -> None:
        assert self._carrier is not None
        self._side_index = (self._side_index + 1) % len(self._carrier.sides)

    def _begin(self, *, speed: float = 1.0, start_share: float = 0.0) -> None:
        self._groove = Groove(
            self._shelf.sound(self._side),
            self._side.run_out_sample,
            rate_hz=self._rate_hz,
            speed=speed,
            start_share=start_share,
        )

    def _end(self) -> None:
        if self._groove is not None:
            self._groove.close()
            self._groove = None
