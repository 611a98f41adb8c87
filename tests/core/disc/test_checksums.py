"""Checksums of disc audio, and the offsets they tell."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkwell_groove.core.disc.checksums import (
    EDGE_SAMPLES,
    FURTHEST_OFFSET,
    WitnessSum,
    crc32,
    offsets_with,
    sums_at_offsets,
    window,
    witness_sum,
)
from inkwell_groove.core.disc.toc import Toc, TocTrack
from inkwell_groove.core.errors import Refused

_PRIME = 2**31 - 1


def noise(samples: int, seed: int = 1) -> np.ndarray:
    return np.random.default_rng(seed).integers(-32768, 32768, (samples, 2)).astype(np.int16)


def by_the_book(audio: np.ndarray) -> int:
    """The polynomial as the module's text defines it, with Python's whole numbers."""
    values = []
    for point in (1_103_515_245, 1_566_083_941):
        value = 0
        for left, right in audio.tolist():
            value = (value * point + (left & 0xFFFF) + 65536 * (right & 0xFFFF)) % _PRIME
        values.append(value)
    return values[0] * 2**31 + values[1]


def test_the_log_s_checksum_is_that_of_the_standard_and_can_go_on() -> None:
    """ISO 3309's check value is that of "123456789"; here of "12345678" in samples, by zlib's own arithmetic."""
    audio = np.frombuffer(b"12345678", "<i2").reshape(-1, 2)
    assert crc32(audio) == 0x9AE0DAAF
    assert crc32(audio[1:], crc32(audio[:1])) == crc32(audio)


@given(st.integers(0, 40), st.integers(0, 2**31))
def test_a_witness_sum_is_its_polynomial(samples: int, seed: int) -> None:
    audio = noise(samples, seed)
    assert witness_sum(audio) == by_the_book(audio)


def test_the_extremes_of_16_bit_are_summed_too() -> None:
    audio = np.array([[-1, -1], [-32768, 32767], [0, 0], [32767, -32768]] * 9, np.int16)
    assert witness_sum(audio) == by_the_book(audio)


def test_a_sum_is_the_same_in_whatever_blocks() -> None:
    audio, total = noise(5_000), WitnessSum()
    for first in range(0, 5_000, 588):
        total.add(audio[first : first + 588])
    assert total.value == witness_sum(audio)


def test_one_altered_bit_is_told() -> None:
    audio = noise(3_000)
    altered = audio.copy()
    altered[1_234, 1] ^= 1
    assert witness_sum(altered) != witness_sum(audio)


def test_a_hundred_random_offsets_are_found_exactly() -> None:
    samples = 30_000
    disc = noise(samples + 4 * FURTHEST_OFFSET, 9)
    first = 2 * FURTHEST_OFFSET
    wanted = witness_sum(disc[first : first + samples])
    for offset in np.random.default_rng(4).integers(-FURTHEST_OFFSET, FURTHEST_OFFSET + 1, 100).tolist():
        # A drive that is late delivers at each place what lies before it.
        read = disc[first - FURTHEST_OFFSET - offset : first + samples + FURTHEST_OFFSET - offset]
        cut = 1 + offset % 7_000  # whatever the blocks
        sums = sums_at_offsets([read[:cut], read[cut:20_000], read[20_000:]], samples)
        assert offsets_with(sums, wanted) == [offset]


def test_an_offset_that_is_not_there_is_not_found() -> None:
    assert offsets_with(sums_at_offsets([noise(2_000)], 1_000, 500), witness_sum(noise(1_000, 2))) == []


def test_every_offset_has_the_sum_of_its_window() -> None:
    audio = noise(40)
    sums = sums_at_offsets([audio[:13], audio[13:]], 20, 10)
    assert sums.tolist() == [witness_sum(audio[at : at + 20]) for at in range(21)]


@pytest.mark.parametrize(("have", "samples"), [(10, 9), (11, 8), (2, 0)])
def test_a_search_with_too_little_room_is_refused(have: int, samples: int) -> None:
    with pytest.raises(Refused, match="do not reach 1 before and after"):
        sums_at_offsets([noise(have)], samples, 1)


def test_only_the_ends_of_the_disc_are_left_out() -> None:
    three = Toc(tracks=tuple(TocTrack(number=n + 1, start=100 * n) for n in range(3)), lead_out=300)
    assert window(three, 1) == (EDGE_SAMPLES, 100 * 588)
    assert window(three, 2) == (100 * 588, 200 * 588)
    assert window(three, 3) == (200 * 588, 300 * 588 - EDGE_SAMPLES)
    assert EDGE_SAMPLES > FURTHEST_OFFSET


def test_with_a_hidden_opening_that_is_the_disc_s_beginning() -> None:
    toc = Toc(tracks=(TocTrack(number=1, start=50),), lead_out=100)
    assert window(toc, 0) == (EDGE_SAMPLES, 50 * 588)
    assert window(toc, 1) == (50 * 588, 100 * 588 - EDGE_SAMPLES)


def test_a_track_too_short_to_compare_is_refused() -> None:
    with pytest.raises(Refused, match="too few for a witness sum"):
        window(Toc(tracks=(TocTrack(number=1, start=0),), lead_out=9), 1)
