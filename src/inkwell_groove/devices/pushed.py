"""A source whose blocks are sent to it: the archivist's own interface, through the browser.

The browser numbers its samples and keeps what is not acknowledged, so after a lost connection it sends again from where
the server says; what comes twice then is the same block and no fault.
"""

from __future__ import annotations

import contextlib
import struct
import threading
from queue import Empty, Full, Queue

import numpy as np

from inkwell_groove.core.errors import Conflict, Refused
from inkwell_groove.core.transfer.block import Block, from_float
from inkwell_groove.devices.source import Control, SourceFacts

BROWSER = SourceFacts(
    id="browser",
    name="Interface at this computer, through the browser",
    kind="browser",
    simulated=False,
    rates_hz=(),
    gain=None,
)
_HEAD = struct.Struct("<4sIQdI")  # b"IGS1", sequence, first sample, captured at in seconds, samples; then float32
_MAX_SAMPLES = 1 << 16
_QUEUE_BLOCKS = 4_096


class SourceGone(Conflict):
    """The source has ended."""


class PushedSource:
    """A `Source`. `push` is called by whoever receives, `read` by the transfer's thread."""

    facts = BROWSER
    gain_db = None

    def __init__(self, *, rate_hz: int, channels: int, bits: int = 24, next_sample: int | None = None) -> None:
        self.rate_hz = rate_hz
        self.channels = channels
        self._bits = bits
        self._queue: Queue[Block | None] = Queue(_QUEUE_BLOCKS)
        self._pushing = threading.Lock()
        self._next = self._read_to = next_sample

    @property
    def next_sample(self) -> int | None:
        """Where the browser is to go on; none before its first block."""
        return self._next

    def push(self, message: bytes) -> None:
        """One message of the browser. Raises Refused for a malformed one, or where the transfer does not keep up."""
        block = parse(message, channels=self.channels, bits=self._bits)
        # Of two connections, one not yet known to be dead, both may push: what the other had is then passed over.
        with self._pushing:
            self._push(block)

    def _push(self, block: Block) -> None:
        if self._next is not None and block.first_sample < self._next:
            # Sent again after a lost connection: the same samples, known by their numbers.
            skip = self._next - block.first_sample
            if skip >= len(block.samples):
                return
            block = block.after(skip)
        if self._read_to is None:
            self._read_to = block.first_sample
        try:
            self._queue.put(block, timeout=5.0)
        except Full as cause:
            raise Refused(
                "the server does not keep up", where="browser input", remedy="It goes on by itself"
            ) from cause
        self._next = block.end_sample

    def read(self, timeout_s: float) -> Block | None:
        try:
            block = self._queue.get(timeout=timeout_s)
        except Empty:
            return None
        if block is None:
            raise SourceGone("the browser's input has ended", remedy="Connect it again")
        self._read_to = block.end_sample
        return block

    def waiting_samples(self) -> int:
        pushed, read = self._next, self._read_to
        return 0 if pushed is None or read is None else max(0, pushed - read)

    def set_gain(self, gain_db: float) -> float:
        raise Refused("a browser cannot set an interface's gain", where=self.facts.name, remedy="Turn its knob by hand")

    def controls(self) -> list[Control]:
        return []

    def operate(self, control: str, value: str = "") -> None:
        raise Refused(f"there is no '{control}' here", where=self.facts.name)

    def sides_playing(self) -> str | None:
        return None

    def close(self) -> None:
        with contextlib.suppress(Full):  # whoever reads is behind, and closing too
            self._queue.put_nowait(None)


def parse(message: bytes, *, channels: int, bits: int = 24) -> Block:
    """A message as a block of that word length. Raises Refused, saying what is wrong with it."""
    if len(message) < _HEAD.size:
        raise Refused(f"a message of {len(message)} bytes has no head", where="browser input")
    mark, sequence, first, captured_at_s, samples = _HEAD.unpack_from(message)
    wanted = _HEAD.size + samples * channels * 4
    if mark != b"IGS1" or samples > _MAX_SAMPLES or len(message) != wanted:
        raise Refused(
            f"a message of {len(message)} bytes is not {samples} samples of {channels} channels",
            where="browser input",
            remedy="Reload the page",
        )
    floats = np.frombuffer(message, dtype="<f4", offset=_HEAD.size).reshape(samples, channels)
    if not np.isfinite(floats).all() or not np.isfinite(captured_at_s):
        raise Refused("a message holds numbers that are none", where="browser input", remedy="Reload the page")
    return Block(sequence, first, captured_at_s, from_float(floats, bits=bits))


def render(block: Block) -> bytes:
    """The message of a block, as the browser writes it."""
    floats = (block.samples.astype(np.float64) / 2.0**31).astype("<f4")
    head = _HEAD.pack(b"IGS1", block.sequence, block.first_sample, block.captured_at_s, len(block.samples))
    return head + floats.tobytes()
