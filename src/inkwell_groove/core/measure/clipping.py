"""Clipped samples of a take, found where its peak pyramid says they may be."""

from __future__ import annotations

import numpy as np

from inkwell_groove.core.audio.sound import SoundReader, to_float
from inkwell_groove.core.measure.levels import SampleLevels
from inkwell_groove.core.peaks import BASE_BLOCK_SAMPLES, PeakFile

_CHUNK_BLOCKS = 4_096


def clipped_runs(reader: SoundReader, peaks: PeakFile) -> int:
    """Runs of three or more samples at the word's limit, all channels together.

    Reads only the blocks of the take whose minimum or maximum reaches the limit: nearly none in a good transfer.
    """
    form = reader.format
    top = 1.0 if form.is_float else 1.0 - 2.0 ** (1 - form.bits)
    levels = SampleLevels(form.channels, top=top)
    # float32 in the pyramid rounds the largest 24-bit value up to 1.0, so the search is a shade generous.
    for first in range(0, peaks.index.blocks[0], _CHUNK_BLOCKS):
        block = peaks.array(0, first, _CHUNK_BLOCKS)
        suspect = (block[:, :, 1] >= top - 1e-6) | (block[:, :, 0] <= -1.0 + 1e-6)
        for index in np.flatnonzero(suspect.any(axis=1)):
            start = (first + int(index)) * BASE_BLOCK_SAMPLES
            levels.feed(to_float(reader.read(start, BASE_BLOCK_SAMPLES), form.full_scale))
    levels.finish()
    return int(levels.clipped_runs.sum())
