"""From takes and plans to the samples of a track.

Samples of up to 24 bit pass through untouched, unless fewer bits are asked for. 32-bit takes are first asked whether
they hold more than 24 bits say, which few do. Whatever is shortened gets triangular dither (Lipshitz, Wannamaker and
Vanderkooy, Quantization and Dither, 1992), and the log says so.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from pydantic import BaseModel, ConfigDict

from inkwell_groove.core.audio.dither import dither
from inkwell_groove.core.audio.sound import Samples, SoundReader

BLOCK_SAMPLES = 65_536


class WordLength(BaseModel):
    """How a take's samples become those of a file."""

    model_config = ConfigDict(frozen=True)

    bits: int
    dithered: bool = False

    def note(self, side: str) -> str:
        if not self.dithered:
            return ""
        return f"{side}: more than {self.bits} bit; shortened to {self.bits} bit with triangular dither."


def word_length(reader: SoundReader, *, bits: int | None = None, converted: bool = False) -> WordLength:
    """16 bit for takes of up to 16, 24 bit for all others, or what is asked for; dithered only if something is lost.

    Reads 32-bit takes to the end to find out; others not at all. What was `converted` to another rate always has more.
    """
    form = reader.format
    own = 16 if form.bits <= 16 else 24
    wanted = own if bits is None else bits
    if converted:
        return WordLength(bits=wanted, dithered=True)
    if form.bits <= wanted:
        return WordLength(bits=wanted)
    if wanted == 16:
        return WordLength(bits=16, dithered=True)
    for first in range(0, form.samples, BLOCK_SAMPLES):
        block = reader.read(first, BLOCK_SAMPLES)
        if not _is_exact24(block, form.is_float):
            return WordLength(bits=24, dithered=True)
    return WordLength(bits=24)


def _is_exact24(block: Samples, is_float: bool) -> bool:
    if is_float:
        scaled = np.asarray(block, dtype=np.float64) * 8388608.0
        return bool(np.all(scaled == np.rint(scaled)) and np.all(scaled >= -8388608) and np.all(scaled <= 8388607))
    return not bool(np.any(block & 0xFF))


def render(
    reader: SoundReader,
    start_sample: int,
    end_sample: int,
    word: WordLength,
    *,
    fades: tuple[int, int] = (0, 0),
    block_samples: int = BLOCK_SAMPLES,
) -> Iterator[Samples]:
    """Samples [start_sample, end_sample) of a take in blocks, int16 for 16 bit, left-justified int32 for 24.

    The same samples whatever the block size. Full scale is kept: what lies beyond it in a float take is clipped to it.
    `fades` are how many samples at the beginning and at the end are faded by half a cosine; all others stay untouched.
    """
    form = reader.format
    for first in range(start_sample, end_sample, block_samples):
        block = reader.read(first, min(block_samples, end_sample - first))
        if form.bits > word.bits:
            top = 2.0 ** (word.bits - 1)
            scaled = np.asarray(block, dtype=np.float64) * (top / form.full_scale)
            if word.dithered:
                scaled = scaled + dither(first, len(block), form.channels)
            whole = np.clip(np.rint(scaled), -top, top - 1).astype(np.int32)
            block = whole.astype(np.int16) if word.bits == 16 else whole << 8
        elif word.bits > 16 and block.dtype == np.int16:
            block = block.astype(np.int32) << 16
        yield _faded(block, first - start_sample, end_sample - start_sample, fades)


def _faded(block: Samples, first: int, samples: int, fades: tuple[int, int]) -> Samples:
    """A block of a track of `samples`, from its sample `first` on, with what lies in the fades made softer."""
    fade_in, fade_out = fades
    if first >= fade_in and first + len(block) <= samples - fade_out:
        return block
    place = first + np.arange(len(block))
    rise = np.clip((place + 0.5) / max(1, fade_in), 0.0, 1.0)
    fall = np.clip((samples - place - 0.5) / max(1, fade_out), 0.0, 1.0)
    gain = (0.5 - 0.5 * np.cos(np.pi * rise)) * (0.5 - 0.5 * np.cos(np.pi * fall))
    grain = 256 if block.dtype == np.int32 else 1  # 24 bits lie in the upper part of 32
    softer = np.rint(block.astype(np.float64) / grain * gain[:, None]).astype(block.dtype) * grain
    return np.where((gain < 1.0)[:, None], softer, block).astype(block.dtype)
