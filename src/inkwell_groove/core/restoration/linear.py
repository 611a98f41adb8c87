"""Every step that only weighs frequencies, done as one: curves, rumble, vertical rumble and the equaliser.

The wanted response is written down where it is known exactly, as a function of frequency, and turned into an impulse
response by FFT. A bilinear transform of the microgroove curve at 44.1 kHz would fall short of it by 1.6 dB at 10 kHz,
4.6 dB at 15 kHz and 13.5 dB at 20 kHz, since it squeezes all frequencies up to infinity into those below half the rate.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

import numpy as np
import numpy.typing as npt
from pydantic import BaseModel, ConfigDict, Field
from scipy.fft import irfft, next_fast_len, rfft

from inkwell_groove.core.restoration.stream import Block, GridStep, Stream

Response = npt.NDArray[np.complex128]
Hz = npt.NDArray[np.float64]
_LENGTH_S = 1.3  # at least, of the impulse response, half of it before the sample: the steepest rumble filter needs it
_RUMBLE_ORDER = 24
_VERTICAL_ORDER = 4


class Band(BaseModel):
    """One band of the equaliser: a bell, or a shelf from its frequency down or up."""

    model_config = ConfigDict(frozen=True)

    shape: Literal["bell", "low shelf", "high shelf"] = "bell"
    hz: float = Field(gt=5, lt=96_000)
    gain_db: float = Field(ge=-30, le=30)
    q: float = Field(default=1.0, ge=0.1, le=50)

    def response(self, hz: Hz) -> Response:
        """Of the analogue prototype (Bristow-Johnson's, before the bilinear transform he gives for it)."""
        s = 1j * hz / self.hz
        a = 10 ** (self.gain_db / 40)
        if self.shape == "bell":
            return np.asarray((s * s + s * (a / self.q) + 1) / (s * s + s / (a * self.q) + 1))
        root = np.sqrt(a) / self.q
        if self.shape == "low shelf":
            return np.asarray(a * (s * s + root * s + a) / (a * s * s + root * s + 1))
        return np.asarray(a * (a * s * s + root * s + 1) / (s * s + root * s + a))


def equalised(hz: Hz, bands: Sequence[Band]) -> Response:
    """All bands together."""
    out = np.ones(len(hz), complex)
    for band in bands:
        out *= band.response(hz)
    return out


def without_rumble(hz: Hz, below_hz: float) -> Response:
    """The magnitude of a Butterworth high-pass of order 24, with no phase: 3 dB down at `below_hz`, 0.1 dB an eighth
    of an octave above it, 40 dB down a third of an octave below. Without phase the bass keeps its shape; what that
    costs is a ringing before each attack, at `below_hz`, far under the threshold of hearing there.
    """
    x = (below_hz / np.maximum(hz, 1e-3)) ** (2 * _RUMBLE_ORDER)
    return np.asarray(1.0 / np.sqrt(1.0 + np.minimum(x, 1e12)) + 0j)


def lateral_only(hz: Hz, below_hz: float) -> npt.NDArray[np.float64]:
    """What is left of the difference of the channels: nothing much under `below_hz`, its phase untouched."""
    return np.asarray(1.0 / (1.0 + (below_hz / np.maximum(hz, 1e-3)) ** (2 * _VERTICAL_ORDER)))


def grid_hz(rate_hz: int) -> Hz:
    """The frequencies at which responses are written down."""
    return np.asarray(np.fft.rfftfreq(_size(rate_hz), 1.0 / rate_hz))


def has_rumble(stream: Stream) -> bool:
    """Whether there is so much below 25 Hz, most of the time, as no music has: more than in the octave from 40 Hz on,
    hertz for hertz, and above -72 dBFS.
    """
    size = 1 << int(np.ceil(np.log2(2.0 * stream.rate_hz)))
    if stream.samples < size:
        return False
    window = np.hanning(size)
    hz = np.fft.rfftfreq(size, 1.0 / stream.rate_hz)
    low, above = (hz > 4) & (hz < 25), (hz > 40) & (hz < 80)
    told = []
    for first in range(0, stream.samples - size + 1, max(size, stream.samples // 60)):
        power = (np.abs(np.fft.rfft(stream.read(first, size).T * window, axis=-1)) ** 2).max(axis=0)
        told.append((power[low].sum(), power[low].mean() / (power[above].mean() + 1e-30)))
    level, ratio = np.median(np.array(told), axis=0)
    return bool(10 * np.log10(2 * level / (window**2).sum() / size + 1e-30) > -72.0 and ratio > 1.0)


class Weighed(GridStep):
    """A stream through responses given at `grid_hz`: one for what both channels share, one for what they differ by.

    With one response both channels are simply filtered alike.
    """

    def __init__(self, before: Stream, response: Response, difference: Response | None = None) -> None:
        super().__init__(before)
        self._size = _size(before.rate_hz)
        self._ahead = self._size // 2
        self.grid = 1 << 17 if before.rate_hz <= 50_000 else 1 << 18
        self._fft = next_fast_len(self.grid + self._size, real=True)
        self._filter = self._spectrum(response)
        self._difference = None if difference is None or before.channels != 2 else self._spectrum(difference)

    def _spectrum(self, response: Response) -> Response:
        whole = np.roll(irfft(response, self._size), self._ahead)
        edge = self._size // 64
        fade = 0.5 - 0.5 * np.cos(np.pi * (np.arange(edge) + 0.5) / edge)
        whole[:edge] *= fade
        whole[-edge:] *= fade[::-1]
        return np.asarray(rfft(whole, self._fft))

    def make(self, first: int, samples: int) -> Block:
        from_ = first - (self._size - self._ahead)
        block = self.before.read(from_, samples + self._size)
        if self._difference is not None:
            block = np.column_stack([block[:, 0] + block[:, 1], block[:, 0] - block[:, 1]]) * 0.5
        out = np.empty((samples, self.channels))
        for channel in range(self.channels):
            own = self._difference if channel == 1 and self._difference is not None else self._filter
            whole = irfft(rfft(block[:, channel], self._fft) * own, self._fft)
            out[:, channel] = whole[self._size : self._size + samples]
        if self._difference is not None:
            out = np.column_stack([out[:, 0] + out[:, 1], out[:, 0] - out[:, 1]])
        return out


def _size(rate_hz: int) -> int:
    return 1 << int(np.ceil(np.log2(_LENGTH_S * rate_hz)))
