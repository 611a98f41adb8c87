"""From sound to prints: 32 bits for every hop of 11.6 ms, from 33 bands between 300 and 2,000 Hz.

A bit tells whether the energy difference between two neighbouring bands has risen since the frame before: bit m of
frame n is the sign of E(n,m) - E(n,m+1) - (E(n-1,m) - E(n-1,m+1)), with frames of 0.37 s under a Hann window
(Haitsma and Kalker 2002, section 4.2).
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import NamedTuple

import numpy as np
import numpy.typing as npt
import scipy.fft
import soxr

from inkwell_groove.core.audio.sound import SoundReader
from inkwell_groove.core.errors import Refused

Prints = npt.NDArray[np.uint32]  # (frames,)
Strengths = npt.NDArray[np.float32]  # (frames, 32): how far each bit is from being the other one

RATE_HZ = 5_512.5
FRAME, HOP = 2_048, 64
HOP_S = HOP / RATE_HZ
BITS = 32
LOW_HZ, HIGH_HZ = 300.0, 2_000.0
BLOCK = 256  # prints that are compared at once: three seconds
_READ_S = 20.0
_AT_ONCE = 2_048  # frames whose spectra are held at the same time: 17 MB


class Printed(NamedTuple):
    """Prints, and how firm each of their bits is."""

    prints: Prints
    strengths: Strengths


def fingerprint(
    reader: SoundReader,
    *,
    start_sample: int = 0,
    end_sample: int | None = None,
    speed_ratio: float = 1.0,
    progress: Callable[[float], None] = lambda share: None,
) -> Prints:
    """Prints of samples [start_sample, end_sample) of a recording.

    `speed_ratio` is how much too fast it ran, which is undone first. Raises Refused for less sound than one frame and a
    hop, 0.4 s.
    """
    return np.concatenate([one.prints for one in _printed(reader, start_sample, end_sample, speed_ratio, progress)])


def with_strengths(
    reader: SoundReader, *, start_sample: int = 0, end_sample: int | None = None, speed_ratio: float = 1.0
) -> Printed:
    """The same with the strengths, which take 32 times as much memory: for what is to be looked up."""
    parts = list(_printed(reader, start_sample, end_sample, speed_ratio, lambda share: None))
    return Printed(np.concatenate([one.prints for one in parts]), np.concatenate([one.strengths for one in parts]))


def of_mono(mono: npt.NDArray[np.float32]) -> Printed:
    """Prints of (samples,) at RATE_HZ: one fewer than there are whole frames; none for less than two."""
    count = (len(mono) - FRAME) // HOP + 1
    if count < 2:
        return Printed(np.zeros(0, np.uint32), np.zeros((0, BITS), np.float32))
    energies = np.empty((count, BITS + 1), np.float32)
    frames = np.lib.stride_tricks.sliding_window_view(mono, FRAME)[::HOP]
    for first in range(0, count, _AT_ONCE):
        spectra = scipy.fft.rfft(frames[first : first + _AT_ONCE] * _WINDOW, axis=1)
        power = spectra.real**2 + spectra.imag**2
        energies[first : first + len(power)] = np.add.reduceat(power, _EDGES, axis=1)[:, :-1]
    apart = energies[:, :-1] - energies[:, 1:]
    risen = apart[1:] - apart[:-1]
    bits = np.packbits(risen > 0, axis=1, bitorder="little").view("<u4")[:, 0]
    level = energies[1:].mean(axis=1, keepdims=True) + 1e-20
    return Printed(bits.astype(np.uint32), np.abs(risen) / level)


def _printed(
    reader: SoundReader,
    start_sample: int,
    end_sample: int | None,
    speed_ratio: float,
    progress: Callable[[float], None],
) -> Iterator[Printed]:
    end = reader.format.samples if end_sample is None else end_sample
    given = False
    left = np.zeros(0, np.float32)
    for share, mono in _mono(reader, start_sample, end, speed_ratio):
        left = np.concatenate([left, mono])
        whole = (len(left) - FRAME) // HOP + 1
        if whole >= 2:
            yield of_mono(left[: FRAME + (whole - 1) * HOP])
            # The last frame is where the next prints begin to count from.
            left = left[(whole - 1) * HOP :]
            given = True
        progress(share)
    if not given:
        seconds = (end - start_sample) / reader.format.rate_hz
        raise Refused(
            f"{seconds:.2f} s are too short for a fingerprint",
            where="fingerprint",
            remedy="Give half a second of sound or more; three seconds to find it by",
        )


def _mono(
    reader: SoundReader, start: int, end: int, speed_ratio: float
) -> Iterator[tuple[float, npt.NDArray[np.float32]]]:
    """The mean of the channels at RATE_HZ, in blocks, each with the share of the recording that is read then."""
    form = reader.format
    stream = soxr.ResampleStream(form.rate_hz / speed_ratio, RATE_HZ, 1, dtype="float32", quality="MQ")
    block = round(_READ_S * form.rate_hz)
    for first in range(start, end, block):
        sound = reader.read(first, min(block, end - first)).astype(np.float32) / form.full_scale
        last = first + block >= end
        yield min(1.0, (first + block - start) / (end - start)), stream.resample_chunk(sound.mean(axis=1), last=last)


def _edges() -> npt.NDArray[np.int64]:
    """The first spectrum line of each band and of what is after the last."""
    hz = LOW_HZ * (HIGH_HZ / LOW_HZ) ** (np.arange(BITS + 2) / (BITS + 1))
    return np.round(hz * FRAME / RATE_HZ).astype(np.int64)


_EDGES = _edges()
_WINDOW = np.hanning(FRAME).astype(np.float32)
