"""A take under a plan, listened to for any of three things: as it was, repaired, only what was taken away.

Any stretch of each is made when it is asked for. What was taken away is the difference between the sound with nothing
removed and the sound as repaired, both through the same curves, speed and level, so that it can be heard as loud as it
stood in the music. Where the quieter channel of a mono record is chosen, that choice is heard in it too.
"""

from __future__ import annotations

import threading
from typing import Literal, get_args

import numpy as np
import numpy.typing as npt

from inkwell_groove.core.audio.sound import SoundReader
from inkwell_groove.core.measure.loudness import Loudness
from inkwell_groove.core.restoration.chain import rendered, response_at
from inkwell_groove.core.restoration.mended import Fillings
from inkwell_groove.core.restoration.mending import Gap, Reach, mend
from inkwell_groove.core.restoration.preparing import Prepared
from inkwell_groove.core.restoration.stream import Block, Source, Stream

ListenFor = Literal["as it was", "repaired", "taken away"]
LISTEN_FOR: tuple[ListenFor, ...] = get_args(ListenFor)
_PROBES, _PROBE_S = 5, 2.0  # stretches by which two versions are made alike in loudness
_BANDS_PER_OCTAVE = 6
_SPECTRUM = 8_192
_FLOOR_DB = -140.0


class Shared:
    """What the ears of one take need not work out each for itself: fillings, and how loud its tone makes it."""

    def __init__(self, fillings: Fillings | None = None) -> None:
        self.fillings = fillings or Fillings()
        self.loudness: dict[str, float | None] = {}


class Ear:
    """Listens to a take under one version of its plan. May be used from several threads."""

    def __init__(self, take: SoundReader, prepared: Prepared, shared: Shared | None = None) -> None:
        asked, learnt = prepared.asked, prepared.learnt
        self._shared = shared or Shared()
        self.rate_hz, self.speed_ratio = take.format.rate_hz, asked.speed_ratio
        self._asked = asked
        self._as_it_was = Source(take)
        self._repaired = rendered(take, asked, prepared.repairs, learnt, self._shared.fillings)
        self._whole = rendered(take, asked.without_removal(), [], learnt)
        self._lock = threading.Lock()
        self._gain_db = learnt.gain_db if asked.level is not None else 0.0

    @property
    def channels(self) -> int:
        return self._as_it_was.channels

    def samples(self, listen: ListenFor) -> int:
        """How long it is: after a change of speed not as long as the take."""
        return self._stream(listen).samples

    def read(self, listen: ListenFor, first: int, samples: int) -> Block:
        """(samples, channels), full scale 1, clipped to what there is."""
        count = max(0, min(samples, self.samples(listen) - max(0, first)))
        with self._lock:
            if listen == "taken away":
                return np.asarray(self._whole.read(max(0, first), count) - self._repaired.read(max(0, first), count))
            return self._stream(listen).read(max(0, first), count)

    def gains_db(self) -> dict[ListenFor, float]:
        """By how much each is turned down so that as it was and as repaired are equally loud (BS.1770 weighting).

        Neither is ever turned up, so neither can clip. What was taken away is turned down with the repaired sound.
        What is mended or removed counts for nothing here: that leaves the music as loud as it was.
        """
        tone = self._asked.without_removal()
        louder = 0.0
        if not tone.at_rest:
            told = f"{tone.model_dump_json()} {self._gain_db}"
            was, became = self._loudness("take", self._as_it_was), self._loudness(told, self._whole)
            louder = became - was if was is not None and became is not None else 0.0
        down = round(max(0.0, louder), 2)
        return {"as it was": round(min(0.0, louder), 2), "repaired": 0.0 - down, "taken away": 0.0 - down}

    def spectra(self, first: int, end: int) -> dict[str, list[float]]:
        """Mean power in sixths of octaves between two samples of the take, decibels to a full-scale sine.

        `hz` are the centres; three lists go with what is listened for. `asked` is what curve, equaliser and rumble
        filter do to each, in decibels.
        """
        hz, edges = _bands(self.rate_hz)
        out: dict[str, list[float]] = {"hz": [round(float(one), 1) for one in hz]}
        for listen in LISTEN_FOR:
            ratio = 1.0 if listen == "as it was" else self.speed_ratio
            out[listen] = _in_bands(self._power(listen, round(first / ratio), round(end / ratio)), edges, self.rate_hz)
        response = response_at(hz / self.speed_ratio, self._asked)
        gain = np.abs(response) if response is not None else np.ones(len(hz))
        out["asked"] = [round(max(_FLOOR_DB, 20.0 * float(np.log10(one + 1e-12))), 2) for one in gain]
        return out

    def spectrogram(self, listen: ListenFor, first: int, end: int, columns: int, size: int) -> npt.NDArray[np.uint8]:
        """(columns, size // 2): power over time and frequency, from -127.5 dBFS (0) to 0 dBFS (255), half a decibel a
        step. `first` and `end` are samples of the take; a column is the mean of the frames that fall into it.
        """
        ratio = 1.0 if listen == "as it was" else self.speed_ratio
        start, stop = first / ratio, end / ratio
        centres = start + (np.arange(columns) + 0.5) * (stop - start) / columns
        window = np.hanning(size)
        norm = 2.0 / window.sum()
        from_ = int(centres[0]) - size
        block = self._padded(listen, from_, int(centres[-1]) + size - from_)
        out = np.zeros((columns, size // 2), np.uint8)
        for column, centre in enumerate(centres):
            at = round(centre) - size // 2 - from_
            frame = block[at : at + size] * window[:, None]
            power = (np.abs(np.fft.rfft(frame, axis=0)[: size // 2] * norm) ** 2).mean(axis=1)
            out[column] = np.clip(255.0 + 20.0 * np.log10(power + 1e-20), 0, 255)
        return out

    def _padded(self, listen: ListenFor, first: int, samples: int) -> Block:
        """Like `read`, with silence before the beginning and after the end."""
        out = np.zeros((samples, self.channels))
        a, b = max(0, first), min(first + samples, self.samples(listen))
        if a < b:
            out[a - first : b - first] = self.read(listen, a, b - a)
        return out

    def _stream(self, listen: ListenFor) -> Stream:
        return self._as_it_was if listen == "as it was" else self._repaired

    def _loudness(self, told: str, stream: Stream) -> float | None:
        """Of a few stretches spread over the side, known by what is `told` of it; None for silence."""
        known = self._shared.loudness
        if told not in known:
            meter = Loudness(stream.channels, rate_hz=self.rate_hz)
            probe = min(stream.samples, round(_PROBE_S * self.rate_hz))
            for k in range(_PROBES):
                with self._lock:
                    meter.feed(stream.read(round((k + 0.5) / _PROBES * (stream.samples - probe)), probe))
            known[told] = meter.integrated_lufs()
        return known[told]

    def _power(self, listen: ListenFor, first: int, end: int) -> npt.NDArray[np.float64]:
        window = np.hanning(_SPECTRUM)
        norm = 2.0 / window.sum()
        total, frames = np.zeros(_SPECTRUM // 2 + 1), 0
        for at in range(first, max(first + 1, end - _SPECTRUM + 1), _SPECTRUM // 2):
            block = self._padded(listen, at, _SPECTRUM) * window[:, None]
            total += (np.abs(np.fft.rfft(block, axis=0) * norm) ** 2).mean(axis=1)
            frames += 1
        # A Hann window's power, over the square of its mean: 1.5 bins' worth of noise in each.
        return total / max(1, frames) / 1.5


def warm() -> None:
    """Has all that is compiled for mending loaded."""
    noise = np.random.default_rng(1).standard_normal(4_096)
    mend(noise, [Gap(2_000, 2_020), Gap(2_100, 2_110, lost=True)], Reach(44_100), 0, len(noise))


def _bands(rate_hz: int) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.float64]]:
    """Centres and edges of the bands, from 20 Hz to half the rate (IEC 61260's base-ten sixths, 1 kHz among them)."""
    step = 10 ** (0.3 / _BANDS_PER_OCTAVE)
    numbers = np.arange(
        np.ceil(np.log(20 / 1000) / np.log(step)), np.floor(np.log(rate_hz / 2.2 / 1000) / np.log(step))
    )
    centres = 1000.0 * step**numbers
    return centres, np.append(centres / step**0.5, centres[-1] * step**0.5)


def _in_bands(power: npt.NDArray[np.float64], edges: npt.NDArray[np.float64], rate_hz: int) -> list[float]:
    """Of each band, in decibels. Narrow bands take their share of the bins they lie in."""
    bins = np.arange(len(power) + 1) - 0.5
    total = np.concatenate([[0.0], np.cumsum(power)])
    inside = np.diff(np.interp(edges * _SPECTRUM / rate_hz, bins, total))
    return [round(max(_FLOOR_DB, 10.0 * float(np.log10(one + 1e-20))), 2) for one in inside]
