"""Equalisation curves of records and tapes, and how the one a preamp applied becomes the one that was wanted.

A replay curve falls by 6 dB an octave between two corner frequencies and again above a third; each corner is the time
constant of a resistor and a capacitor (IEC 60098 for microgroove records: 3180, 318 and 75 microseconds; IEC 60094 for
tapes). Older curves are known by their turnover in hertz and their rolloff in decibels at 10 kHz. Where a curve has no
lower corner, it would rise without end; it is levelled off at 20 Hz.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import numpy.typing as npt
from pydantic import BaseModel, ConfigDict, Field

_SHELF_US = 1e6 / (2 * math.pi * 20.0)


class Curve(BaseModel):
    """A replay curve by its time constants in microseconds; none where it has no such corner."""

    model_config = ConfigDict(frozen=True)

    name: str
    bass_shelf_us: float | None = Field(default=None, gt=0, description="3180 where the bass stops rising at 50 Hz.")
    turnover_us: float | None = Field(default=None, gt=0, description="318 for a turnover at 500 Hz.")
    rolloff_us: float | None = Field(default=None, gt=0, description="75 for a treble cut from 2122 Hz on.")

    @classmethod
    def of(cls, turnover_hz: float, rolloff_db: float, name: str | None = None) -> Curve:
        """By turnover and treble cut at 10 kHz. Raises ValueError for a cut above 0 dB."""
        if rolloff_db > 0:
            raise ValueError(f"a rolloff of {rolloff_db} dB would be a boost")
        rolloff = None
        if rolloff_db < 0:
            rolloff = math.sqrt(10 ** (-rolloff_db / 10) - 1.0) / (2 * math.pi * 10_000.0) * 1e6
        turnover = 1e6 / (2 * math.pi * turnover_hz)
        return cls(name=name or f"{turnover_hz:g}/{rolloff_db:g}", turnover_us=turnover, rolloff_us=rolloff)

    def response(self, hz: npt.NDArray[np.float64]) -> npt.NDArray[np.complex128]:
        """What playback does to each frequency, amplitude and phase, 1 in amplitude at 1 kHz. Hz may not be 0."""
        out = self._raw(np.asarray(hz, dtype=np.float64))
        return np.asarray(out / abs(self._raw(np.array([1_000.0]))[0]))

    def _raw(self, hz: npt.NDArray[np.float64]) -> npt.NDArray[np.complex128]:
        s = 2j * np.pi * hz * 1e-6
        out = np.ones_like(s)
        if self.turnover_us is not None:
            shelf = self.bass_shelf_us or max(_SHELF_US, self.turnover_us)
            out = out * (1.0 + s * self.turnover_us) / (1.0 + s * shelf)
        if self.rolloff_us is not None:
            out = out / (1.0 + s * self.rolloff_us)
        return np.asarray(out)


FLAT = Curve(name="flat")
MICROGROOVE = Curve(name="microgroove", bass_shelf_us=3180.0, turnover_us=318.0, rolloff_us=75.0)

# Turnover and rolloff as handbooks tabulate them (shared figures; from memory: IASA-TC 04).
CURVES: dict[str, Curve] = {
    one.name: one
    for one in (
        FLAT,
        MICROGROOVE,
        Curve(name="500/-13.7", turnover_us=318.0, rolloff_us=75.0),
        Curve(name="500/-16", turnover_us=318.0, rolloff_us=100.0),
        Curve(name="400/-12", turnover_us=398.0, rolloff_us=63.6),
        Curve(name="500/-10.5", turnover_us=318.0, rolloff_us=50.0),
        Curve(name="250/-5", turnover_us=637.0, rolloff_us=25.0),
        Curve(name="300/0", turnover_us=531.0),
        Curve(name="250/0", turnover_us=637.0),
        Curve(name="tape 3180+120", bass_shelf_us=3180.0, turnover_us=120.0),
        Curve(name="tape 3180+70", bass_shelf_us=3180.0, turnover_us=70.0),
    )
}


def correction(
    hz: npt.NDArray[np.float64], played_with: Curve, cut_with: Curve, speed: float = 1.0
) -> npt.NDArray[np.complex128]:
    """What turns the sound of one curve into that of another, by the frequencies at which it was played.

    `speed` is the true speed over the one it was played at: the preamp's curve knows the frequencies as they were
    played, the record's those of the true speed, `speed` times as high.
    """
    wanted: Any = cut_with.response(hz * speed) / played_with.response(hz)
    return np.asarray(wanted)
