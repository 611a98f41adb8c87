"""Blocks on their way: counted, checked against each other and the clock, kept, and turned into bytes."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkwell_groove.core.audio.packing import pcm_bytes
from inkwell_groove.core.transfer.block import Block, PreRoll, from_float
from inkwell_groove.core.transfer.chain import Chain
from inkwell_groove.core.transfer.continuity import Continuity
from inkwell_groove.core.transfer.gain import AIM_DBFS, BAND_DBFS, GainRange, advise

RATE_HZ = 48_000
SIZE = 960


def block(number: int, *, first: int | None = None, late_s: float = 0.0, size: int = SIZE) -> Block:
    start = number * size if first is None else first
    samples = np.arange(start, start + size, dtype=np.int32)[:, None].repeat(2, axis=1) << 8
    return Block(number, start, (start + size) / RATE_HZ + late_s, samples)


def test_blocks_in_order_pass_untouched() -> None:
    check = Continuity(rate_hz=RATE_HZ)
    for number in range(400):
        fresh, faults = check.check(block(number))
        assert fresh is not None
        assert len(fresh.samples) == SIZE
        assert faults == []
    assert check.next_sample == 400 * SIZE


def test_a_lost_block_is_told_at_its_sample_and_nothing_put_in_its_place() -> None:
    check = Continuity(rate_hz=RATE_HZ)
    check.check(block(0))
    fresh, (fault,) = check.check(block(2))
    assert (fault.kind, fault.at_sample, fault.samples) == ("lost", SIZE, SIZE)
    assert "960 samples lost (20.0 ms)" in fault.words
    assert fresh is not None
    assert fresh.first_sample == 2 * SIZE


def test_a_repeated_block_is_told_and_written_once() -> None:
    check = Continuity(rate_hz=RATE_HZ)
    check.check(block(0))
    check.check(block(1))
    fresh, (fault,) = check.check(block(1))
    assert fresh is None
    assert (fault.kind, fault.at_sample, fault.samples) == ("repeated", 2 * SIZE, SIZE)
    assert check.check(block(2))[1] == []


def test_a_block_that_overlaps_gives_what_is_new() -> None:
    check = Continuity(rate_hz=RATE_HZ)
    check.check(block(0))
    fresh, (fault,) = check.check(block(1, first=SIZE - 100))
    assert fault.samples == 100
    assert fresh is not None
    assert fresh.first_sample == SIZE
    assert fresh.samples[0, 0] >> 8 == SIZE


def test_samples_that_nobody_counted_are_missed_by_the_clock() -> None:
    check = Continuity(rate_hz=RATE_HZ)
    rng = np.random.default_rng(1)
    found = []
    for number in range(1_000):
        # Blocks come late by up to 30 ms, as they do; from number 500 on all of them by 20 ms more.
        late_s = rng.exponential(0.006) + (0.02 if number >= 500 else 0.0)
        found += check.check(block(number, late_s=late_s))[1]
    (fault,) = found
    assert fault.kind == "missing by the clock"
    assert fault.samples == pytest.approx(SIZE, abs=150)
    assert abs(fault.at_sample - 500 * SIZE) < 2.2 * RATE_HZ


def test_jitter_and_two_crystals_are_no_fault() -> None:
    check = Continuity(rate_hz=RATE_HZ)
    rng = np.random.default_rng(2)
    for number in range(3_000):
        late_s = rng.exponential(0.004) + number * SIZE / RATE_HZ * 80e-6
        assert check.check(block(number, late_s=late_s))[1] == []


@given(cuts=st.lists(st.integers(1, 500), min_size=1, max_size=40), wanted=st.integers(0, 4_000))
def test_the_pre_roll_gives_back_every_sample_it_was_asked_to_keep(cuts: list[int], wanted: int) -> None:
    kept = PreRoll(1_000)
    at = 0
    for number, size in enumerate(cuts):
        kept.keep(block(number, first=at, size=size))
        at += size
    found = kept.since(max(0, at - wanted))
    samples = np.concatenate([one.samples for one in found]) if found else np.zeros((0, 2), np.int32)
    assert len(samples) >= min(wanted, 1_000, at)
    np.testing.assert_array_equal(samples[:, 0] >> 8, np.arange(at - len(samples), at))


@given(st.lists(st.integers(-(2**23), 2**23 - 1), min_size=1, max_size=50))
def test_floats_that_were_24_bit_integers_come_back_exactly(values: list[int]) -> None:
    floats = (np.array(values, dtype=np.float64) / 2**23).astype(np.float32)[:, None]
    np.testing.assert_array_equal(from_float(floats)[:, 0], np.array(values) << 8)


@pytest.mark.parametrize("bits", [16, 24])
def test_floats_that_were_scaled_unevenly_come_back_exactly_at_their_word(bits: int) -> None:
    top = 2 ** (bits - 1)
    values = np.array([0, 1, -1, 7_123, top - 1, -top])
    uneven = np.where(values > 0, values / (top - 1), values / top).astype(np.float32 if bits == 16 else np.float64)
    np.testing.assert_array_equal(from_float(uneven[:, None], bits=bits)[:, 0] >> (32 - bits), values)


def test_floats_beyond_full_scale_clip() -> None:
    np.testing.assert_array_equal(from_float(np.array([[1.5], [-1.5]])) >> 8, [[2**23 - 1], [-(2**23)]])


@pytest.mark.parametrize("bits", [16, 24, 32])
def test_pcm_is_the_upper_bytes_little_endian(bits: int) -> None:
    samples = np.array([[0x12345678, -0x12345678]], dtype=np.int32)
    found = pcm_bytes(samples, bits)
    wide = [int.from_bytes(found[i : i + bits // 8], "little", signed=True) for i in (0, bits // 8)]
    assert wide == [0x12345678 >> (32 - bits), -0x12345678 >> (32 - bits)]


@pytest.mark.parametrize(
    ("peak_dbfs", "clipped", "verdict", "change_db"),
    [
        (-6.0, 0, "right", 0.0),
        (-11.9, 0, "right", 0.0),
        (-20.2, 0, "quiet", 14.0),
        (-1.0, 0, "hot", -5.0),
        (0.0, 40, "clipped", -12.0),
        (None, 0, "nothing heard", 0.0),
        (-75.0, 0, "nothing heard", 0.0),
    ],
)
def test_the_gain_aims_at_the_middle_of_the_band(
    peak_dbfs: float | None, clipped: int, verdict: str, change_db: float
) -> None:
    found = advise(peak_dbfs, clipped_samples=clipped)
    assert (found.verdict, found.change_db) == (verdict, change_db)
    if peak_dbfs is not None and verdict in ("quiet", "hot"):
        assert BAND_DBFS[0] < peak_dbfs + change_db < BAND_DBFS[1]
        assert abs(peak_dbfs + change_db - AIM_DBFS) <= 0.25
    assert ("harmless" in found.words) == (verdict == "quiet")


def test_a_gain_is_set_in_the_device_s_own_steps() -> None:
    gain = GainRange(lowest_db=-20, highest_db=40, step_db=0.5)
    assert [gain.nearest(one) for one in (-99, 3.3, 3.2, 99)] == [-20, 3.5, 3.0, 40]


def test_a_chain_tells_what_is_known_in_the_order_of_the_signal() -> None:
    chain = Chain(name="Deck 1", interface="Converter", stylus="65 um truncated", operator="E. R.")
    assert chain.lines() == [("stylus", "65 um truncated"), ("interface", "Converter"), ("operator", "E. R.")]
