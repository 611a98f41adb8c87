"""Samples as bytes and back: interleaved, signed, little-endian, in the fewest whole bytes."""

from __future__ import annotations

import numba
import numpy as np
import numpy.typing as npt

from inkwell_groove.core.audio.sound import Samples

Whole = npt.NDArray[np.int32]  # (samples, channels), left-justified: full scale is 2**31, whatever the word length


def pcm_bytes(block: Samples, bits: int) -> bytes | memoryview:
    """A block as PCM, as files hold it and as RFC 9639 section 8.2 hashes it.

    block (samples, channels): int16 or int32, left-justified. bits: 4 to 32; values that are not whole bytes are
    extended by their sign.
    """
    held, width = block.dtype.itemsize * 8, (bits + 7) // 8
    if width == 3:
        values = np.ascontiguousarray(block, np.int32).reshape(-1)
        packed = np.empty(block.size * 3, np.uint8)
        _pack24(values if bits == 24 else values >> (32 - bits) << 8, packed)
        return packed.data
    values = block if bits == held else block >> (held - bits)
    return values.astype(f"<i{width}", copy=False).tobytes()


def from_pcm(data: bytes, bits: int, channels: int) -> Whole:
    """Little-endian PCM of 16, 24 or 32 bit as (samples, channels) of left-justified 32-bit integers."""
    if bits == 24:
        return unpacked24(np.frombuffer(data, np.uint8)).reshape(-1, channels)
    return np.frombuffer(data, f"<i{bits // 8}").astype(np.int32).reshape(-1, channels) << (32 - bits)


def unpacked24(packed: npt.NDArray[np.uint8]) -> Whole:
    """Three bytes each as the upper three of 32-bit integers; a value that breaks off is left out."""
    values = np.empty(len(packed) // 3, np.int32)
    _unpack24(packed, values)
    return values


@numba.njit(nogil=True, cache=True)
def _pack24(samples, packed):  # type: ignore[no-untyped-def] # pragma: no cover: compiled
    """The upper three bytes of each 32, lowest first."""
    for n in range(len(samples)):
        value = samples[n] >> 8
        packed[3 * n] = value & 0xFF
        packed[3 * n + 1] = (value >> 8) & 0xFF
        packed[3 * n + 2] = (value >> 16) & 0xFF


@numba.njit(nogil=True, cache=True)
def _unpack24(packed, values):  # type: ignore[no-untyped-def] # pragma: no cover: compiled
    """Three bytes each, lowest first, into the upper three of 32 bits."""
    for n in range(len(values)):
        low, middle, high = np.int32(packed[3 * n]), np.int32(packed[3 * n + 1]), np.int32(packed[3 * n + 2])
        values[n] = (high << 24) | (middle << 16) | (low << 8)
