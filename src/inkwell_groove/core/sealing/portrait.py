"""What a reader of the report sees of a track's sound: its level second by second, and its spectrum."""

from __future__ import annotations

import numba
import numpy as np
import numpy.typing as npt

from inkwell_groove.core.audio.sound import Samples

_WINDOW_SAMPLES = 4_096
_BANDS_PER_OCTAVE = 6
_LOWEST_HZ = 20.0
_FLOOR_DB = -120.0


class Portrait:
    """Heard block by block, as integers or floats of `full_scale`; blocks may be of any length."""

    def __init__(self, *, rate_hz: int, full_scale: float) -> None:
        self.rate_hz = rate_hz
        self.full_scale = full_scale
        self._at = 0
        self._second = np.zeros(2)  # the peak and the sum of squares of the second that has begun
        self._levels: list[tuple[float, float]] = []
        self._power = np.zeros(_WINDOW_SAMPLES // 2 + 1)
        self._windows = 0
        self._window = np.hanning(_WINDOW_SAMPLES)

    @classmethod
    def of_bits(cls, bits: int, *, rate_hz: int) -> Portrait:
        """For the blocks that files of so many bits are read in."""
        return cls(rate_hz=rate_hz, full_scale=32768.0 if bits <= 16 else 2147483648.0)

    def feed(self, block: Samples) -> None:
        done = 0
        while done < len(block):
            inside = self._at % self.rate_hz
            part = block[done : done + self.rate_hz - inside]
            if inside == 0 and len(part) >= _WINDOW_SAMPLES:
                self._hear_window(part)
            _reach(part.reshape(-1), self._second)
            done += len(part)
            self._at += len(part)
            if self._at % self.rate_hz == 0:
                self._end_second(self.rate_hz * block.shape[1])
        self._channels = block.shape[1]

    def finish(self) -> None:
        if left := self._at % self.rate_hz:
            self._end_second(left * self._channels)
            self._at -= left

    def _hear_window(self, part: Samples) -> None:
        """One window a second tells a spectrum well enough, and costs next to nothing."""
        mono = part[:_WINDOW_SAMPLES].mean(axis=1) / self.full_scale
        self._power += np.abs(np.fft.rfft(mono * self._window)) ** 2
        self._windows += 1

    def _end_second(self, values: int) -> None:
        peak, squares = self._second / (self.full_scale, self.full_scale**2)
        self._levels.append((float(peak), float(np.sqrt(squares / values))))
        self._second[:] = 0.0

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


@numba.njit(nogil=True, cache=True, fastmath=True)  # in any order, so that it can be done several at a time
def _reach(values, second):  # type: ignore[no-untyped-def] # pragma: no cover: compiled
    """Raises the peak and adds to the sum of squares, (2,), by what the values of a block hold."""
    peak, squares = second[0], second[1]
    for n in range(len(values)):
        value = np.float64(values[n])
        peak = max(peak, abs(value))
        squares += value * value
    second[0], second[1] = peak, squares
