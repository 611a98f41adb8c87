"""The chain a recording came through, and how it is written into the file.

Sources: EBU Tech 3285 v2 and EBU R 98 (coding history: A coding, F sampling frequency, W word length, M mode, T text).
"""

from __future__ import annotations

from datetime import datetime

from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.audio.bext import Bext, ascii_text


class Chain(BaseModel):
    """From the stylus to the converter: said once, named on every take."""

    model_config = ConfigDict(frozen=True)

    name: str = Field(min_length=1, max_length=80)
    deck: str = Field(default="", max_length=120, description="Turntable or cassette deck.")
    stylus: str = Field(default="", max_length=120, description="Cartridge and stylus, or the deck's head.")
    speed: str = Field(default="", max_length=40, description="As played: 33 1/3 rpm, 4.76 cm/s.")
    equalisation: str = Field(default="", max_length=80, description="As played back: IEC 60098, flat, 120 us.")
    preamp: str = Field(default="", max_length=120)
    interface: str = Field(default="", max_length=120, description="The converter.")
    operator: str = Field(default="", max_length=80)

    def lines(self) -> list[tuple[str, str]]:
        """What is known of it, in the order of the signal."""
        parts = [
            ("deck", self.deck),
            ("stylus", self.stylus),
            ("speed", self.speed),
            ("equalisation", self.equalisation),
            ("preamp", self.preamp),
            ("interface", self.interface),
            ("operator", self.operator),
        ]
        return [(name, value) for name, value in parts if value]


class RecordingFacts(BaseModel):
    """What a recording is, as its file says it."""

    model_config = ConfigDict(frozen=True)

    shelfmark: str
    sides: str = Field(description="As in 'Side A', or 'Sides A and B'.")
    title: str = ""
    chain: Chain
    source: str = Field(description="The device the samples came from.")
    gain_db: float | None = None
    rate_hz: int
    bits: int
    channels: int
    began_at: datetime = Field(description="When the first sample was taken, in local time.")
    software: str


def coding_history(facts: RecordingFacts) -> str:
    """Lines of the coding history, each ended by CR LF: the analogue carrier as played, then the converter.

    Commas part the fields, so those inside a text become semicolons.
    """
    chain = facts.chain
    mode = "mono" if facts.channels == 1 else "stereo"
    played = "; ".join(value for value in (chain.deck, chain.stylus, chain.speed, chain.equalisation) if value)
    gain = f"gain {facts.gain_db:+.1f} dB" if facts.gain_db is not None else ""
    converted = "; ".join(value for value in (chain.preamp, chain.interface or facts.source, gain) if value)
    operator = f"; {chain.operator}" if chain.operator else ""
    lines = [
        f"A=ANALOGUE,M={mode},T={_field(played or 'not stated')}",
        f"A=PCM,F={facts.rate_hz},W={facts.bits},M={mode},T={_field(converted)}",
        f"A=PCM,F={facts.rate_hz},W={facts.bits},M={mode},T={_field(facts.software + operator)}",
    ]
    return "".join(f"{line}\r\n" for line in lines)


def bext_of(
    facts: RecordingFacts, *, loudness_lufs: float | None = None, max_true_peak_dbtp: float | None = None
) -> Bext:
    """The bext chunk of a preservation master."""
    began = facts.began_at
    midnight_s = began.hour * 3600 + began.minute * 60 + began.second + began.microsecond / 1e6
    title = f": {facts.title}" if facts.title else ""
    return Bext(
        description=ascii_text(f"{facts.shelfmark}, {facts.sides}{title}", 256),
        originator=ascii_text(facts.software, 32),
        originator_reference=ascii_text(f"{facts.shelfmark} {began:%Y%m%dT%H%M%S}", 32),
        origination_date=f"{began:%Y-%m-%d}",
        origination_time=f"{began:%H:%M:%S}",
        time_reference_samples=round(midnight_s * facts.rate_hz),
        loudness_lufs=None if loudness_lufs is None else _within(loudness_lufs),
        max_true_peak_dbtp=None if max_true_peak_dbtp is None else _within(max_true_peak_dbtp),
        coding_history=coding_history(facts),
    )


def _field(text: str) -> str:
    return ascii_text(text).replace(",", ";")


def _within(level: float) -> float:
    return round(min(99.0, max(-99.0, level)), 2)
