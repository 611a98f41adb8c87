"""Checksums of disc audio: CRC-32 for the log, and the witness sum, by which reads of other people are compared.

The witness sum takes a track as a polynomial: each sample, left plus 65536 times right as unsigned words, is a
coefficient, and its value at two fixed points is taken modulo the prime 2^31 - 1 (Karp and Rabin, Efficient randomized
pattern-matching algorithms, 1987). Two different tracks share both values about once in 4e18. Two things follow:

- Moving the window by a sample costs two multiplications, so all offsets that a drive may have are tried at once.
- Drives cannot read every sample at a disc's two ends. The first EDGE_SAMPLES of the first track and the last of the
  last are left out, and every offset up to FURTHEST_OFFSET is found with the samples that any drive reads.
"""

from __future__ import annotations

from collections.abc import Iterable

import numba
import numpy as np
import numpy.typing as npt
from isal import isal_zlib

from inkwell_groove.core.disc.toc import SAMPLES_PER_FRAME, Toc
from inkwell_groove.core.errors import Refused

Stereo = npt.NDArray[np.int16]
Words = npt.NDArray[np.uint64]

FURTHEST_OFFSET = 2_939
EDGE_SAMPLES = 5 * SAMPLES_PER_FRAME
_PRIME = np.uint64(2**31 - 1)
_POINTS = (1_103_515_245, 1_566_083_941)
_BITS = np.uint64(31)


def crc32(audio: Stereo, before: int = 0) -> int:
    """CRC-32 (ISO 3309) of (samples, 2) as little-endian bytes, going on from `before`."""
    return int(isal_zlib.crc32(np.ascontiguousarray(audio, "<i2").data, before))


def window(toc: Toc, number: int) -> tuple[int, int]:
    """Samples [first, end), from frame address 0, of which a track's witness sum is made. Track 0 is the opening.

    Raises Refused where nothing would be left of it, LookupError for a track that is not there.
    """
    first, end = (frame * SAMPLES_PER_FRAME for frame in toc.extent(number))
    if number in (0, toc.audio_tracks[0].number) and not (number and toc.opening_frames):
        first += EDGE_SAMPLES
    if number == toc.audio_tracks[-1].number:
        end -= EDGE_SAMPLES
    if first >= end:
        raise Refused(
            f"{end - first + EDGE_SAMPLES} samples are too few for a witness sum",
            where=f"track {number}",
            remedy="Only a track of more than five frames at a disc's end can be compared with other reads",
        )
    return first, end


class WitnessSum:
    """The sum of samples (samples, 2) as they come, block by block."""

    def __init__(self) -> None:
        self._value = np.zeros(2, np.uint64)

    def add(self, audio: Stereo) -> None:
        _go_on(np.ascontiguousarray(audio, np.int16), np.array(_POINTS, np.uint64), self._value)

    @property
    def value(self) -> int:
        """Under 2^62."""
        return _joined(self._value)


def witness_sum(audio: Stereo) -> int:
    """The sum of (samples, 2)."""
    total = WitnessSum()
    total.add(audio)
    return total.value


def sums_at_offsets(blocks: Iterable[Stereo], samples: int, reach: int = FURTHEST_OFFSET) -> Words:
    """The sums of a window of `samples` at each offset from -reach to reach, (2 reach + 1,).

    The blocks are (n, 2) each and together samples + 2 reach long: they reach as far before the window as after it.
    An offset is how many samples late a drive delivers: +47 means that sample n of the disc came as sample n + 47.
    Raises Refused where they are not that long. Nothing is held but the two edges.
    """
    room, points = 2 * reach, np.array(_POINTS, np.uint64)
    value = np.zeros(2, np.uint64)
    head, tail, length = np.zeros(room, np.uint64), np.zeros(room, np.uint64), 0
    for block in blocks:
        _go_on(np.ascontiguousarray(block[: max(0, samples - length)], np.int16), points, value)
        for edge, start in ((head, 0), (tail, samples)):
            low, high = max(length, start), min(length + len(block), start + room)
            if low < high:
                edge[low - start : high - start] = _words(block[low - length : high - length])
        length += len(block)
    if samples < 1 or length != samples + room:
        raise Refused(
            f"{length} samples do not reach {reach} before and after a window of {samples}",
            where="the search for a drive's offset",
            remedy=f"Read up to {reach} samples more on either side of the track",
        )
    found = _roll(value, head, tail, samples, points)
    return np.asarray((found[:, 0] << _BITS) | found[:, 1])


def offsets_with(sums: Words, wanted: int) -> list[int]:
    """At which offsets the window has the `wanted` sum, of what `sums_at_offsets` gave."""
    return [int(place) - len(sums) // 2 for place in np.flatnonzero(sums == np.uint64(wanted))]


def _words(audio: Stereo) -> Words:
    two = np.ascontiguousarray(audio, "<i2").view("<u2").astype(np.uint64)
    return np.asarray(two[:, 0] | (two[:, 1] << np.uint64(16)))


def _joined(value: Words) -> int:
    return (int(value[0]) << 31) | int(value[1])


@numba.njit(nogil=True, cache=True)
def _reduced(value: np.uint64) -> np.uint64:  # pragma: no cover: compiled
    """Modulo 2^31 - 1 of anything under 2^64."""
    value = (value & _PRIME) + (value >> _BITS)
    value = (value & _PRIME) + (value >> _BITS)
    return value - _PRIME if value >= _PRIME else value


@numba.njit(nogil=True, cache=True)
def _half_reduced(value: np.uint64) -> np.uint64:  # pragma: no cover: compiled
    """The same remainder, under 2^33, of anything under 2^64: enough where more is to be added."""
    return (value & _PRIME) + (value >> _BITS)


@numba.njit(nogil=True, cache=True)
def _word(audio: Stereo, n: int) -> np.uint64:  # pragma: no cover: compiled
    return np.uint64(np.uint16(audio[n, 0])) | (np.uint64(np.uint16(audio[n, 1])) << np.uint64(16))


@numba.njit(nogil=True, cache=True)
def _go_on(audio: Stereo, points: Words, value: Words) -> None:  # pragma: no cover: compiled
    """Four samples at a step: each multiplication would else wait for the one before."""
    whole = len(audio) // 4 * 4
    for which in range(2):
        one, value_ = points[which], value[which]
        two = _reduced(one * one)
        three, four = _reduced(two * one), _reduced(two * two)
        for n in range(0, whole, 4):
            added = _half_reduced(_word(audio, n) * three) + _half_reduced(_word(audio, n + 1) * two)
            added += _half_reduced(_word(audio, n + 2) * one) + _word(audio, n + 3)
            value_ = _reduced(value_ * four + added)
        for n in range(whole, len(audio)):
            value_ = _reduced(value_ * one + _word(audio, n))
        value[which] = value_


@numba.njit(nogil=True, cache=True)
def _roll(value: Words, head: Words, tail: Words, samples: int, points: Words) -> Words:  # pragma: no cover: compiled
    """(places, 2): the window's values as it moves on, a sample at a time, out of `head` and into `tail`."""
    out = np.zeros((len(head) + 1, 2), np.uint64)
    for which in range(2):
        point = points[which]
        highest, square, left = np.uint64(1), point, samples
        while left:  # the point to the power of `samples`
            if left & 1:
                highest = _reduced(highest * square)
            square = _reduced(square * square)
            left >>= 1
        one = value[which]
        out[0, which] = one
        for place in range(len(head)):
            gone = _reduced(_reduced(head[place]) * highest)
            one = _reduced(one * point + tail[place] + (_PRIME - gone))
            out[place + 1, which] = one
    return out
