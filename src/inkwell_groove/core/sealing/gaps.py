"""What lies between two tracks put in other words: digital silence, or the side's own room tone without its damage.

Room tone is noise with the spectrum of the quietest stretch of the side and phases of its own, so that a gap of any
length has neither clicks nor the seam of a loop in it. Both come in and go out over 10 ms.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from inkwell_groove.core.audio.sound import Samples, SoundReader, to_float
from inkwell_groove.core.restoration import hiss
from inkwell_groove.core.restoration.chain import in_word
from inkwell_groove.core.restoration.stream import Source

_EDGE_S = 0.01
_SEED = 1877


class Gapped:
    """A reader whose gaps hold a tone, or silence; the same bits everywhere else."""

    def __init__(
        self, reader: SoundReader, gaps: Sequence[tuple[int, int]], tone: npt.NDArray[np.float64] | None
    ) -> None:
        """`gaps` are first and end samples; `tone` (samples, channels), full scale 1, as long as the longest."""
        self.format = reader.format
        self._reader = reader
        self._gaps = [gap for gap in gaps if gap[1] > gap[0]]
        self._tone = tone

    def read(self, start_sample: int, samples: int) -> Samples:
        block = self._reader.read(start_sample, samples)
        for start, end in self._gaps:
            a, b = max(start, start_sample), min(end, start_sample + len(block))
            if a < b:
                block = block.copy()
                block[a - start_sample : b - start_sample] = self._between(
                    block[a - start_sample : b - start_sample], a, start, end
                )
        return block

    def _between(self, old: Samples, first: int, start: int, end: int) -> Samples:
        place = first + np.arange(len(old)) - start
        edge = min(round(_EDGE_S * self.format.rate_hz), (end - start) // 2)
        near = np.minimum(place + 0.5, end - start - place - 0.5) / max(1, edge)
        share = (0.5 - 0.5 * np.cos(np.pi * np.minimum(1.0, near)))[:, None]
        new = np.zeros(old.shape) if self._tone is None else self._tone[place]
        mixed = to_float(old, self.format.full_scale) * (1.0 - share) + new * share
        out = in_word(mixed, self.format, first)
        if self._tone is None:
            out[share[:, 0] >= 1.0] = 0  # not even dither
        return out


def room_tone(reader: SoundReader, samples: int) -> npt.NDArray[np.float64] | None:
    """(samples, channels) of a side's own noise, the same every time; None where it is never quiet but silent."""
    stream = Source(reader)
    quiet = hiss.quietest(stream)
    if quiet is None or samples < 1:
        return None
    sound = stream.read(quiet[0], quiet[1] - quiet[0])
    sound = sound - sound.mean(axis=0)
    size = 1 << max(8, int(samples - 1).bit_length())
    shape = np.hanning(len(sound))[:, None]
    power = np.abs(np.fft.rfft(sound * shape, axis=0)) ** 2 / (shape**2).sum()
    at = np.linspace(0.0, len(power) - 1.0, size // 2 + 1)
    turns = np.random.default_rng(_SEED).random((size // 2 + 1, sound.shape[1]))
    spectrum = np.column_stack([np.sqrt(np.interp(at, np.arange(len(power)), one)) for one in power.T])
    return np.asarray(np.fft.irfft(spectrum * np.exp(2j * np.pi * turns) * np.sqrt(size), size, axis=0)[:samples])
