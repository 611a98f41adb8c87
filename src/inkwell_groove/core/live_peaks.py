"""The peak pyramid of a recording that is still going on: each level a file that grows, read while it does.

Only what is not yet a whole block is held in memory, so a recording of any length costs the same. At the end the
levels are put behind one another: the same file that `peaks.build` makes from the finished take.
"""

from __future__ import annotations

import errno
import os
import shutil
from pathlib import Path

import numpy as np

from inkwell_groove.core.audio.packing import Whole
from inkwell_groove.core.peaks import (
    BASE_BLOCK_SAMPLES,
    FACTOR,
    VALUE_BYTES,
    PeakIndex,
    Peaks,
    fold_peaks,
    fold_samples,
    plan_levels,
    write_header,
)

_FULL_SCALE = 2.0**31
_MAX_LEVELS = 12  # the top one's block is 256 * 4**11 samples: an hour and a half at 192 kHz


class LivePeaks:
    """Folds samples (left-justified int32) into level files in `folder`, which must exist.

    What cannot be written, because the disk is full, ends the drawing and nothing else: `feed` goes on counting, and
    `finish` raises OSError.
    """

    def __init__(self, folder: Path, *, rate_hz: int, channels: int) -> None:
        self._folder = folder
        self._rate_hz = rate_hz
        self._channels = channels
        self.samples = 0
        self._rest = np.zeros((0, channels), dtype=np.int32)
        self._waiting: list[Peaks] = [np.zeros((0, channels, 3), dtype=np.float32) for _ in range(_MAX_LEVELS)]
        self._files = [self._level_path(level).open("w+b", buffering=0) for level in range(_MAX_LEVELS)]
        self._blocks = [0] * _MAX_LEVELS
        self._failure: OSError | None = None

    @property
    def index(self) -> PeakIndex:
        """What can be read now: whole blocks only, so the counts lag behind the samples by less than a block."""
        planned = plan_levels(max(1, self.samples), self._channels, self._rate_hz)
        levels = len(planned.blocks)
        return planned.model_copy(
            update={"samples": self.samples, "blocks": tuple(self._blocks[:levels]), "offsets": (0,) * levels}
        )

    def feed(self, samples: Whole) -> None:
        self.samples += len(samples)
        if self._failure is not None:
            return
        joined = np.concatenate((self._rest, samples)) if len(self._rest) else samples
        whole = len(joined) // BASE_BLOCK_SAMPLES * BASE_BLOCK_SAMPLES
        self._rest = joined[whole:].copy()
        if whole:
            try:
                self._add(0, fold_samples(np.ascontiguousarray(joined[:whole]), _FULL_SCALE))
            except OSError as cause:
                self._failure = cause

    def read(self, level: int, first_block: int, blocks: int) -> bytes:
        """The float32 values [block][channel][min, max, rms] of a range of blocks, clipped to those that are whole."""
        if not 0 <= level < _MAX_LEVELS:
            raise IndexError(f"level {level} of {_MAX_LEVELS}")
        width = self._channels * VALUE_BYTES
        count = max(0, min(blocks, self._blocks[level] - first_block))
        return os.pread(self._files[level].fileno(), count * width, first_block * width)

    def finish(self, target: Path) -> PeakIndex:
        """Folds what is left and writes the pyramid of the whole to `target`; the level files go.

        Raises OSError where it cannot be written; there is then nothing at `target`.
        """
        if self._failure is not None:
            raise self._failure
        index = plan_levels(self.samples, self._channels, self._rate_hz)
        levels = len(index.blocks)
        last = fold_samples(self._rest, _FULL_SCALE) if len(self._rest) else self._waiting[0][:0]
        for level in range(levels):
            self._write(level, last)
            left = np.concatenate((self._waiting[level], last))
            size = index.block_samples[level]
            # The last block of a level is seldom full, which its RMS must know.
            share = (self.samples - (index.blocks[level] - 1) * size) / size
            last = fold_peaks(left, share) if len(left) else left
        beside = target.with_name(f".{target.name}.part")
        try:
            with beside.open("w+b") as out:
                write_header(out, index)
                for level in range(levels):
                    with self._level_path(level).open("rb") as source:
                        shutil.copyfileobj(source, out, 1 << 20)
                out.flush()
                os.fsync(out.fileno())
            beside.rename(target)
        except OSError:
            beside.unlink(missing_ok=True)
            raise
        self.close()
        return index

    def close(self) -> None:
        """Forgets the level files: without the samples they lead to nothing."""
        for level, file in enumerate(self._files):
            file.close()
            self._level_path(level).unlink(missing_ok=True)

    def _write(self, level: int, peaks: Peaks) -> None:
        """Raises OSError where not all of it could be written: a nearly full disk takes a part, and says nothing."""
        data = np.ascontiguousarray(peaks).tobytes()
        if self._files[level].write(data) != len(data):
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))

    def _add(self, level: int, peaks: Peaks) -> None:
        """Appends whole blocks to a level, and to the ones above where four are together."""
        while level < _MAX_LEVELS and len(peaks):
            self._write(level, peaks)
            self._blocks[level] += len(peaks)
            joined = np.concatenate((self._waiting[level], peaks))
            whole = len(joined) // FACTOR * FACTOR
            self._waiting[level] = joined[whole:]
            peaks, level = fold_peaks(np.ascontiguousarray(joined[:whole])) if whole else joined[:0], level + 1

    def _level_path(self, level: int) -> Path:
        return self._folder / f"level {level}"
