"""What was heard of a whole side for the steps that need it: hum, noise, holes and level, and how that is kept."""

from __future__ import annotations

import hashlib
import io
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import numpy.typing as npt

from inkwell_groove.core.audio.sound import Samples, SoundReader
from inkwell_groove.core.restoration.dropouts import Dropout
from inkwell_groove.core.restoration.hum import HumTrack
from inkwell_groove.core.restoration.levelling import HeardLevel
from inkwell_groove.core.restoration.steps import Restoration
from inkwell_groove.core.restoration.thumps import Thump

_VERSION = 2


@dataclass(frozen=True)
class Learnt:
    """Nothing where nothing is asked for that must be learnt."""

    hum: HumTrack | None = None
    noise: npt.NDArray[np.float64] | None = None  # (channels, bins), see `hiss.print_of`
    noise_from: tuple[int, int] | None = None
    gain_db: float = 0.0
    dc: tuple[float, ...] = ()
    holes: tuple[Dropout, ...] = ()
    level: HeardLevel | None = None
    thumps: tuple[Thump, ...] = ()

    def save(self, path: Path) -> None:
        held: dict[str, npt.NDArray[np.generic]] = {
            "version": np.array(_VERSION),
            "gain_db": np.array(self.gain_db),
            "dc": np.array(self.dc, np.float64),
            "thumps": np.array(self.thumps, np.float64).reshape(-1, 4),
            "holes": np.array(self.holes, np.float64).reshape(-1, 5),
        }
        if self.hum is not None:
            held |= {
                "hum_rate_hz": np.array(self.hum.rate_hz),
                "hum_step": np.array(self.hum.step),
                "hum_turns": self.hum.turns,
                "hum_amplitudes": self.hum.amplitudes,
            }
        if self.noise is not None and self.noise_from is not None:
            held |= {"noise": self.noise, "noise_from": np.array(self.noise_from, np.int64)}
        if self.level is not None:
            held["level"] = np.array([self.level.peak, self.level.lufs or np.nan, self.level.samples, *self.level.dc])
        buffer = io.BytesIO()
        np.savez_compressed(buffer, **held)  # type: ignore[arg-type]
        path.write_bytes(buffer.getvalue())

    @classmethod
    def load(cls, path: Path) -> Learnt | None:
        """None where there is none, or one of another version."""
        if not path.exists():
            return None
        with np.load(path) as held:
            if int(held["version"]) != _VERSION:
                return None
            hum = None
            if "hum_turns" in held:
                hum = HumTrack(
                    int(held["hum_rate_hz"]), int(held["hum_step"]), held["hum_turns"], held["hum_amplitudes"]
                )
            start, end = (int(one) for one in held["noise_from"]) if "noise" in held else (0, 0)
            return cls(
                hum=hum,
                noise=held.get("noise"),
                noise_from=(start, end) if "noise" in held else None,
                thumps=tuple(Thump(int(a), int(b), float(peak), float(over)) for a, b, peak, over in held["thumps"]),
                level=_level_of(held["level"]) if "level" in held else None,
                gain_db=float(held["gain_db"]),
                dc=tuple(float(one) for one in held["dc"]),
                holes=tuple(
                    Dropout(int(a), int(b), int(channel), float(depth), float(alike))
                    for a, b, channel, depth, alike in held["holes"]
                ),
            )


NOTHING = Learnt()


def _level_of(held: npt.NDArray[np.float64]) -> HeardLevel:
    peak, lufs, samples, *dc = (float(one) for one in held)
    return HeardLevel(peak, None if np.isnan(lufs) else lufs, int(samples), tuple(dc))


def to_learn(asked: Restoration) -> bool:
    """Whether any step asks for the whole side to be heard first. A plain gain does: it has a ceiling."""
    return asked.thumps or asked.dropouts or asked.hum is not None or asked.hiss is not None or asked.level is not None


class Watched:
    """A take that tells how much of what is to be heard of it was heard, while it is being learnt from."""

    def __init__(self, take: SoundReader, asked: Restoration, progress: Callable[[float], None]) -> None:
        self.format = take.format
        times = (
            asked.thumps
            + asked.dropouts
            + (asked.hum is not None)
            + (asked.hiss is not None)
            + (asked.level is not None)
        )
        self._take, self._progress = take, progress
        self._left = self._whole = max(1, times * take.format.samples)

    def read(self, start_sample: int, samples: int) -> Samples:
        self._left -= samples
        self._progress(min(0.99, 1.0 - self._left / self._whole))
        return self._take.read(start_sample, samples)


def digest(asked: Restoration) -> str:
    """The same for two restorations of one take for which the same is learnt."""
    matters = asked
    if asked.level is None:
        matters = asked.model_copy(
            update={
                "hiss": asked.hiss.model_copy(update={"reduction_db": 9.0}) if asked.hiss else None,
                "recurve": None,
                "rumble": None,
                "equaliser": (),
                "speed_ratio": 1.0,
                "level": None,
            }
        )
    return hashlib.sha256(matters.model_dump_json().encode()).hexdigest()[:24]
