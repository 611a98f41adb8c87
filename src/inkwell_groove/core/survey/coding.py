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

_WINDOW = 4_096
_MOST_WINDOWS = 600
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
    """What was found. `cause` is empty where nothing speaks against the sound."""

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
    """What speaks for lossy coding or a lower rate. Reads up to 600 stretches of 4,096 samples, and 16 of 4,096.

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
    """(bins,): power in dB that a twentieth of the windows exceed, bin by bin; 0 dB is a full-scale sine."""
    form = reader.format
    last = form.samples - _WINDOW
    if last < 0:
        return np.full(_WINDOW // 2 + 1, -200.0)
    starts = np.unique(np.linspace(0, last, min(_MOST_WINDOWS, 1 + 2 * last // _WINDOW)).astype(np.int64))
    window = np.hanning(_WINDOW)
    powers = np.empty((len(starts), _WINDOW // 2 + 1), np.float32)
    for at, start in enumerate(starts):
        mono = to_float(reader.read(int(start), _WINDOW), form.full_scale).mean(axis=1)
        powers[at] = np.abs(np.fft.rfft(mono * window)) ** 2
    loud = np.quantile(powers, _LOUD_SHARE, axis=0)
    return np.asarray(10 * np.log10(loud / (window.sum() / 2) ** 2 + 1e-20))


def _edge(spectrum_db: _Floats, rate_hz: int) -> tuple[float, float]:
    """(Hz, dB) of the steepest fall: the mean level just below a place less that just above it."""
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
    """Where frames begin on which far more is nothing than on any others; None where no place stands out.

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
            at_all = np.lib.stride_tricks.sliding_window_view(mono, 2 * _FRAME)[:_FRAME]
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
    """Starts of stretches to hear, multiples of a frame: the louder ones of those spread over the whole."""
    form = reader.format
    spread = np.linspace(_FRAME, form.samples - 4 * _FRAME, 4 * _FRAMES_HEARD)
    if form.samples < 4 * _FRAMES_HEARD * 3 * _FRAME:
        return []
    starts = [int(one) // _FRAME * _FRAME for one in spread]
    levels = [float(np.square(to_float(reader.read(one, _FRAME), form.full_scale)).mean()) for one in starts]
    loudest = sorted(range(len(starts)), key=lambda one: -levels[one])[:_FRAMES_HEARD]
    return [starts[one] for one in sorted(loudest) if levels[one] > 0]


def _share_of_nothing(stretches: _Floats, window: _Floats) -> _Floats:
    """(stretches,): the share of coefficients that are next to nothing beside their neighbours, mean of all bands."""
    bands = _mdct(stretches * window)[:, _BANDS].reshape(len(stretches), -1, _BAND)
    rms = np.sqrt(np.square(bands).mean(axis=2, keepdims=True)) + 1e-12
    return np.asarray((np.abs(bands) < _NOTHING * rms).mean(axis=(1, 2)))


def _mdct(windowed: _Floats) -> _Floats:
    """(n, 2M) to (n, M): folded in quarters, then a DCT of type IV (J. Princen, A. Johnson, A. Bradley, 1987)."""
    half = _FRAME // 2
    a, b, c, d = (windowed[:, k * half : (k + 1) * half] for k in range(4))
    folded = np.concatenate((-c[:, ::-1] - d, a - b[:, ::-1]), axis=1)
    return np.asarray(dct(folded.astype(np.float32), type=4, axis=1))


@cache
def _windows() -> tuple[_Floats, _Floats]:
    """AAC's two: half a sine, and Kaiser-Bessel derived with alpha 4."""
    sine = np.sin(np.pi * (np.arange(2 * _FRAME) + 0.5) / (2 * _FRAME))
    rising = np.cumsum(np.kaiser(_FRAME + 1, 4 * np.pi))
    half = np.sqrt(rising[:_FRAME] / rising[_FRAME])
    return sine, np.concatenate((half, half[::-1]))
