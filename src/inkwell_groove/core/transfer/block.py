"""A block of samples as a source hands it over, and the pre-roll that is kept of them."""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from inkwell_groove.core.audio.packing import Whole


@dataclass(frozen=True)
class Block:
    """Samples [first_sample, first_sample + len(samples)) by the source's own count.

    `sequence` goes up by one with each block. `captured_at_s` is when the last sample was taken, on a steady clock of
    the source's computer: it tells of samples that went missing before anybody counted them.
    """

    sequence: int
    first_sample: int
    captured_at_s: float
    samples: Whole

    @property
    def end_sample(self) -> int:
        return self.first_sample + len(self.samples)

    def after(self, skip: int) -> Block:
        """The block without its first `skip` samples."""
        return Block(self.sequence, self.first_sample + skip, self.captured_at_s, self.samples[skip:])

    def before(self, samples: int) -> Block:
        """The first so many samples of the block."""
        return Block(self.sequence, self.first_sample, self.captured_at_s, self.samples[:samples])


def joined(blocks: list[Block]) -> Block:
    """Return blocks that follow one another as one."""
    if len(blocks) == 1:
        return blocks[0]
    samples = np.concatenate([block.samples for block in blocks])
    return Block(blocks[0].sequence, blocks[0].first_sample, blocks[-1].captured_at_s, samples)


class PreRoll:
    """The newest blocks, as many as cover a stretch of samples."""

    def __init__(self, samples: int) -> None:
        self._samples = samples
        self._blocks: deque[Block] = deque()

    def keep(self, block: Block) -> None:
        self._blocks.append(block)
        while self._blocks and self._blocks[0].end_sample <= block.end_sample - self._samples:
            self._blocks.popleft()

    def since(self, sample: int) -> list[Block]:
        """The blocks from `sample` on, the first of them cut there; fewer where that is no longer kept."""
        return [block.after(max(0, sample - block.first_sample)) for block in self._blocks if block.end_sample > sample]

    def clear(self) -> None:
        self._blocks.clear()


def from_float(samples: npt.NDArray[np.floating], *, bits: int = 24) -> Whole:
    """Floats with full scale 1.0 as integers of that word, left-justified; what is beyond full scale is clipped to it.

    Exact for floats that came from integers of that word, whether positive ones were divided by 2**(bits - 1) or, as
    some browsers do, by one less.
    """
    full = 2.0 ** (bits - 1)
    whole = np.clip(np.rint(samples.astype(np.float64) * full), -full, full - 1)
    return whole.astype(np.int64).astype(np.int32) << (32 - bits)
