"""What sealing writes: in which forms, with which copies. Named, saved, and chosen for a docket."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from inkwell_groove.core.copies.order import CopyOrder

MasterForm = Literal["FLAC", "WAV", "AIFF"]
Untouched = Literal["none", "as taken", "BWF", "FLAC"]
SUFFIXES: dict[MasterForm, str] = {"FLAC": ".flac", "WAV": ".wav", "AIFF": ".aiff"}
_MOST_COPIES = 8


class Masters(BaseModel):
    """The listening masters: one file for each track, rendered from the plan."""

    model_config = ConfigDict(frozen=True)

    form: MasterForm = "FLAC"
    level: int = Field(default=5, ge=0, le=8, description="Of FLAC: 0 is the quickest, 8 the smallest.")
    bits: Literal[16, 24] | None = Field(default=None, description="The take's own without.")
    rate_hz: Literal[44_100, 48_000, 88_200, 96_000] | None = Field(default=None, description="Likewise.")

    @property
    def suffix(self) -> str:
        return SUFFIXES[self.form]

    @property
    def words(self) -> str:
        """As in 'FLAC, 16 bit, 44.1 kHz'."""
        rate = f"{self.rate_hz / 1_000:g} kHz" if self.rate_hz else "the take's rate"
        return f"{self.form}, {f'{self.bits} bit' if self.bits else 'the bits of the take'}, {rate}"


class Profile(BaseModel):
    """What goes into a package beside its papers."""

    model_config = ConfigDict(frozen=True)

    masters: Masters = Masters()
    loudness_tags: bool = Field(default=True, description="Whether FLAC masters carry ReplayGain 2 tags.")
    untouched: Untouched = Field(default="as taken", description="Preservation masters: the takes, whole.")
    one_file: bool = Field(default=False, description="Also one FLAC for each disc or all sides, with a cue sheet.")
    copies: tuple[CopyOrder, ...] = Field(default=(), max_length=_MOST_COPIES)

    @model_validator(mode="after")
    def _copies_differ(self) -> Profile:
        labels = [one.label for one in self.copies]
        if len(set(labels)) < len(labels):
            twice = ", ".join(sorted({one for one in labels if labels.count(one) > 1}))
            raise ValueError(f"copies of the same name twice: {twice}. Change their rate, quality or loudness")
        return self


ARCHIVE = "Archive"
STANDARD: dict[str, Profile] = {
    "Masters alone": Profile(untouched="none"),
    ARCHIVE: Profile(),
    "Archive and listening": Profile(
        one_file=True,
        copies=(
            CopyOrder(kind="MP3", kbit_s=192, most_art_px=600),
            CopyOrder(kind="Opus", kbit_s=128, most_art_px=600),
        ),
    ),
}
