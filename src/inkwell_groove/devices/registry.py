"""Which sources there are, and opening one."""

from __future__ import annotations

from pathlib import Path

from inkwell_groove.clock import WALL, Clock
from inkwell_groove.core.errors import Missing, Refused
from inkwell_groove.devices.carriers import CarrierShelf
from inkwell_groove.devices.cassette_deck import CassetteDeck
from inkwell_groove.devices.interface import GAIN, Playing, SimulatedInterface
from inkwell_groove.devices.pushed import BROWSER, PushedSource
from inkwell_groove.devices.source import RATES_HZ, Source, SourceFacts
from inkwell_groove.devices.turntable import Turntable

TURNTABLE = SourceFacts(
    id="turntable", name="Turntable and preamp", kind="turntable", simulated=True, rates_hz=RATES_HZ, gain=GAIN
)
CASSETTE = SourceFacts(
    id="cassette", name="Cassette deck", kind="cassette deck", simulated=True, rates_hz=RATES_HZ, gain=GAIN
)
KNOB = SourceFacts(
    id="knob",
    name="Turntable on an interface with a knob",
    kind="interface",
    simulated=True,
    rates_hz=RATES_HZ,
    gain=None,
)


class Sources:
    """The sources of this machine. `speed` is how much faster than `clock` the simulated ones run.

    One without sources of its own (`has_own`) takes what browsers send.
    """

    def __init__(self, carriers: Path, *, speed: float = 1.0, clock: Clock = WALL, has_own: bool = True) -> None:
        self._has_own = has_own
        self._shelf = CarrierShelf(carriers)
        self._speed = speed
        self._clock = clock

    def offered(self) -> list[SourceFacts]:
        return [BROWSER, TURNTABLE, CASSETTE, KNOB] if self._has_own else [BROWSER]

    def facts(self, source_id: str) -> SourceFacts:
        """Raises Missing."""
        for facts in self.offered():
            if facts.id == source_id:
                return facts
        raise Missing(f"there is no source '{source_id}'", remedy="Choose one of those offered")

    def open(self, source_id: str, *, rate_hz: int, channels: int = 2, bits: int = 24) -> Source:
        """Raises Missing, or Refused for a rate it does not have."""
        facts = self.facts(source_id)
        if not RATES_HZ[0] <= rate_hz <= RATES_HZ[-1] or (facts.rates_hz and rate_hz not in facts.rates_hz):
            raise Refused(
                f"{facts.name} does not run at {rate_hz} Hz", where="sample rate", remedy="Choose 44.1 to 192 kHz"
            )
        if facts is BROWSER:
            if channels not in (1, 2):
                raise Refused(f"{channels} channels are not a carrier's", where="channels", remedy="Record one or two")
            return PushedSource(rate_hz=rate_hz, channels=channels, bits=bits)
        maker = CassetteDeck if facts is CASSETTE else Turntable
        deck: Playing = maker(self._shelf, rate_hz=rate_hz)
        return SimulatedInterface(facts, deck, rate_hz=rate_hz, bits=bits, speed=self._speed, clock=self._clock)
