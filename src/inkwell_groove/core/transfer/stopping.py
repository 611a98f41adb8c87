"""When a recording ends by itself: in the run-out groove, after a silence, at a time limit. All of them optional.

Silence on a record is not silence but groove. A second is quiet when its middle band lies near the quietest groove that
this side has shown, well below its music, and as even as noise is; so a soft passage in the midst of a side is not an
end. What was heard before the stylus landed is no groove: where the hiss of that is known, seconds like it do not
count, else only those after the first music do. The run-out is quiet and says the same thing once a turn: the envelope
of the lower and middle bands repeats at the turn's period.
"""

from __future__ import annotations

from collections import deque
from typing import Literal

import numpy as np
import numpy.typing as npt
from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.transfer.block import Block
from inkwell_groove.core.transfer.ear import FRAME_S, Ear, Heard

TURNS_S = (1.8, 60.0 / 45.0, 60.0 / 78.26)  # 33 1/3, 45 and 78.26 rpm (common practice)
_RUN_OUT_TURNS = 6
_LIKENESS = 0.45
_NEAR_FLOOR_DB, _BELOW_MUSIC_DB = 6.0, 16.0
_EVEN_DB = 3.5  # from the 20th to the 70th percentile of a second's frames
_SECOND_FRAMES = 50
_LIFTED_S, _LIFTED_DB = 4.0, 2.0

Reason = Literal["run-out groove", "silence", "stylus lifted", "time limit"]


class Ends(BaseModel):
    """What ends a recording by itself."""

    model_config = ConfigDict(frozen=True)

    at_run_out: bool = True
    silence_s: float | None = Field(default=20.0, ge=2.0, le=600.0)
    limit_s: float | None = Field(default=None, ge=1.0, le=36_000.0)


class StopWatch:
    """Fed every block of a recording; says why it is over, once it is.

    `idle_high_dbfs` is the hiss before the stylus landed, where that was heard: with it a lifted stylus is noticed.
    """

    def __init__(self, ends: Ends, *, rate_hz: int, channels: int, idle_high_dbfs: float | None = None) -> None:
        self._ends = ends
        self._rate_hz = rate_hz
        self._ear = Ear(rate_hz=rate_hz, channels=channels)
        self._idle_high_dbfs = idle_high_dbfs
        self._samples = 0
        self._frames: deque[Heard] = deque(maxlen=round((_RUN_OUT_TURNS * max(TURNS_S) + 1.0) / FRAME_S))
        self._second: list[Heard] = []
        self._floor_dbfs: float | None = None
        self._loud_dbfs = -200.0
        self._softest_dbfs = 200.0
        self._quiet_s = 0
        self._lifted_s = 0

    def use(self, ends: Ends) -> None:
        """Other ends from now on."""
        self._ends = ends

    def feed(self, block: Block) -> Reason | None:
        self._samples += len(block.samples)
        if self._ends.limit_s is not None and self._samples >= self._ends.limit_s * self._rate_hz:
            return "time limit"
        for heard in self._ear.feed(block.first_sample, block.samples):
            self._frames.append(heard)
            self._second.append(heard)
            if len(self._second) == _SECOND_FRAMES and (reason := self._judge()):
                return reason
        return None

    def _judge(self) -> Reason | None:
        """Once a second, when fifty frames more have been heard."""
        middle = np.array([one.middle_dbfs for one in self._second])
        high = np.array([one.high_dbfs for one in self._second])
        self._second.clear()
        low, here, upper, top = (float(one) for one in np.percentile(middle, (20, 40, 70, 90)))
        lifted_dbfs = None if self._idle_high_dbfs is None else self._idle_high_dbfs + _LIFTED_DB
        idles = lifted_dbfs is not None and float(np.median(high)) < lifted_dbfs
        self._softest_dbfs = min(self._softest_dbfs, here)
        self._loud_dbfs = max(self._loud_dbfs, top)
        music_was_heard = self._loud_dbfs > self._softest_dbfs + _BELOW_MUSIC_DB
        # All of a second must be groove: one in which the stylus lands is half of it the idling before.
        is_groove = music_was_heard if lifted_dbfs is None else float(np.percentile(high, 10)) >= lifted_dbfs
        if is_groove and (self._floor_dbfs is None or here < self._floor_dbfs):
            self._floor_dbfs = here
        is_soft = here < self._loud_dbfs - _BELOW_MUSIC_DB
        near_floor = self._floor_dbfs is not None and here < self._floor_dbfs + _NEAR_FLOOR_DB
        self._quiet_s = self._quiet_s + 1 if is_soft and near_floor and upper - low < _EVEN_DB else 0
        self._lifted_s = self._lifted_s + 1 if idles and is_soft and self._floor_dbfs is not None else 0
        if self._lifted_s >= _LIFTED_S:
            return "stylus lifted"
        if self._ends.silence_s is not None and self._quiet_s >= self._ends.silence_s:
            return "silence"
        if self._ends.at_run_out and self._turns():
            return "run-out groove"
        return None

    def _turns(self) -> bool:
        for turn_s in TURNS_S:
            frames = round(_RUN_OUT_TURNS * turn_s / FRAME_S)
            if self._quiet_s >= _RUN_OUT_TURNS * turn_s and len(self._frames) >= frames:
                recent = list(self._frames)[-frames:]
                envelope = np.array([np.logaddexp(one.low_dbfs, one.middle_dbfs) for one in recent])
                if repeats(envelope, turn_s / FRAME_S):
                    return True
        return False


def repeats(envelope: npt.NDArray[np.float64], period: float) -> bool:
    """Whether a level in dB, frame by frame, repeats at `period` frames: normalised autocorrelation of what stands out.

    Only what rises above the median counts, and the lag must beat lags in between, so that a slow wave does not pass.
    """
    above = np.maximum(0.0, envelope - np.median(envelope) - 3.0)
    above = above - above.mean()
    power = float(above @ above)
    if power <= 0.0:
        return False

    def likeness(lag: int) -> float:
        pairs = len(above) - lag
        return float(above[:pairs] @ above[lag:]) / power * len(above) / pairs if pairs > 0 else 0.0

    near = [likeness(round(period) + offset) for offset in (-1, 0, 1)]
    between = [likeness(round(period * share)) for share in (0.4, 0.5, 0.6)]
    return max(near) > _LIKENESS and max(near) > 2.0 * max(between)
