"""The carriers of the simulated decks: what is in their grooves, as files made beforehand.

A folder holds for each carrier `NAME.carrier.json`, and the sound of its sides as FLAC or WAV, as it leaves the deck's
own amplifier when it is played at `played_at`.
"""

from __future__ import annotations

from pathlib import Path
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.errors import Missing

SUFFIX = ".carrier.json"


class CarrierSide(BaseModel):
    """One side. The stylus lands at the file's beginning; what is after `run_out_sample` goes round for ever."""

    model_config = ConfigDict(frozen=True)

    letter: str
    file: str
    run_out_sample: int = Field(ge=0)


class SimulatedCarrier(BaseModel):
    model_config = ConfigDict(frozen=True)

    shelfmark: str
    name: str
    kind: Literal["record", "cassette"]
    played_at: str = Field(description="33 1/3, 45 or 78 for records; 4.76 for cassettes.")
    sides: tuple[CarrierSide, ...]


class CarrierShelf:
    """The carriers in a folder. There may be none."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    def all(self) -> list[SimulatedCarrier]:
        files = sorted(self._folder.glob(f"*{SUFFIX}")) if self._folder.is_dir() else []
        return [SimulatedCarrier.model_validate_json(file.read_bytes()) for file in files]

    def find(self, shelfmark: str) -> SimulatedCarrier:
        """Raises Missing."""
        for carrier in self.all():
            if carrier.shelfmark == shelfmark:
                return carrier
        raise Missing(f"there is no carrier {shelfmark} beside the simulated decks", remedy="Run ./inkwell demo")

    def sound(self, side: CarrierSide) -> Path:
        return self._folder / side.file
