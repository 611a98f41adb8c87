"""What was altered, so that it can be read before it is heard: how much, how loud, in which bands, and near what.

Before and after are compared sample by sample over the whole side. Bands are the octaves of IEC 61260.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
import numpy.typing as npt
from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.audio.sound import SoundReader, to_float

OCTAVES_HZ = (31.5, 63.0, 125.0, 250.0, 500.0, 1_000.0, 2_000.0, 4_000.0, 8_000.0, 16_000.0)
_BLOCK = 1 << 17
_FRAME = 2_048
_ATTACK_DB, _ATTACK_S = 9.0, 0.005
_FLOOR = 1e-20


class BandHarm(BaseModel):
    """One octave: how much energy went, against all that was there, in decibels; none where there was nothing."""

    model_config = ConfigDict(frozen=True)

    centre_hz: float
    taken_db: float | None = Field(description="What was taken away, over what there was.")
    change_db: float | None = Field(description="By how much the band's level changed.")


class Harm(BaseModel):
    """The report of one side."""

    model_config = ConfigDict(frozen=True)

    samples: int
    altered_samples: int = Field(description="Of all channels together.")
    altered_share: float
    taken_dbfs: float | None = Field(description="Root mean square of what was taken away; none for nothing.")
    largest_at_sample: int | None
    largest_dbfs: float | None = Field(description="Peak of the largest single intervention.")
    attacks_touched: int = Field(description="Repairs in which the music begins to be louder by 9 dB within 5 ms.")
    bands: tuple[BandHarm, ...]


def report(
    before: SoundReader,
    after: SoundReader,
    repairs: npt.NDArray[np.int64] | None = None,
    *,
    progress: Callable[[float], None] | None = None,
) -> Harm:
    """Of two readers of the same length; `repairs` (repairs, 2) are first and end samples of what was mended.

    Where the speed was changed there is nothing to compare sample by sample: use the reader before that step.
    """
    form = before.format
    altered, power, largest, where = 0, 0.0, 0.0, None
    spectra = np.zeros((3, _FRAME // 2 + 1))
    window = np.hanning(_FRAME)
    for first in range(0, form.samples, _BLOCK):
        one, other = (to_float(r.read(first, _BLOCK), form.full_scale) for r in (before, after))
        taken = one - other
        changed = taken != 0.0
        altered += int(changed.sum())
        power += float((taken**2).sum())
        peak = np.abs(taken).max(axis=1, initial=0.0)
        if len(peak) and peak.max() > largest:
            largest, where = float(peak.max()), first + int(peak.argmax())
        for row, sound in enumerate((one, other, taken)):
            if row and not changed.any():
                if row == 1:
                    spectra[1] += _power(one, window)
                continue
            spectra[row] += _power(sound, window)
        if progress is not None:
            progress(min(1.0, (first + _BLOCK) / max(1, form.samples)))
    total = form.samples * form.channels
    return Harm(
        samples=form.samples,
        altered_samples=altered,
        altered_share=altered / max(1, total),
        taken_dbfs=_db(power / max(1, total)),
        largest_at_sample=where,
        largest_dbfs=_db(largest**2),
        attacks_touched=_attacks(before, repairs) if repairs is not None else 0,
        bands=_bands(spectra, form.rate_hz),
    )


def _power(sound: npt.NDArray[np.float64], window: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    whole = len(sound) // _FRAME * _FRAME
    frames = sound[:whole].T.reshape(sound.shape[1], -1, _FRAME) * window
    return np.asarray((np.abs(np.fft.rfft(frames, axis=-1)) ** 2).sum(axis=(0, 1)))


def _bands(spectra: npt.NDArray[np.float64], rate_hz: int) -> tuple[BandHarm, ...]:
    hz = np.fft.rfftfreq(_FRAME, 1.0 / rate_hz)
    out = []
    for centre in OCTAVES_HZ:
        inside = (hz >= centre / 2**0.5) & (hz < centre * 2**0.5)
        if not inside.any():
            continue
        was, became, taken = (float(one[inside].sum()) for one in spectra)
        if was > _FLOOR:
            out.append(BandHarm(centre_hz=centre, taken_db=_db(taken / was), change_db=_db(became / was)))
        else:
            out.append(BandHarm(centre_hz=centre, taken_db=None, change_db=None))
    return tuple(out)


def _attacks(before: SoundReader, repairs: npt.NDArray[np.int64]) -> int:
    """How many of the repairs lie where the music itself becomes louder: judged from beside them."""
    form = before.format
    wide = round(_ATTACK_S * form.rate_hz)
    count = 0
    for start, end in repairs:
        sound: Any = to_float(before.read(max(0, int(start) - wide), int(end) - int(start) + 2 * wide), form.full_scale)
        lead = min(int(start), wide)
        ahead, behind = sound[:lead], sound[lead + int(end) - int(start) :]
        if len(ahead) and len(behind):
            rise = 10 * np.log10((float((behind**2).mean()) + 1e-12) / (float((ahead**2).mean()) + 1e-12))
            count += rise > _ATTACK_DB
    return count


def _db(power: float) -> float | None:
    return 10.0 * float(np.log10(power)) if power > _FLOOR else None
