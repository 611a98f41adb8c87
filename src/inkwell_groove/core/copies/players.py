"""Targets that copies are carried to: what each can show, and what of a folder it cannot, said beforehand."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator

from inkwell_groove.core import filing
from inkwell_groove.core.files.reading import FileTags, read_file

FileFormat = Literal["FLAC", "WAV", "AIFF", "MP3", "AAC", "ALAC", "Vorbis", "Opus"]
SOUND_SUFFIXES = (".flac", ".wav", ".aiff", ".mp3", ".m4a", ".ogg", ".opus")


class Target(BaseModel):
    """A folder that players read, and what they can show. Nothing is converted: that is for a profile's copies."""

    model_config = ConfigDict(frozen=True)

    name: str = Field(min_length=1, max_length=100)
    folder: str = Field(default="", max_length=200, description="Below the root of all targets.")
    formats: tuple[FileFormat, ...] = Field(min_length=1)
    most_bits: Literal[16, 24] = 24
    most_rate_hz: int = Field(default=192_000, ge=8_000, le=192_000)
    most_art_px: int | None = Field(default=None, ge=64, le=8_000)

    @field_validator("folder")
    @classmethod
    def _is_safe(cls, value: str) -> str:
        """Names that every system takes, none of which leads out."""
        return "/".join(filing.safe_name(part) for part in value.split("/") if part.strip(" ."))


STANDARD: tuple[Target, ...] = (
    Target(
        name="Portable player",
        folder="portable",
        formats=("MP3", "AAC"),
        most_bits=16,
        most_rate_hz=48_000,
        most_art_px=600,
    ),
    Target(
        name="Listening room",
        folder="listening room",
        formats=("FLAC", "ALAC", "MP3", "AAC", "Vorbis", "Opus"),
        most_rate_hz=96_000,
        most_art_px=1_500,
    ),
)


def misfits(files: Sequence[Path], target: Target) -> list[str]:
    """What a target cannot show of these files, in words, each once with how many files it goes for."""
    counts: dict[str, int] = {}
    for path in files:
        if path.suffix.lower() in SOUND_SUFFIXES:
            for words in _of_file(read_file(path), target):
                counts[words] = counts.get(words, 0) + 1
    return [f"{words} ({count} file{'s' if count > 1 else ''})" for words, count in counts.items()]


def _of_file(told: FileTags, target: Target) -> list[str]:
    found = []
    if told.format not in target.formats:
        found.append(f"{target.name} does not play {told.format}")
    if told.bits > target.most_bits:
        found.append(f"{told.bits} bit, {target.name} plays {target.most_bits}")
    if told.rate_hz > target.most_rate_hz:
        found.append(f"{told.rate_hz / 1_000:g} kHz, {target.name} plays up to {target.most_rate_hz / 1_000:g}")
    largest = max((max(one.width_px, one.height_px) for one in told.pictures), default=0)
    if target.most_art_px is not None and largest > target.most_art_px:
        found.append(f"a cover of {largest} pixels, {target.name} shows up to {target.most_art_px}")
    return found
