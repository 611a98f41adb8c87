"""An album's files as one sound: what is between two tracks must not know that they are two files."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import ExitStack
from pathlib import Path

import numpy as np

from inkwell_groove.core.audio.sound import Samples
from inkwell_groove.core.audio.soundfiles import FileReader


class Joined:
    """Files of one format, one behind the other. `starts` are where each begins, and where the last ends."""

    def __init__(self, paths: Sequence[Path]) -> None:
        with ExitStack() as opened:
            self._readers = [opened.enter_context(FileReader(path)) for path in paths]
            self._close = opened.pop_all()
        first = self._readers[0].format
        self.starts = [0]
        for reader in self._readers:
            self.starts.append(self.starts[-1] + reader.format.samples)
        self.format = first.model_copy(update={"samples": self.starts[-1]})

    def read(self, start_sample: int, samples: int) -> Samples:
        end = min(start_sample + samples, self.format.samples)
        parts = []
        for reader, first, last in zip(self._readers, self.starts, self.starts[1:], strict=False):
            low, high = max(first, start_sample), min(last, end)
            if low < high:
                parts.append(reader.read(low - first, high - low))
        if not parts:
            return np.zeros((0, self.format.channels), self.format.dtype)
        return parts[0] if len(parts) == 1 else np.concatenate(parts)

    def close(self) -> None:
        self._close.close()

    def __enter__(self) -> Joined:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()


def runs(paths: Sequence[Path]) -> list[list[int]]:
    """Which files follow each other in one format, by their places in the list."""
    found: list[list[int]] = []
    before = None
    for place, path in enumerate(paths):
        with FileReader(path) as reader:
            form = reader.format
        shape = form.rate_hz, form.channels, form.word
        if shape == before:
            found[-1].append(place)
        else:
            found.append([place])
        before = shape
    return found
