"""What access copies are wanted, and what each format can hold."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

CopyKind = Literal["MP3", "AAC", "ALAC", "Vorbis", "Opus", "FLAC"]
Levelling = Literal["as it is", "tags", "to a loudness", "to a peak"]


@dataclass(frozen=True)
class CopyForm:
    """A format of copies: the rates it can have (none for any), and what may be asked of it.

    `container` and `codec` are what FFmpeg's libraries call the format when they read it.
    """

    suffix: str
    lossless: bool = False
    rates: tuple[int, ...] = ()
    least_kbit_s: int = 0
    most_kbit_s: int = 0
    quality: bool = False
    exact_length: bool = True
    gapless: str = ""
    container: str = "mov,mp4,m4a,3gp,3g2,mj2"
    codec: str = ""


_MPEG = (48_000, 44_100, 32_000, 24_000, 22_050, 16_000, 12_000, 11_025, 8_000)  # ISO/IEC 11172-3 and 13818-3
FORMS: dict[CopyKind, CopyForm] = {
    "MP3": CopyForm(".mp3", rates=_MPEG, least_kbit_s=32, most_kbit_s=320, quality=True,
                    gapless="how many samples the encoder added stands in its first frame",
                    container="mp3", codec="mp3"),
    "AAC": CopyForm(".m4a", rates=(96_000, 88_200, 64_000, *_MPEG), least_kbit_s=48, most_kbit_s=512,
                    exact_length=False, codec="aac",
                    gapless="its edit list says where the sound lies; some players give the last frame whole"),
    "ALAC": CopyForm(".m4a", lossless=True, codec="alac"),
    "Vorbis": CopyForm(".ogg", quality=True, gapless="its last page says where the sound ends",
                       container="ogg", codec="vorbis"),
    "Opus": CopyForm(".opus", rates=(48_000,), least_kbit_s=16, most_kbit_s=510,
                     gapless="its header says how much to skip, its last page where the sound ends",
                     container="ogg", codec="opus"),
    "FLAC": CopyForm(".flac", lossless=True, container="flac", codec="flac"),
}  # fmt: skip


_USUAL_RATE_HZ = 48_000


class CopyOrder(BaseModel):
    """One set of copies. `kbit_s` is the rate, constant for MP3; `quality`, 0 to 10, a rate that follows the sound."""

    model_config = ConfigDict(frozen=True)

    kind: CopyKind
    kbit_s: int | None = None
    quality: float | None = Field(default=None, ge=0, le=10)
    bits: Literal[16, 24] | None = Field(default=None, description="Of lossless copies; the masters' own without.")
    most_rate_hz: int = Field(
        default=_USUAL_RATE_HZ, ge=8_000, le=192_000, description="A higher rate is brought down."
    )
    levelling: Levelling = "tags"
    target_lufs: float = Field(default=-18.0, ge=-40, le=-5)
    ceiling_dbtp: float = Field(default=-1.0, ge=-20, le=0)
    most_art_px: int | None = Field(default=None, ge=64, le=8_000, description="Covers are brought down to this.")

    @model_validator(mode="after")
    def _can_be_had(self) -> CopyOrder:
        """Raises ValueError for what the format does not know."""
        form = FORMS[self.kind]
        if form.lossless:
            if self.kbit_s is not None or self.quality is not None:
                raise ValueError(f"{self.kind} is lossless: it has neither a rate nor a quality to choose")
            return self
        if self.bits is not None:
            raise ValueError(f"{self.kind} has no word length")
        if self.kbit_s is not None and self.quality is not None:
            raise ValueError("give a rate or a quality, not both")
        if self.kbit_s is not None:
            if not form.most_kbit_s:
                raise ValueError(f"{self.kind} is made by quality here, 0 to 10")
            if not form.least_kbit_s <= self.kbit_s <= form.most_kbit_s:
                raise ValueError(f"{self.kind} takes {form.least_kbit_s} to {form.most_kbit_s} kbit/s")
            if self.kind == "MP3" and self.kbit_s not in _MP3_KBIT_S:
                raise ValueError(f"MP3 of a constant rate has {', '.join(map(str, _MP3_KBIT_S))} kbit/s")
        elif self.quality is not None and not form.quality:
            raise ValueError(f"{self.kind} is made by rate here, in kbit/s")
        elif self.quality is None:
            raise ValueError(f"say how good the {self.kind} shall be: a rate in kbit/s or a quality")
        return self

    @property
    def form(self) -> CopyForm:
        return FORMS[self.kind]

    @property
    def label(self) -> str:
        """What it is called, as in 'MP3 192' or 'FLAC 16 bit, 44.1 kHz at most, -18 LUFS'."""
        name: str = self.kind
        if self.kbit_s is not None:
            name = f"{self.kind} {self.kbit_s}"
        elif self.quality is not None:
            name = f"{self.kind} quality {self.quality:g}"
        elif self.bits:
            name = f"{self.kind} {self.bits} bit"
        if self.most_rate_hz != _USUAL_RATE_HZ:
            name += f", {self.most_rate_hz / 1_000:g} kHz at most"
        if self.levelling == "to a loudness":
            name += f", {self.target_lufs:g} LUFS"
        elif self.levelling == "to a peak":
            name += f", {self.ceiling_dbtp:g} dBTP"
        return name

    def rate_for(self, rate_hz: int) -> int:
        """The rate a copy has: the master's own where it may, else the highest of its family, of any family else."""
        allowed = [one for one in self.form.rates if one <= self.most_rate_hz]
        if rate_hz <= self.most_rate_hz and (not self.form.rates or rate_hz in allowed):
            return rate_hz
        allowed = allowed or ([self.form.rates[-1]] if self.form.rates else list(_COMMON))
        allowed = [one for one in allowed if one <= max(self.most_rate_hz, min(allowed))]
        family = [one for one in allowed if rate_hz % one == 0]
        # Never below what was there, if a rate just above it can be had.
        at_least = [one for one in allowed if one >= min(rate_hz, max(allowed))]
        return max(family) if family and max(family) >= 44_100 else min(at_least)


_COMMON = (48_000, 44_100, 32_000, 22_050, 16_000, 11_025, 8_000)
_MP3_KBIT_S = (32, 40, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320)  # ISO/IEC 11172-3, layer III
