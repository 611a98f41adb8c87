"""What a reader of the report sees of a track's sound: its level second by second, and its spectrum."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from inkwell_groove.core.sound import Audio

_WINDOW_SAMPLES = 4_096
_BANDS_PER_OCTAVE = 6
_LOWEST_HZ = 20.0
_FLOOR_DB = -120.0


class Portrait:
    """Heard block by block; blocks may be of any length."""

    def __init__(self, *, rate_hz: int) -> None:
        self.rate_hz = rate_hz
        self._rest: Audio = np.zeros((0, 1))
        self._levels: list[tuple[float, float]] = []
        self._power = np.zeros(_WINDOW_SAMPLES // 2 + 1)
        self._windows = 0
        self._window = np.hanning(_WINDOW_SAMPLES)

    def feed(self, audio: Audio) -> None:
        joined = audio if not len(self._rest) else np.concatenate((self._rest, audio))
        second = self.rate_hz
        whole = len(joined) // second
        for index in range(whole):
            self._second(joined[index * second : (index + 1) * second])
        self._rest = joined[whole * second :]

    def _second(self, audio: Audio) -> None:
        self._levels.append((float(np.abs(audio).max()), float(np.sqrt(np.mean(audio**2)))))
        # One window a second tells a spectrum well enough, and costs next to nothing.
        if len(audio) >= _WINDOW_SAMPLES:
            part = audio[:_WINDOW_SAMPLES].mean(axis=1) * self._window
            self._power += np.abs(np.fft.rfft(part)) ** 2
            self._windows += 1

    def finish(self) -> None:
        if len(self._rest):
            self._second(self._rest)
            self._rest = self._rest[:0]

    def levels_db(self) -> npt.NDArray[np.float64]:
        """(seconds, 2): peak and RMS in dBFS, not below -120."""
        found = np.maximum(np.array(self._levels).reshape(-1, 2), 1e-9)
        return np.asarray(np.maximum(20 * np.log10(found), _FLOOR_DB))

    def spectrum_db(self) -> list[tuple[float, float]]:
        """(Hz, dB) by sixth of an octave; 0 dB is a full-scale sine."""
        if not self._windows:
            return []
        scale = (self._window.sum() / 2) ** 2
        hz = np.fft.rfftfreq(_WINDOW_SAMPLES, 1 / self.rate_hz)
        power = self._power / self._windows / scale
        found, low = [], _LOWEST_HZ
        while low < self.rate_hz / 2:
            high = low * 2 ** (1 / _BANDS_PER_OCTAVE)
            inside = (hz >= low) & (hz < high)
            if inside.any():
                found.append((low, max(_FLOOR_DB, float(10 * np.log10(power[inside].sum() + 1e-12)))))
            low = high
        return found
