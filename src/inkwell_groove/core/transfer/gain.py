"""How much louder or softer to record: the loudest part belongs between -12 and -3 dBFS (common practice).

Too quiet is harmless: with 24 bits it is raised later without loss. Too hot is not: what was clipped is gone.
"""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

BAND_DBFS = (-12.0, -3.0)
AIM_DBFS = -6.0
_AFTER_CLIPPING_DB = -12.0  # how loud it truly was, nobody knows
_STEP_DB = 0.5

Verdict = Literal["right", "quiet", "hot", "clipped", "nothing heard"]


class GainRange(BaseModel):
    """What a device's own gain can be set to."""

    model_config = ConfigDict(frozen=True)

    lowest_db: float
    highest_db: float
    step_db: float = Field(gt=0)

    def nearest(self, gain_db: float) -> float:
        steps = round((gain_db - self.lowest_db) / self.step_db)
        return min(self.highest_db, max(self.lowest_db, self.lowest_db + steps * self.step_db))


class GainAdvice(BaseModel):
    """What a measured peak means, and by how many dB to change the gain."""

    model_config = ConfigDict(frozen=True)

    verdict: Verdict
    change_db: float
    words: str


def advise(peak_dbfs: float | None, *, clipped_samples: int) -> GainAdvice:
    """What to do about the loudest passage. `peak_dbfs` is its highest (true) peak, none for digital silence."""
    if clipped_samples:
        words = f"Clipped {clipped_samples} samples: its true level is unknown. Turn down by 12 dB and listen again."
        return GainAdvice(verdict="clipped", change_db=_AFTER_CLIPPING_DB, words=words)
    if peak_dbfs is None or peak_dbfs < -60.0:
        words = "Nothing was heard. Play the loudest passage while this listens."
        return GainAdvice(verdict="nothing heard", change_db=0.0, words=words)
    low, high = BAND_DBFS
    change = round((AIM_DBFS - peak_dbfs) / _STEP_DB) * _STEP_DB
    level = f"Peaks at {_minus(peak_dbfs)} dBFS"
    if low <= peak_dbfs <= high:
        return GainAdvice(verdict="right", change_db=0.0, words=f"{level}: right.")
    if peak_dbfs < low:
        words = f"{level}: quiet, which is harmless. It can be turned up by {change:.1f} dB."
        return GainAdvice(verdict="quiet", change_db=change, words=words)
    words = f"{level}: too hot. Turn down by {-change:.1f} dB; what clips cannot be mended."
    return GainAdvice(verdict="hot", change_db=change, words=words)


def _minus(value: float) -> str:
    return f"{value:.1f}".replace("-", "−")
