"""From takes and plans to the samples of a track.

Samples of up to 24 bit pass through untouched. 32-bit takes are first asked whether they hold more than 24 bits say,
which few do; those that do are shortened with triangular dither (Lipshitz, Wannamaker and Vanderkooy, Quantization and
Dither, 1992), and the log says so.
"""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache

import numpy as np
import numpy.typing as npt
from pydantic import BaseModel, ConfigDict

from inkwell_groove.core.sound import Samples, SoundReader

BLOCK_SAMPLES = 65_536
_DITHER_GRAIN = 65_536  # dither is drawn afresh for every such stretch of the take, so any block size gives the same


class WordLength(BaseModel):
    """How a take's samples become those of a FLAC."""

    model_config = ConfigDict(frozen=True)

    bits: int
    dithered: bool = False

    def note(self, side: str) -> str:
        if not self.dithered:
            return ""
        return f"{side}: more than 24 bit in the take; shortened to 24 bit with triangular dither."


def word_length(reader: SoundReader) -> WordLength:
    """16 bit for takes of up to 16, 24 bit for all others; dithered only if the take says something below 24 bit.

    Reads 32-bit takes to the end to find out; others not at all.
    """
    form = reader.format
    if form.bits <= 16:
        return WordLength(bits=16)
    if form.bits == 24:
        return WordLength(bits=24)
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
        if form.bits > 24:
            scaled = np.asarray(block, dtype=np.float64) * (8388608.0 / form.full_scale)
            if word.dithered:
                scaled = scaled + dither(first, len(block), form.channels)
            block = np.clip(np.rint(scaled), -8388608, 8388607).astype(np.int32) << 8
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


def dither(first_sample: int, samples: int, channels: int) -> npt.NDArray[np.float64]:
    """Triangular noise of two steps peak to peak for a stretch of the take: the same for the same place, always."""
    out = np.empty((samples, channels))
    done = 0
    while done < samples:
        grain, inside = divmod(first_sample + done, _DITHER_GRAIN)
        count = min(samples - done, _DITHER_GRAIN - inside)
        out[done : done + count] = _grain(grain, channels)[inside : inside + count]
        done += count
    return out


@lru_cache(maxsize=4)
def _grain(number: int, channels: int) -> npt.NDArray[np.float64]:
    """One stretch of dither, which small blocks ask for many times."""
    noise = np.random.default_rng([24, number]).random((_DITHER_GRAIN, channels, 2))
    return np.asarray(noise[:, :, 0] - noise[:, :, 1])
