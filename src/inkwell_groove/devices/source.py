"""What a transfer needs of a source of sound, whatever it is."""

from __future__ import annotations

from typing import Literal, Protocol

from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.transfer.block import Block
from inkwell_groove.core.transfer.gain import GainRange

RATES_HZ = (44_100, 48_000, 88_200, 96_000, 176_400, 192_000)
WORDS_BITS = (16, 24, 32)


class SourceFacts(BaseModel):
    """A source as it is offered."""

    model_config = ConfigDict(frozen=True)

    id: str
    name: str
    kind: Literal["turntable", "cassette deck", "interface", "browser"]
    simulated: bool
    rates_hz: tuple[int, ...] = Field(description="Empty where only opening it tells.")
    gain: GainRange | None = Field(description="What its own gain can be set to; none where a knob is turned by hand.")


class Control(BaseModel):
    """Something one does at a simulated device, as one would with the hand."""

    model_config = ConfigDict(frozen=True)

    name: str
    label: str
    choices: tuple[str, ...] = Field(default=(), description="Empty for something that is simply pressed.")
    value: str = ""
    enabled: bool = True


class Source(Protocol):
    """A stream of blocks. Used by one thread, but for `gain`, `controls` and `operate`."""

    facts: SourceFacts
    rate_hz: int
    channels: int

    @property
    def gain_db(self) -> float | None: ...

    def set_gain(self, gain_db: float) -> float:
        """Sets the nearest gain there is, and returns it. Raises Refused where there is none to set."""
        ...

    def read(self, timeout_s: float) -> Block | None:
        """The next block; none where none came in time. Raises SourceGone once it has ended for good."""
        ...

    def waiting_samples(self) -> int:
        """Return how many samples are there that were not read yet."""
        ...

    def controls(self) -> list[Control]: ...

    def operate(self, control: str, value: str = "") -> None:
        """Raises Refused for a control or value it does not have."""
        ...

    def sides_playing(self) -> str | None:
        """What a simulated deck has on, as in 'WH-0031 side A'; none where nobody can know."""
        ...

    def close(self) -> None: ...
