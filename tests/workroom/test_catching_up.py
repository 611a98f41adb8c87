"""How a source is read: a block at a time, or more where the work is behind."""

from __future__ import annotations

from collections import deque
from typing import Any, cast

import numpy as np
import pytest

from inkwell_groove.core.transfer.block import Block, joined
from inkwell_groove.devices.source import Source
from inkwell_groove.workroom.transfer.catching_up import waiting_blocks

RATE_HZ, BLOCK = 48_000, 960  # 20 ms


class Waiting:
    """A source that has some blocks and gets no more."""

    rate_hz = RATE_HZ

    def __init__(self, blocks: int) -> None:
        self._blocks = deque(
            Block(number, number * BLOCK, number * 0.02, np.full((BLOCK, 2), number, np.int32))
            for number in range(blocks)
        )

    def read(self, timeout_s: float) -> Block | None:
        return self._blocks.popleft() if self._blocks else None

    def waiting_samples(self) -> int:
        return len(self._blocks) * BLOCK


@pytest.mark.parametrize(
    ("waiting", "at_once"),
    [
        pytest.param(0, 0, id="nothing waits"),
        pytest.param(1, 1, id="as it should be"),
        pytest.param(25, 1, id="just under half a second behind"),
        pytest.param(26, 26, id="half a second behind: all of it"),
        pytest.param(500, 50, id="ten seconds behind: a second of it"),
    ],
)
def test_more_is_read_where_more_waits(waiting: int, at_once: int) -> None:
    source = Waiting(waiting)
    read = list(waiting_blocks(cast(Source, source)))
    assert len(read) == at_once
    assert source.waiting_samples() == (waiting - at_once) * BLOCK


def test_blocks_are_joined_without_a_seam() -> None:
    blocks = list(waiting_blocks(cast(Source, Waiting(30))))
    whole: Any = joined(blocks)
    assert (whole.sequence, whole.first_sample, whole.end_sample) == (0, 0, 30 * BLOCK)
    assert whole.captured_at_s == blocks[-1].captured_at_s
    np.testing.assert_array_equal(whole.samples[:, 0], np.repeat(np.arange(30), BLOCK))
