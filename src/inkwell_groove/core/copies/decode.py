"""A copy decoded as players do it, block by block, through FFmpeg's libraries."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from av.error import FFmpegError

from inkwell_groove.core.audio.sound import Samples
from inkwell_groove.core.errors import NotSound

_SCALES = {"s16": 32768.0, "s32": 2147483648.0}


@dataclass(frozen=True)
class Found:
    """What a file is, whatever its name says. `stated_samples` is where it says that the sound ends, if it does."""

    container: str
    codec: str
    rate_hz: int
    channels: int
    stated_samples: int | None


def identify(path: Path) -> Found:
    """Return what FFmpeg's libraries take a file for, by its content. Raises NotSound."""
    try:
        with av.open(str(path)) as container:
            if not container.streams.audio:
                raise NotSound("there is no sound in it", where=path.name, remedy="Make it again")
            stream = container.streams.audio[0]
            stated = None
            if stream.duration is not None and stream.time_base == Fraction(1, stream.rate):
                stated = stream.duration
            codec = stream.codec_context
            return Found(container.format.name, codec.codec.canonical_name, stream.rate, codec.channels, stated)
    except FFmpegError as cause:
        raise NotSound(f"it cannot be decoded ({cause})", where=path.name, remedy="Make it again") from cause


def decoded(path: Path) -> Iterator[Samples]:
    """(samples, channels): int16 or int32 where the coding is lossless, else float32, full scale 1.

    What the encoder added before and after is taken off where the file says how much. Raises NotSound.
    """
    try:
        with av.open(str(path)) as container:
            if not container.streams.audio:
                raise NotSound("there is no sound in it", where=path.name, remedy="Make it again")
            for frame in container.decode(container.streams.audio[0]):
                block = frame.to_ndarray()
                if not frame.format.is_planar:
                    block = block.reshape(-1, len(frame.layout.channels)).T
                yield block.T
    except FFmpegError as cause:
        raise NotSound(f"it cannot be decoded ({cause})", where=path.name, remedy="Make it again") from cause


def as_float(block: Samples) -> Samples:
    """float64, full scale 1."""
    if block.dtype.kind == "f":
        return block.astype(np.float64)
    return block.astype(np.float64) / _SCALES[f"s{8 * block.dtype.itemsize}"]
