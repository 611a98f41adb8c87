"""A transfer that is behind its source, on a busy machine.

It reads more at once, and what is asked of it is done at the sample that the source had then.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator
from dataclasses import dataclass

from inkwell_groove.core.transfer.block import Block
from inkwell_groove.devices.source import Source

# So much at once costs far less than block by block.
_BEHIND_S, _AT_ONCE_S = 0.5, 1.0
_PATIENCE_S = 0.1


def waiting_blocks(source: Source) -> Iterator[Block]:
    """Yield the next block, if one comes soon; more of them, about a second's, where half a second waits already."""
    block = source.read(_PATIENCE_S)
    if block is None:
        return
    samples = len(block.samples)
    is_behind = source.waiting_samples() >= _BEHIND_S * source.rate_hz
    yield block
    while is_behind and samples < _AT_ONCE_S * source.rate_hz and source.waiting_samples():
        block = source.read(0.0)
        if block is None:
            return
        samples += len(block.samples)
        yield block


@dataclass
class _Request:
    left_samples: int
    act: Callable[[], None]
    is_done: threading.Event


class Requests:
    """What is to be done at samples that the source has and that are still to be recorded, the nearest first."""

    def __init__(self) -> None:
        self._waiting: list[_Request] = []

    def add(self, left_samples: int, act: Callable[[], None]) -> threading.Event:
        """Return what is set once it is done, or no longer needed."""
        self._waiting.append(_Request(left_samples, act, threading.Event()))
        return self._waiting[-1].is_done

    @property
    def nearest_samples(self) -> int | None:
        """How many samples are left before the first is due; None where none waits."""
        return self._waiting[0].left_samples if self._waiting else None

    def pass_by(self, samples: int) -> None:
        """Count samples that were recorded."""
        for one in self._waiting:
            one.left_samples -= samples

    def act(self, *, all_of_them: bool = False) -> None:
        """Do what is due; all of them where nothing more is going to be recorded."""
        while self._waiting and (all_of_them or self._waiting[0].left_samples <= 0):
            request = self._waiting.pop(0)
            request.act()
            request.is_done.set()

    def drop(self) -> None:
        """Let go of those who wait: what they wanted to act on has ended."""
        for one in self._waiting:
            one.is_done.set()
        self._waiting.clear()
