"""Sound in memory, as a stream and as a take."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from inkwell_groove.core.audio.sound import Samples, SoundFormat, Word

Stereo = npt.NDArray[np.float64]


class Held:
    """A stream over an array (samples, channels), with silence around it."""

    def __init__(self, sound: Stereo, rate_hz: int = 44_100) -> None:
        self._sound = sound
        self.rate_hz = rate_hz
        self.samples, self.channels = sound.shape

    def read(self, first: int, samples: int) -> Stereo:
        out = np.zeros((samples, self.channels))
        a, b = max(first, 0), min(first + samples, self.samples)
        if a < b:
            out[a - first : b - first] = self._sound[a:b]
        return out


class Taken:
    """A take of 16 or 24 bits made from an array with full scale 1."""

    def __init__(self, sound: Stereo, rate_hz: int = 44_100, *, word: Word = "s16") -> None:
        top = 32768 if word == "s16" else 8388608
        whole = np.clip(np.rint(sound * top), -top, top - 1)
        self.data: Samples = whole.astype(np.int16) if word == "s16" else (whole.astype(np.int64) << 8).astype(np.int32)
        self.format = SoundFormat(
            container="WAV", word=word, rate_hz=rate_hz, channels=sound.shape[1], samples=len(sound)
        )

    def read(self, start_sample: int, samples: int) -> Samples:
        return self.data[max(0, start_sample) : start_sample + samples]


def band_noise(samples: int, rng: np.random.Generator, *, order: int = 12, radius: float = 0.9) -> Stereo:
    """Return (samples,) of an autoregressive process with resonances, a simple model of music."""
    poles = radius * np.exp(1j * np.linspace(0.15, 2.4, order // 2))
    filter_ = np.real(np.poly(np.concatenate([poles, poles.conj()])))
    from scipy.signal import lfilter

    return np.asarray(lfilter([1.0], filter_, rng.standard_normal(samples)))
