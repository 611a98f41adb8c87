"""What plays: a signal that an interface listens to, and the sound of a file streamed at any rate and speed."""

from __future__ import annotations

from pathlib import Path
from typing import Protocol

import numpy as np
import soxr

from inkwell_groove.core.audio.sound import Audio, to_float
from inkwell_groove.core.audio.soundfiles import FileReader

_READ_SAMPLES = 16_384


class Signal(Protocol):
    """A deck's output: (samples, 2), full scale 1.0 at the interface's 0 dB."""

    def play(self, samples: int) -> Audio: ...


class Groove:
    """The sound of one side, from where the stylus was set down; past its end the run-out goes round.

    At the file's own rate and speed its samples pass untouched; otherwise they are resampled (soxr, very high quality).
    """

    def __init__(
        self, path: Path, run_out_sample: int, *, rate_hz: int, speed: float, start_share: float = 0.0
    ) -> None:
        self._reader = FileReader(path)
        form = self._reader.format
        self._run_out = min(run_out_sample, form.samples - 1)
        self._at = round(start_share * self._run_out)
        self._ready = np.zeros((0, 2))
        step = form.rate_hz * speed / rate_hz
        self._resampler = (
            None if step == 1.0 else soxr.ResampleStream(form.rate_hz * speed, rate_hz, 2, "float64", "VHQ")
        )

    def play(self, samples: int) -> Audio:
        parts, have = [self._ready], len(self._ready)
        while have < samples:
            part = self._next(max(_READ_SAMPLES, samples) if self._resampler else samples - have)
            parts.append(part)
            have += len(part)
        joined = np.concatenate(parts) if len(parts) > 2 or len(parts[0]) else parts[-1]
        self._ready = joined[samples:]
        return np.asarray(joined[:samples])

    def _next(self, samples: int) -> Audio:
        form = self._reader.format
        if self._at >= form.samples:
            self._at = self._run_out
        block = to_float(self._reader.read(self._at, samples), form.full_scale)
        self._at += len(block)
        if block.shape[1] == 1:
            block = np.repeat(block, 2, axis=1)
        return block if self._resampler is None else np.asarray(self._resampler.resample_chunk(block))

    def close(self) -> None:
        self._reader.close()


def hiss(rng: np.random.Generator, samples: int, level_dbfs: float) -> Audio:
    """White noise of an amplifier."""
    return np.asarray(10 ** (level_dbfs / 20) * rng.standard_normal((samples, 2)))
