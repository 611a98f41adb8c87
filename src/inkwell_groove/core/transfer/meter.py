"""The level meter of a transfer: what each tenth of a second was, what the highest was, and what the chain does.

Peaks are sample peaks and true peaks (ITU-R BS.1770-5 annex 2), RMS is of a sine's scale: 0 dBFS for full-scale square,
-3.01 for a sine. Clipped samples are those in runs of three or more at the word's limit.
"""

from __future__ import annotations

from collections import deque

import numba
import numpy as np
import numpy.typing as npt
from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.audio.decibels import dbfs
from inkwell_groove.core.audio.packing import Whole
from inkwell_groove.core.measure.chain import Hum
from inkwell_groove.core.measure.levels import MIN_CLIPPED_RUN, TruePeak
from inkwell_groove.core.transfer.block import Block

WINDOWS_PER_S = 10
HISTORY_S = 180
_FULL_SCALE = 2.0**31
_AVERAGE_WINDOWS = 50  # offset and balance are of the last five seconds
_DEAD_DBFS = -80.0
_HUM_STRETCHES = 6

Levels = tuple[float | None, ...]


class MeterWindow(BaseModel):
    """A tenth of a second. Levels go by channel, in dBFS; none for digital silence."""

    model_config = ConfigDict(frozen=True)

    end_sample: int = Field(description="By the source's count.")
    peak_dbfs: Levels
    true_peak_dbtp: Levels
    rms_dbfs: Levels
    clipped_samples: tuple[int, ...]


class MeterHold(BaseModel):
    """The highest since the holds were let go, and what the last seconds say of the chain."""

    model_config = ConfigDict(frozen=True)

    peak_dbfs: Levels
    true_peak_dbtp: Levels
    clipped_samples: tuple[int, ...]
    dc_offset: tuple[float, ...] = Field(description="Mean of the last five seconds, full scale 1.0.")
    balance_db: float | None = Field(description="RMS of the left over the right in the last five seconds.")
    hum_hz: float | None
    hum_dbfs: float | None
    troubles: tuple[str, ...] = Field(description="What is wrong with the channels, in words.")


class Meter:
    """Fed blocks in order, gives windows as they become whole, and remembers three minutes of them."""

    def __init__(self, *, rate_hz: int, channels: int, bits: int) -> None:
        self._channels = channels
        self._window_samples = rate_hz // WINDOWS_PER_S
        self._top = np.int32(((1 << (bits - 1)) - 1) << (32 - bits))
        self._rest = np.zeros((0, channels), dtype=np.int32)
        self._at: int | None = None
        self._true_peak = TruePeak(channels, rate_hz=rate_hz)
        self._hum = Hum(rate_hz=rate_hz, keep=_HUM_STRETCHES, tolerance_hz=0.25, steady_db=2.0)
        self._runs = np.zeros(channels, dtype=np.int64)
        self._last: deque[tuple[npt.NDArray[np.float64], npt.NDArray[np.float64], float]] = deque(
            maxlen=_AVERAGE_WINDOWS
        )
        self.history: deque[MeterWindow] = deque(maxlen=HISTORY_S * WINDOWS_PER_S)
        self.let_go()

    def let_go(self) -> None:
        """Begins the holds and the count of clipped samples anew."""
        self._peak = np.zeros(self._channels)
        self._held_true_peak = np.zeros(self._channels)
        self._clipped = np.zeros(self._channels, dtype=np.int64)

    def feed(self, block: Block) -> list[MeterWindow]:
        """The windows that became whole. A gap in the count starts a new window."""
        if self._at is None or self._at + len(self._rest) != block.first_sample:
            self._at, self._rest = block.first_sample, block.samples[:0]
        joined = np.concatenate((self._rest, block.samples)) if len(self._rest) else block.samples
        made, at = [], 0
        while at + self._window_samples <= len(joined):
            made.append(self._window(self._at + at, joined[at : at + self._window_samples]))
            at += self._window_samples
        self._at, self._rest = self._at + at, joined[at:].copy()
        self.history.extend(made)
        return made

    def _window(self, first_sample: int, samples: Whole) -> MeterWindow:
        stats = np.empty((self._channels, 4))
        clipped = _scan(samples, self._top, self._runs, stats)
        count = len(samples)
        peak, mean, power = stats[:, 0] / _FULL_SCALE, stats[:, 1] / count / _FULL_SCALE, stats[:, 2] / count / 2.0**62
        audio = samples.astype(np.float64) / _FULL_SCALE
        true_peak = np.maximum(self._true_peak.feed(audio), peak)
        self._hum.feed(audio)
        cross = float(stats[0, 3] / count / 2.0**62)
        self._last.append((mean, power, cross))
        self._peak = np.maximum(self._peak, peak)
        self._held_true_peak = np.maximum(self._held_true_peak, true_peak)
        self._clipped += clipped
        return MeterWindow(
            end_sample=first_sample + count,
            peak_dbfs=_levels(peak),
            true_peak_dbtp=_levels(true_peak),
            rms_dbfs=_levels(np.sqrt(power)),
            clipped_samples=tuple(int(one) for one in clipped),
        )

    @property
    def loudest(self) -> tuple[float | None, int]:
        """The highest true peak in dBTP and the clipped samples, all channels, since `let_go`."""
        return dbfs(float(self._held_true_peak.max())), int(self._clipped.sum())

    def hold(self) -> MeterHold:
        means = np.array([mean for mean, _, _ in self._last]).reshape(-1, self._channels)
        powers = np.array([power for _, power, _ in self._last]).reshape(-1, self._channels)
        rms = np.sqrt(powers.mean(axis=0)) if len(powers) else np.zeros(self._channels)
        hum = self._hum.result()
        balance = None
        if self._channels == 2 and rms.min() > 0:
            balance = 20.0 * float(np.log10(rms[0] / rms[1]))
        return MeterHold(
            peak_dbfs=_levels(self._peak),
            true_peak_dbtp=_levels(self._held_true_peak),
            clipped_samples=tuple(int(one) for one in self._clipped),
            dc_offset=tuple(float(one) for one in (means.mean(axis=0) if len(means) else np.zeros(self._channels))),
            balance_db=balance,
            hum_hz=hum[0] if hum else None,
            hum_dbfs=hum[1] if hum else None,
            troubles=self._troubles(rms, powers),
        )

    def _troubles(self, rms: npt.NDArray[np.float64], powers: npt.NDArray[np.float64]) -> tuple[str, ...]:
        if self._channels != 2 or len(powers) < _AVERAGE_WINDOWS // 2:
            return ()
        left, right = (dbfs(float(one)) or -200.0 for one in rms)
        found = []
        for name, own, other in (("left", left, right), ("right", right, left)):
            if own < _DEAD_DBFS and other > own + 30.0:
                found.append(f"The {name} channel is silent: look at its cable and the cartridge's clips.")
        cross = float(np.mean([one for _, _, one in self._last]))
        total = float(powers.mean(axis=0).prod()) ** 0.5
        if total > 10 ** (2 * -60.0 / 20):
            if cross / total > 0.999999:
                found.append("Both channels are the same: a mono source, or a mixer on the way.")
            elif cross / total < -0.9:
                found.append("The channels are against each other: one is wired the wrong way round.")
        return tuple(found)


@numba.njit(nogil=True, cache=True, fastmath=True)
def _scan(
    samples: Whole, top: np.int32, runs: npt.NDArray[np.int64], stats: npt.NDArray[np.float64]
) -> npt.NDArray[np.int64]:
    """Peak, sum, power and product with the next channel of each channel into `stats`; clipped samples are returned.

    `runs` carries the length of the run at the limit that goes on into the next window.
    """
    count, channels = samples.shape
    clipped = np.zeros(channels, dtype=np.int64)
    bottom = np.int64(-2147483648)
    for c in range(channels):
        other = (c + 1) % channels
        peak = 0.0
        total = 0.0
        power = 0.0
        cross = 0.0
        for i in range(count):
            x = float(samples[i, c])
            peak = max(peak, abs(x))
            total += x
            power += x * x
            cross += x * float(samples[i, other])
        stats[c, 0], stats[c, 1], stats[c, 2], stats[c, 3] = peak, total, power, cross
        run = runs[c]
        if peak >= float(top):
            for i in range(count):
                if samples[i, c] >= top or np.int64(samples[i, c]) == bottom:
                    run += 1
                    if run == MIN_CLIPPED_RUN:
                        clipped[c] += MIN_CLIPPED_RUN
                    elif run > MIN_CLIPPED_RUN:
                        clipped[c] += 1
                else:
                    run = 0
        else:
            run = 0
        runs[c] = run
    return clipped


def _levels(values: npt.NDArray[np.float64]) -> Levels:
    return tuple(dbfs(float(one)) for one in values)
