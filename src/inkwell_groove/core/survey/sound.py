"""What a file's sound tells of itself, heard once and kept: overs, channels, bits, and where it came from."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import numpy.typing as npt
from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.audio.sound import Samples, SoundReader, to_float
from inkwell_groove.core.measure.levels import SampleLevels
from inkwell_groove.core.survey.coding import Coding, coding_of
from inkwell_groove.core.survey.finding import Finding, House, Release, finding

_BLOCK_SAMPLES = 262_144
_SILENT_DB, _SOUNDING_DB = -90.0, -60.0
_INVERTED = -0.9  # correlation of the channels from which on one is upside down: wide stereo stays above -0.5
_ENOUGH_SAMPLES = 2_000


class SoundFacts(BaseModel):
    """Of one lossless file. Lists go by channel."""

    model_config = ConfigDict(frozen=True)

    clipped_runs: tuple[int, ...] = Field(description="Runs of three or more samples at the word's limit.")
    rms_dbfs: tuple[float, ...] = Field(description="-200 for digital silence.")
    correlation: float | None = Field(default=None, description="Of two channels; none where one has no sound.")
    bits: int
    bits_used: int = Field(description="The lowest bit that is ever set, counted from the highest.")
    coding: Coding


def sound_facts(reader: SoundReader) -> SoundFacts:
    """Hears a file from beginning to end; memory does not grow with its length. Raises NotSound or Truncated."""
    form = reader.format
    top = 1.0 if form.is_float else 1.0 - 2.0 ** (1 - form.bits)
    levels = SampleLevels(form.channels, top=top)
    products, set_bits = np.zeros((form.channels, form.channels)), 0
    for first in range(0, form.samples, _BLOCK_SAMPLES):
        block = reader.read(first, _BLOCK_SAMPLES)
        audio = to_float(block, form.full_scale)
        levels.feed(audio)
        products += audio.T @ audio
        if not form.is_float:
            set_bits |= _bits_of(block)
    levels.finish()
    rms = [20 * float(np.log10(value)) if value > 0 else -200.0 for value in levels.rms]
    return SoundFacts(
        clipped_runs=tuple(int(one) for one in levels.clipped_runs),
        rms_dbfs=tuple(round(one, 1) for one in rms),
        correlation=_correlation(products) if form.samples >= _ENOUGH_SAMPLES and min(rms) > _SOUNDING_DB else None,
        bits=form.bits,
        bits_used=form.bits if form.is_float else _used(set_bits, form.bits),
        coding=coding_of(reader),
    )


def _bits_of(block: Samples) -> int:
    """Every bit that is set in any of the samples."""
    return int(np.bitwise_or.reduce(block, axis=None)) & 0xFFFFFFFF if block.size else 0


def _used(set_bits: int, bits: int) -> int:
    """Blocks of over 16 bits are left-justified in 32, shorter ones in 16."""
    width = 16 if bits <= 16 else 32
    held = set_bits & ((1 << width) - 1)
    return width - ((held & -held).bit_length() - 1) if held else 0


def _correlation(products: npt.NDArray[np.float64]) -> float | None:
    if products.shape != (2, 2):
        return None
    scale = float(np.sqrt(products[0, 0] * products[1, 1]))
    return float(products[0, 1]) / scale if scale > 0 else None


def heard(release: Release, house: House) -> Iterator[Finding]:
    """What the sound of files told; nothing of files that were not heard yet."""
    for one in release.files:
        if one.facts.get("checksum") == "wrong":
            yield finding(
                "other samples",
                [one],
                "its samples have another MD5 than is stored with them",
                evidence="altered or damaged since it was made: take another copy",
            )
        if one.facts.get("checksum") == "none":
            # What its samples have was heard, and tells its sound from others: it is stored as it is.
            cells = {"checksum": one.facts.get("sound_id", "")}
            yield finding(
                "no checksum",
                [one],
                "its encoder stored no MD5 of the samples",
                remedy={one.key: cells} if cells["checksum"] else None,
            )
        if not one.facts.get("sound"):
            continue
        facts = SoundFacts.model_validate(one.facts["sound"])
        if runs := sum(facts.clipped_runs):
            yield finding(
                "clipping",
                [one],
                f"{runs} runs of samples at full scale",
                evidence=", ".join(str(each) for each in facts.clipped_runs),
            )
        quiet = [number for number, level in enumerate(facts.rms_dbfs, start=1) if level < _SILENT_DB]
        if quiet and max(facts.rms_dbfs) > _SOUNDING_DB:
            yield finding(
                "a channel is silent",
                [one],
                f"channel {quiet[0]} has no sound",
                evidence=" and ".join(f"{level:.0f} dBFS" for level in facts.rms_dbfs),
            )
        if facts.correlation is not None and facts.correlation < _INVERTED:
            yield finding(
                "a channel is inverted",
                [one],
                "the channels are the inverse of each other",
                evidence=f"correlation {facts.correlation:.2f}",
            )
        if facts.bits > 16 and 0 < facts.bits_used <= 16:
            yield finding("fewer bits", [one], f"{facts.bits} bit, of which {facts.bits_used} are ever used")
        if facts.coding.cause == "lossy coding":
            yield finding(
                "lossy source",
                [one],
                "declared lossless, and has been through lossy coding",
                about="lossy",
                evidence=facts.coding.words,
            )
        if facts.coding.cause == "a lower rate":
            yield finding("stretched rate", [one], "made from a lower sample rate", evidence=facts.coding.words)
