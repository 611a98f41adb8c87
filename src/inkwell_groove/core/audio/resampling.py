"""A recording at another rate, any stretch of it alone: the same samples whatever stretch is asked for.

soxr does it, at its very high quality. Stretches lie on a fixed grid, and each is converted with so much before and
after it that the filter never sees an end that is not the recording's; what is outside the recording is silence.
"""

from __future__ import annotations

from math import gcd

import numpy as np
import soxr

from inkwell_groove.core.audio.sound import Audio, SoundFormat, SoundReader, to_float

_GRID_SAMPLES = 65_536
_AROUND_SAMPLES = 4_096  # several times the filter's reach at any of our rates


class Converted:
    """`reader` at `rate_hz`, as float64 with full scale 1."""

    def __init__(self, reader: SoundReader, rate_hz: int) -> None:
        self._reader = reader
        form = reader.format
        common = gcd(form.rate_hz, rate_hz)
        self._up, self._down = rate_hz // common, form.rate_hz // common
        self._steps = max(1, _GRID_SAMPLES // self._down)
        self._around = -(-_AROUND_SAMPLES * max(1, self._down // self._up) // self._down)
        self._kept: tuple[int, Audio] = (-1, np.zeros((0, form.channels)))
        self.format = SoundFormat(
            container=form.container,
            word="f64",
            rate_hz=rate_hz,
            channels=form.channels,
            samples=self.place(form.samples),
        )

    def place(self, sample: int) -> int:
        """Where a sample of the recording comes to lie: the nearest of the new ones, halves up."""
        return (2 * sample * self._up + self._down) // (2 * self._down)

    def read(self, start_sample: int, samples: int) -> Audio:
        end = min(start_sample + samples, self.format.samples)
        parts = []
        at = start_sample
        while at < end:
            number, inside = divmod(at, self._steps * self._up)
            part = self._stretch(number)[inside : inside + end - at]
            parts.append(part)
            at += len(part)
        return np.concatenate(parts) if parts else np.zeros((0, self.format.channels))

    def _stretch(self, number: int) -> Audio:
        if self._kept[0] != number:
            first = (number * self._steps - self._around) * self._down
            count = (self._steps + 2 * self._around) * self._down
            block = _padded(self._reader, first, count)
            made = soxr.resample(block, self._down, self._up, quality="VHQ")
            begin = self._around * self._up
            self._kept = number, np.asarray(made[begin : begin + self._steps * self._up])
        return self._kept[1]


def _padded(reader: SoundReader, first: int, count: int) -> Audio:
    """Samples [first, first + count) as float64, with silence where there are none."""
    form = reader.format
    low, high = max(0, first), min(form.samples, first + count)
    out = np.zeros((count, form.channels))
    if low < high:
        out[low - first : high - first] = to_float(reader.read(low, high - low), form.full_scale)
    return out
