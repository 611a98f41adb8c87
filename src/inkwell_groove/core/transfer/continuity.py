"""Whether every sample came, once and in order: by the blocks' own count, and by the clock.

A source that drops a block mostly says so by its count. Some do not: their count goes on while the samples are gone.
Then the clock tells: blocks come later and later against their count, by a step that stays. Steps are told from jitter
by the earliest arrival within a few seconds, since a block can be late for many reasons and early for none.
"""

from __future__ import annotations

from collections import deque
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.transfer.block import Block

_WINDOW_S = 2.0
_DRIFT = 500e-6  # crystals of two devices differ by less than this
_STEP_S = 0.008  # a smaller step is not told from jitter


class Fault(BaseModel):
    """Something that is wrong with a take, at its sample. Never mended in secret."""

    model_config = ConfigDict(frozen=True)

    kind: Literal["lost", "repeated", "missing by the clock", "interrupted"]
    at_sample: int = Field(ge=0, description="Of the take: what is wrong lies just before this sample.")
    samples: int = Field(ge=0, description="How many are lost or came twice; by the clock, about how many.")
    words: str


class Continuity:
    """Lets through what is new of each block, and tells what is wrong. `at_sample` counts what was let through."""

    def __init__(self, *, rate_hz: int, next_sample: int | None = None, written: int = 0) -> None:
        self._rate_hz = rate_hz
        self._next = next_sample
        self._written = written
        self._lag = _Lag(rate_hz)

    @property
    def next_sample(self) -> int | None:
        """The next sample awaited, by the source's count; none before the first block."""
        return self._next

    def check(self, block: Block) -> tuple[Block | None, list[Fault]]:
        """What of the block is new (none where nothing is), and the faults found before it."""
        if self._next is None:
            self._next = block.first_sample
        faults: list[Fault] = []
        ahead = block.first_sample - self._next
        if ahead > 0:
            words = f"{ahead} samples lost ({1000 * ahead / self._rate_hz:.1f} ms): the source skipped from its sample "
            words += f"{self._next} to {block.first_sample}"
            faults.append(Fault(kind="lost", at_sample=self._written, samples=ahead, words=words))
            self._lag.forget()
        elif ahead < 0:
            twice = min(-ahead, len(block.samples))
            words = f"{twice} samples came twice ({1000 * twice / self._rate_hz:.1f} ms); they were written once"
            faults.append(Fault(kind="repeated", at_sample=self._written, samples=twice, words=words))
            block = block.after(twice)
            if not len(block.samples):
                return None, faults
        if missing := self._lag.feed(block):
            words = f"about {missing} samples are missing by the clock ({1000 * missing / self._rate_hz:.0f} ms)"
            at = max(0, self._written - round(_WINDOW_S * self._rate_hz))
            faults.append(Fault(kind="missing by the clock", at_sample=at, samples=missing, words=words))
        self._next = block.end_sample
        self._written += len(block.samples)
        return block, faults


class _Lag:
    """Samples missing by the clock: a rise of the earliest arrivals from one window to the next."""

    def __init__(self, rate_hz: int) -> None:
        self._rate_hz = rate_hz
        self.forget()

    def forget(self) -> None:
        self._recent: deque[tuple[float, float]] = deque()
        self._began_s: float | None = None
        self._base: float | None = None
        self._since_s = 0.0

    def feed(self, block: Block) -> int:
        at = block.captured_at_s
        lag = at - block.end_sample / self._rate_hz
        self._began_s = at if self._began_s is None else self._began_s
        # Only those that could still be the earliest are kept, so the first one is: a minimum over a sliding window.
        while self._recent and self._recent[-1][1] >= lag:
            self._recent.pop()
        self._recent.append((at, lag))
        while self._recent[0][0] < at - _WINDOW_S:
            self._recent.popleft()
        if at - self._began_s < 0.8 * _WINDOW_S:
            return 0
        earliest = self._recent[0][1]
        if self._base is None or earliest < self._base:
            self._base, self._since_s = earliest, at
            return 0
        step = earliest - self._base
        if step < _STEP_S + _DRIFT * (at - self._since_s):
            return 0
        self._base, self._since_s = earliest, at
        return round(step * self._rate_hz)
