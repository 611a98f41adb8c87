"""What a recording is, as far as the rules are concerned: its format, and a way to read any part of it."""

from __future__ import annotations

from typing import Any, Literal, Protocol

import numpy as np
import numpy.typing as npt
from pydantic import BaseModel, ConfigDict, Field, computed_field

Samples = npt.NDArray[Any]  # (samples, channels): int16, int32 or float32, as `SoundFormat.dtype` says
Audio = npt.NDArray[np.float64]  # (samples, channels), full scale 1.0

Word = Literal["u8", "s8", "s16", "s24", "s32", "f32", "f64"]

WORD_BITS: dict[Word, int] = {"u8": 8, "s8": 8, "s16": 16, "s24": 24, "s32": 32, "f32": 32, "f64": 64}
MIN_RATE_HZ, MAX_RATE_HZ = 8_000, 192_000
MAX_CHANNELS = 4


class SoundFormat(BaseModel):
    """The shape of a recording: container, word, rate, channels and length."""

    model_config = ConfigDict(frozen=True)

    container: str = Field(description="WAV, RF64, AIFF, FLAC ...")
    word: Word = Field(description="How one sample is stored: signed or unsigned integer, or float, and its bits.")
    rate_hz: int = Field(ge=1)
    channels: int = Field(ge=1)
    samples: int = Field(ge=0, description="Samples per channel.")
    lossless: bool = True

    @computed_field  # type: ignore[prop-decorator]
    @property
    def duration_s(self) -> float:
        return self.samples / self.rate_hz

    @computed_field  # type: ignore[prop-decorator]
    @property
    def is_float(self) -> bool:
        return self.word in ("f32", "f64")

    @computed_field  # type: ignore[prop-decorator]
    @property
    def bits(self) -> int:
        return WORD_BITS[self.word]

    @property
    def dtype(self) -> np.dtype[Any]:
        """The type blocks are read as. Integers over 16 bit come left-justified in 32 bit, as libsndfile gives them."""
        if self.is_float:
            return np.dtype(np.float32 if self.word == "f32" else np.float64)
        return np.dtype(np.int16 if self.bits <= 16 else np.int32)

    @property
    def full_scale(self) -> float:
        """The value that stands for 1.0 in blocks of `dtype`."""
        if self.is_float:
            return 1.0
        return 32768.0 if self.bits <= 16 else 2147483648.0


class SoundReader(Protocol):
    """Any part of a recording, on demand. Not shared between threads."""

    @property
    def format(self) -> SoundFormat: ...

    def read(self, start_sample: int, samples: int) -> Samples:
        """Samples [start_sample, start_sample + samples), clipped to the recording, in `format.dtype`."""
        ...


def to_float(block: Samples, full_scale: float) -> Audio:
    """The block as float64 with full scale 1.0."""
    return np.asarray(block, dtype=np.float64) / full_scale
