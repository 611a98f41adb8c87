"""Whether a sound has been through lossy coding, or was stretched to a higher rate: told by what that leaves in it.

Two traces are looked for. Coders cut the spectrum at a place of their own, far steeper than any filter of a recorder
or a resampler does (what coders do below 256 kbit/s, common practice). And what a transform coder of 1,024-sample
frames (AAC, ISO/IEC 14496-3, section 4.6.11) has rounded to nothing is nothing again when the same transform is laid
on the same frames, and only there: the idea of the inverse decoder (J. Herre and M. Schug, Analysis of Decompressed
Audio - The Inverse Decoder, AES 109th Convention, 2000; from memory).
"""

from __future__ import annotations

from functools import cache
from typing import Literal

import numpy as np
import numpy.typing as npt
from pydantic import BaseModel, ConfigDict, Field
from scipy.fft import dct

from inkwell_groove.core.audio.sound import SoundReader, to_float

Cause = Literal["", "lossy coding", "a lower rate"]
_Floats = npt.NDArray[np.float64]
_Shorts = npt.NDArray[np.float32]

_WINDOW = 4_096
_MOST_WINDOWS = 600
_AT_ONCE = 16
_LOUD_SHARE = 0.95  # of the windows, by bin: what sounds now and then in the treble counts
_LOWEST_EDGE_HZ = 8_000.0
_NEAR_HZ, _FAR_HZ = 60.0, 200.0  # the level is taken so far below and above an edge
_EDGE_DB = 22.0
# Coders end below this; converters of 44.1 and 48 kHz, and resamplers to those rates, end above it (common practice).
_CODERS_END_HZ = 20_600.0
_LOWER_RATES_HZ = (44_100, 48_000)

_FRAME = 1_024
_FRAMES_HEARD = 16
_BANDS = slice(64, 704)  # coefficients of 1.4 to 15 kHz at 44.1 kHz
_BAND = 16
_NOTHING = 0.04  # of the band's RMS: what is below was rounded to nothing, or happens to be small
_STANDS_OUT = 2.2  # times as high as at the next best place, over the middle: what was never coded stays below 1.6


class Coding(BaseModel):
    """What was found. `cause` is empty if nothing speaks against the sound."""

    model_config = ConfigDict(frozen=True)

    cause: Cause = ""
    edge_hz: float | None = Field(default=None, description="Where the spectrum is cut, if it is.")
    edge_db: float = Field(default=0.0, description="By how much it falls within 120 Hz, at its steepest.")
    frames_from: int | None = Field(default=None, description="The sample at which a coder's frames begin, mod 1,024.")

    @property
    def words(self) -> str:
        if self.cause == "a lower rate":
            return f"cut at {(self.edge_hz or 0) / 1_000:.1f} kHz, as what comes from a lower rate is"
        if self.frames_from is not None:
            return f"rounded in frames of 1,024 samples from sample {self.frames_from} on, as AAC does"
        if self.cause:
            return f"cut at {(self.edge_hz or 0) / 1_000:.1f} kHz by {self.edge_db:.0f} dB, as lossy coders do"
        return ""


def coding_of(reader: SoundReader) -> Coding:
    """Return what speaks for lossy coding or a lower rate. Reads at most 616 stretches of 4,096 samples.

    Where a sound is too short, too quiet or too dark to tell, nothing is found: silence about it proves nothing.
    """
    rate_hz = reader.format.rate_hz
    edge_hz, edge_db = _edge(_loud_spectrum(reader), rate_hz)
    if edge_db >= _EDGE_DB:
        if edge_hz < _CODERS_END_HZ:
            return Coding(cause="lossy coding", edge_hz=edge_hz, edge_db=edge_db)
        if any(edge_hz <= lower / 2 < 0.95 * rate_hz / 2 for lower in _LOWER_RATES_HZ):
            return Coding(cause="a lower rate", edge_hz=edge_hz, edge_db=edge_db)
    if rate_hz <= 48_000 and (first := _frames(reader)) is not None:
        return Coding(cause="lossy coding", edge_db=edge_db, frames_from=first)
    return Coding(edge_db=edge_db)


def _loud_spectrum(reader: SoundReader) -> _Floats:
    """Return the power in dB that a twentieth of the windows exceed. (bins,); 0 dB is a full-scale sine."""
    form = reader.format
    last = form.samples - _WINDOW
    if last < 0:
        return np.full(_WINDOW // 2 + 1, -200.0)
    starts = np.unique(np.linspace(0, last, min(_MOST_WINDOWS, 1 + 2 * last // _WINDOW)).astype(np.int64))
    window = np.hanning(_WINDOW)
    powers = np.empty((len(starts), _WINDOW // 2 + 1), np.float32)
    # In a coded file, finding a place costs more than reading on: windows that lie close are read at once.
    is_near = np.max(np.diff(starts), initial=0) <= 2 * _WINDOW
    for group in np.array_split(np.arange(len(starts)), -(-len(starts) // _AT_ONCE) if is_near else len(starts)):
        first, end = int(starts[group[0]]), int(starts[group[-1]]) + _WINDOW
        mono = to_float(reader.read(first, end - first), form.full_scale).mean(axis=1)
        stretches = np.lib.stride_tricks.sliding_window_view(mono, _WINDOW)[starts[group] - first]
        spectrum = np.fft.rfft(stretches * window, axis=1)
        powers[group] = np.square(spectrum.real) + np.square(spectrum.imag)
    loud = np.quantile(powers, _LOUD_SHARE, axis=0)
    return np.asarray(10 * np.log10(loud / (window.sum() / 2) ** 2 + 1e-20))


def _edge(spectrum_db: _Floats, rate_hz: int) -> tuple[float, float]:
    """Return Hz and dB of the steepest fall: the mean level just below a place less that just above it."""
    bin_hz = rate_hz / _WINDOW
    near, far = max(1, round(_NEAR_HZ / bin_hz)), max(2, round(_FAR_HZ / bin_hz))
    total = np.concatenate(([0.0], np.cumsum(spectrum_db)))
    places = np.arange(round(_LOWEST_EDGE_HZ / bin_hz), len(spectrum_db) - far - 1)
    if len(places) == 0:
        return 0.0, 0.0
    below = (total[places - near] - total[places - far]) / (far - near)
    above = (total[places + far + 1] - total[places + near]) / (far + 1 - near)
    steepest = int(np.argmax(below - above))
    return float(places[steepest] * bin_hz), float((below - above)[steepest])


def _frames(reader: SoundReader) -> int | None:
    """Return where frames begin on which far more is nothing than on any others; None if no place stands out.

    Channels are heard as they are and as their sum: coders round either.
    """
    form = reader.format
    starts = _loud_places(reader)
    if len(starts) < _FRAMES_HEARD:
        return None
    empty = np.zeros((2, 2, _FRAME))
    for start in starts:
        stretch = to_float(reader.read(start, 3 * _FRAME), form.full_scale)
        for source, mono in enumerate((stretch[:, 0], stretch.mean(axis=1))):
            at_all = np.lib.stride_tricks.sliding_window_view(mono.astype(np.float32), 2 * _FRAME)[:_FRAME]
            for shape, window in enumerate(_windows()):
                empty[source, shape] += _share_of_nothing(at_all, window)
    for shares in empty.reshape(-1, _FRAME):
        best = int(np.argmax(shares))
        middle = float(np.median(shares))
        others = np.delete(shares, best)
        if shares[best] - middle > _STANDS_OUT * (float(others.max()) - middle) > 0:
            return best
    return None


def _loud_places(reader: SoundReader) -> list[int]:
    """Return starts of stretches to hear, multiples of a frame: the louder ones of those spread over the whole."""
    form = reader.format
    spread = np.linspace(_FRAME, form.samples - 4 * _FRAME, 4 * _FRAMES_HEARD)
    if form.samples < 4 * _FRAMES_HEARD * 3 * _FRAME:
        return []
    starts = [int(one) // _FRAME * _FRAME for one in spread]
    levels = [float(np.square(to_float(reader.read(one, _FRAME), form.full_scale)).mean()) for one in starts]
    loudest = sorted(range(len(starts)), key=lambda one: -levels[one])[:_FRAMES_HEARD]
    return [starts[one] for one in sorted(loudest) if levels[one] > 0]


def _share_of_nothing(stretches: _Shorts, window: _Shorts) -> _Shorts:
    """Return which share of a stretch's coefficients is next to nothing beside its neighbours. (stretches,)"""
    bands = _mdct(stretches, window)[:, _BANDS].reshape(len(stretches), -1, _BAND)
    power = np.square(bands, out=bands)
    next_to_nothing = np.float32(_NOTHING**2) * power.mean(axis=2, keepdims=True)
    found = power <= next_to_nothing
    return np.asarray(np.count_nonzero(found, axis=(1, 2)) / found[0].size)


def _mdct(stretches: _Shorts, window: _Shorts) -> _Shorts:
    """Return the modified discrete cosine transform of windowed stretches: (n, 2M) to (n, M).

    Folded in quarters, then a DCT of type IV (J. Princen, A. Johnson, A. Bradley, 1987).
    """
    half = _FRAME // 2
    quarters = [slice(number * half, (number + 1) * half) for number in range(4)]
    a, b, c, d = (stretches[:, one] for one in quarters)
    of_a, of_b, of_c, of_d = (window[one] for one in quarters)
    folded = np.empty((len(stretches), _FRAME), np.float32)
    np.multiply(c[:, ::-1], -of_c[::-1], out=folded[:, :half])
    folded[:, :half] -= d * of_d
    np.multiply(a, of_a, out=folded[:, half:])
    folded[:, half:] -= b[:, ::-1] * of_b[::-1]
    return np.asarray(dct(folded, type=4, axis=1, overwrite_x=True))


@cache
def _windows() -> tuple[_Shorts, _Shorts]:
    """Return AAC's two: half a sine, and Kaiser-Bessel derived with alpha 4."""
    sine = np.sin(np.pi * (np.arange(2 * _FRAME) + 0.5) / (2 * _FRAME))
    rising = np.cumsum(np.kaiser(_FRAME + 1, 4 * np.pi))
    half = np.sqrt(rising[:_FRAME] / rising[_FRAME])
    return sine.astype(np.float32), np.concatenate((half, half[::-1])).astype(np.float32)
