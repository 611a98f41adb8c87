"""When an armed transfer begins: the stylus lands, or the music starts. A thump is neither.

What tells them apart is what stays. A thump, a bump of the deck, a plug, a stroke of the brush are over within a
fraction of a second, and the quiet that was there before comes back. A stylus in a groove brings the hiss of the
groove, and that stays: for over a second the level between 5 and 12 kHz never falls back to what it was. Music is heard
where the middle band stays up for most of a second and is not the buzz of the mains. Either is noticed late, by design;
the pre-roll makes up for it, and what is reported is the sample where it began.
"""

from __future__ import annotations

from collections import deque
from typing import Literal

import numpy as np
from pydantic import BaseModel, ConfigDict

from inkwell_groove.core.transfer.block import Block
from inkwell_groove.core.transfer.ear import Ear, Heard, mains_share

MAX_PRE_ROLL_S = 5.0
_STAYS_FRAMES = 60  # 1.2 s
_LANDED_DB = 4.0  # above the idle hiss, at its tenth percentile over those frames
_HEARD_FROM_DBFS = -112.0  # below this a band is the converter's own
_MUSIC_FRAMES, _MUSIC_SHARE, _MUSIC_DB = 45, 0.8, 14.0
_BUZZ_SHARE = 0.6
_JUDGE_EVERY = 5  # frames: a tenth of a second is soon enough, and judging every frame costs more than hearing it
_IDLE_FRAMES = 500  # 10 s of idling are remembered
_LEARN_FRAMES = 25  # half a second before anything can begin
_BEFORE_S = 0.35  # the thump itself comes before the groove is heard
LATEST_S = _STAYS_FRAMES * 0.02 + _BEFORE_S + 1.0  # how late a beginning is noticed at most, with some to spare

Why = Literal["the stylus landed", "the music started"]


class Beginning(BaseModel):
    """What began, and at which sample by the source's count: nothing of it lies before."""

    model_config = ConfigDict(frozen=True)

    why: Why
    sample: int


class StartWatch:
    """Fed every block while armed; says once when and why to begin."""

    def __init__(self, *, rate_hz: int, channels: int) -> None:
        self._rate_hz = rate_hz
        self._ear = Ear(rate_hz=rate_hz, channels=channels)
        self._idle_high: deque[float] = deque(maxlen=_IDLE_FRAMES)
        self._idle_middle: deque[float] = deque(maxlen=_IDLE_FRAMES)
        self._recent: deque[Heard] = deque(maxlen=_STAYS_FRAMES)
        self._sound: deque[Block] = deque()
        self._frames = 0

    @property
    def idle_high_dbfs(self) -> float | None:
        """The hiss while nothing played; none before half a second was heard."""
        return float(np.percentile(self._idle_high, 50)) if len(self._idle_high) >= _LEARN_FRAMES else None

    def feed(self, block: Block) -> Beginning | None:
        self._sound.append(block)
        while self._sound[0].end_sample < block.end_sample - self._rate_hz:
            self._sound.popleft()
        for heard in self._ear.feed(block.first_sample, block.samples):
            if found := self._frame(heard):
                return found
        return None

    def _frame(self, heard: Heard) -> Beginning | None:
        if len(self._recent) == _STAYS_FRAMES:
            # Idle is what lies before the frames that are being judged.
            self._idle_high.append(self._recent[0].high_dbfs)
            self._idle_middle.append(self._recent[0].middle_dbfs)
        self._recent.append(heard)
        self._frames += 1
        if len(self._idle_high) < _LEARN_FRAMES or self._frames % _JUDGE_EVERY:
            return None
        # Idling is judged by its quieter part: bumps, strokes of a brush and a side that has just ended are louder.
        landed = max(_HEARD_FROM_DBFS, self._idle(self._idle_high)) + _LANDED_DB
        high = np.array([one.high_dbfs for one in self._recent])
        if np.percentile(high, 8) > landed:
            return self._beginning("the stylus landed")
        if np.mean(high[-_MUSIC_FRAMES:] > landed) >= _MUSIC_SHARE - 0.1:
            return None  # a groove, not yet for long enough: its own hiss fills the middle band too
        middle = [one.middle_dbfs for one in self._recent][-_MUSIC_FRAMES:]
        threshold = max(_HEARD_FROM_DBFS, self._idle(self._idle_middle)) + _MUSIC_DB
        if (
            np.mean(np.array(middle) > threshold) >= _MUSIC_SHARE
            and min(middle[-5:]) > threshold
            and not self._buzzes()
        ):
            return self._beginning("the music started")
        return None

    @staticmethod
    def _idle(levels: deque[float]) -> float:
        return float(np.percentile(levels, 30))

    def _buzzes(self) -> bool:
        sound = np.concatenate([block.samples for block in self._sound]).mean(axis=1) / 2.0**31
        return mains_share(sound[-self._rate_hz // 2 :], rate_hz=self._rate_hz) > _BUZZ_SHARE

    def _beginning(self, why: Why) -> Beginning:
        first = self._recent[0] if why == "the stylus landed" else self._recent[-_MUSIC_FRAMES]
        return Beginning(why=why, sample=max(0, first.first_sample - round(_BEFORE_S * self._rate_hz)))
