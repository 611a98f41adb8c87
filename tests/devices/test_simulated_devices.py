"""The simulated devices do what the real ones would: exactly, on demand, and no more."""

from __future__ import annotations

import math
import time
from pathlib import Path

import numpy as np
import numpy.typing as npt
import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkwell_groove.core.errors import Missing, Refused
from inkwell_groove.core.transfer.block import Block
from inkwell_groove.core.transfer.continuity import Continuity
from inkwell_groove.devices.interface import SimulatedInterface
from inkwell_groove.devices.pushed import PushedSource, SourceGone, parse, render
from inkwell_groove.devices.registry import Sources
from tests.carriers import RATE_HZ, groove, write_carrier
from tests.heldclock import HeldClock


@pytest.fixture(scope="module")
def carriers(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("carriers")
    write_carrier(folder, "T-1")
    return write_carrier(folder, "T-2", kind="cassette", played_at="4.76")


def opened(carriers: Path, source: str = "turntable", rate_hz: int = RATE_HZ) -> SimulatedInterface:
    found = Sources(carriers, speed=math.inf).open(source, rate_hz=rate_hz)
    assert isinstance(found, SimulatedInterface)
    return found


def read(source: SimulatedInterface, seconds: float) -> npt.NDArray[np.int32]:
    blocks = [source.read(0.1) for _ in range(math.ceil(seconds / 0.02))]
    return np.concatenate([block.samples for block in blocks if block is not None])


def test_at_its_own_rate_and_speed_a_groove_comes_out_sample_for_sample(carriers: Path) -> None:
    deck = opened(carriers)
    deck.operate("record", "T-1")
    idle = read(deck, 0.5)
    deck.operate("lower")
    played = read(deck, 9.0)
    truth, _, _ = groove(1)
    np.testing.assert_array_equal(played, truth[: len(played)])
    assert np.abs(idle / 2.0**31).max() < 10 ** (-75 / 20)
    assert deck.sides_playing() == "T-1 side A"


def test_the_run_out_goes_round_and_round(carriers: Path) -> None:
    deck = opened(carriers)
    deck.operate("record", "T-1")
    deck.operate("lower")
    played = read(deck, 60.0)
    truth, _, run_out = groove(1)
    np.testing.assert_array_equal(played[len(truth) :][:48_000], truth[run_out:][:48_000])


@pytest.mark.parametrize(("speed", "factor"), [("45", 1.35), ("78", 78.26 * 3 / 100)])
def test_another_speed_shifts_every_tone(carriers: Path, speed: str, factor: float) -> None:
    deck = opened(carriers)
    deck.operate("record", "T-1")
    deck.operate("speed", speed)
    deck.operate("lower")
    played = read(deck, 4.0)[round(2.2 * RATE_HZ / factor) :][:65_536, 0]
    spectrum = np.abs(np.fft.rfft(played * np.hanning(len(played))))
    hz = np.fft.rfftfreq(len(played), 1 / RATE_HZ)
    low = (hz > 200) & (hz < 370 * 1.02 * factor)
    assert hz[low][np.argmax(spectrum[low])] == pytest.approx(330 * 1.02 * factor, rel=0.01)


def test_another_rate_keeps_the_time(carriers: Path) -> None:
    deck = opened(carriers, rate_hz=96_000)
    deck.operate("record", "T-1")
    deck.operate("lower")
    played = read(deck, 5.0)[:, 0].astype(float)
    loud = np.flatnonzero(np.abs(played) > 0.12 * 2**31)
    onset = loud[loud > 0.5 * 96_000][0]
    assert onset == pytest.approx(2.0 * 96_000, abs=200)


def test_gain_is_exact_and_overload_clips_as_a_converter_does(carriers: Path) -> None:
    deck = opened(carriers)
    deck.operate("record", "T-1")
    assert deck.set_gain(5.9) == 6.0
    assert deck.set_gain(99) == 40.0
    deck.operate("lower")
    played = read(deck, 4.0)
    assert played.max() == (2**23 - 1) << 8
    assert played.min() == -(2**31)


@pytest.mark.parametrize(
    ("wiring", "left", "right"),
    [("stereo", 0, 1), ("swapped", 1, 0), ("left dead", None, 1), ("right dead", 0, None)],
)
def test_cables_can_be_wrong(carriers: Path, wiring: str, left: int | None, right: int | None) -> None:
    deck = opened(carriers)
    deck.operate("record", "T-1")
    deck.operate("wiring", wiring)
    deck.operate("lower")
    played = read(deck, 3.0)
    truth = groove(1)[0][: len(played)]
    for channel, source in enumerate((left, right)):
        expected = np.zeros(len(played)) if source is None else truth[:, source]
        np.testing.assert_array_equal(played[:, channel], expected)


@pytest.mark.parametrize(
    ("trouble", "kind"),
    [("drop a block", "lost"), ("repeat a block", "repeated"), ("drop a block unseen", "missing by the clock")],
)
def test_trouble_made_is_trouble_found(carriers: Path, trouble: str, kind: str) -> None:
    deck = opened(carriers)
    check = Continuity(rate_hz=RATE_HZ)
    found = []
    for number in range(600):
        if number == 300:
            deck.operate(trouble)
        block = deck.read(0.1)
        assert block is not None
        found += check.check(block)[1]
    (fault,) = found
    assert (fault.kind, fault.samples) == (kind, pytest.approx(960, abs=2))
    assert fault.at_sample == pytest.approx(300 * 960, abs=1 if kind != "missing by the clock" else 2.1 * RATE_HZ)


def test_the_record_can_be_turned_over_and_the_stylus_lifted(carriers: Path) -> None:
    deck = opened(carriers)
    deck.operate("record", "T-1")
    deck.operate("lower")
    with pytest.raises(Refused, match="turn the record over"):
        deck.operate("turn over")
    read(deck, 1.0)
    deck.operate("lift")
    assert np.abs(read(deck, 1.0)[-9_600:] / 2.0**31).max() < 10 ** (-75 / 20)
    deck.operate("turn over")
    assert deck.sides_playing() == "T-1 side B"
    read(deck, 1.0)
    deck.operate("lower")
    played = read(deck, 2.0)
    np.testing.assert_array_equal(played, groove(2)[0][: len(played)])


def test_a_cassette_plays_and_stops(carriers: Path) -> None:
    deck = opened(carriers, "cassette")
    deck.operate("cassette", "T-2")
    deck.operate("play")
    played = read(deck, 2.0)
    np.testing.assert_array_equal(played, groove(1)[0][: len(played)])
    deck.operate("stop")
    assert np.abs(read(deck, 1.0) / 2.0**31).max() < 10 ** (-70 / 20)


def test_a_knob_is_turned_by_hand_and_its_gain_not_known(carriers: Path) -> None:
    deck = opened(carriers, "knob")
    with pytest.raises(Refused, match="knob"):
        deck.set_gain(3.0)
    assert deck.gain_db is None
    deck.operate("record", "T-1")
    deck.operate("knob", "6")
    deck.operate("lower")
    played = read(deck, 2.0)
    truth = groove(1)[0][: len(played)]
    assert played.std() / truth.std() == pytest.approx(10 ** (6 / 20), rel=0.01)


@pytest.mark.parametrize(("control", "value"), [("fly", ""), ("speed", "16"), ("record", "T-9"), ("wiring", "loose")])
def test_what_a_deck_does_not_have_is_refused(carriers: Path, control: str, value: str) -> None:
    with pytest.raises(Refused):
        opened(carriers).operate(control, value)


def test_in_real_time_a_block_comes_when_it_is_due(carriers: Path) -> None:
    deck = Sources(carriers, speed=1.0).open("turntable", rate_hz=RATE_HZ)
    began = time.monotonic()
    for _ in range(10):
        assert deck.read(1.0) is not None
    assert time.monotonic() - began >= 0.19


def test_no_block_comes_before_it_is_due(carriers: Path, tmp_path: Path) -> None:
    clock = HeldClock(tmp_path / "clock")
    deck = Sources(carriers, speed=1.0, clock=clock).open("turntable", rate_hz=RATE_HZ)
    assert deck.read(0.001) is None
    clock.advance(0.2, waits=False)
    for _ in range(10):
        assert deck.read(0.001) is not None
    assert deck.read(0.001) is None


def test_sources_that_are_not_there_are_refused(carriers: Path) -> None:
    with pytest.raises(Missing, match="no source 'wireless'"):
        Sources(carriers).open("wireless", rate_hz=48_000)
    for rate_hz in (8_000, 47_999, 384_000):
        with pytest.raises(Refused, match=str(rate_hz)):
            Sources(carriers).open("turntable", rate_hz=rate_hz)
    with pytest.raises(Refused, match="6 channels"):
        Sources(carriers).open("browser", rate_hz=48_000, channels=6)


def test_without_carriers_the_decks_are_empty(tmp_path: Path) -> None:
    deck = opened(tmp_path / "nowhere")
    assert deck.controls()[0].choices == ("nothing",)
    with pytest.raises(Refused, match="Put a record"):
        deck.operate("lower")


def message(first: int, samples: int = 100, *, sequence: int = 0) -> bytes:
    whole = (np.arange(first, first + samples, dtype=np.int32)[:, None].repeat(2, axis=1)) << 8
    return render(Block(sequence, first, 1.5, whole))


def test_what_a_browser_sends_arrives_exactly() -> None:
    source = PushedSource(rate_hz=48_000, channels=2)
    source.push(message(7))
    block = source.read(1.0)
    assert block is not None
    assert (block.first_sample, block.captured_at_s) == (7, 1.5)
    np.testing.assert_array_equal(block.samples[:, 1] >> 8, np.arange(7, 107))


def test_what_waits_of_a_browser_is_counted_in_samples() -> None:
    source = PushedSource(rate_hz=48_000, channels=2)
    assert source.waiting_samples() == 0
    for first in (700, 800):
        source.push(message(first))
    assert source.waiting_samples() == 200
    source.read(1.0)
    assert source.waiting_samples() == 100
    source.read(1.0)
    assert source.waiting_samples() == 0


def test_what_is_sent_again_after_a_lost_connection_is_no_repetition() -> None:
    source = PushedSource(rate_hz=48_000, channels=2)
    for first in (0, 100, 50, 0, 100, 200):
        source.push(message(first))
    assert source.next_sample == 300
    check = Continuity(rate_hz=48_000)
    got = []
    while (block := source.read(0.01)) is not None:
        fresh, faults = check.check(block)
        assert faults == []
        assert fresh is not None
        got.append(fresh.samples[:, 0] >> 8)
    np.testing.assert_array_equal(np.concatenate(got), np.arange(300))
    source.close()
    with pytest.raises(SourceGone):
        source.read(0.01)


@given(st.binary(max_size=200) | st.binary(max_size=60).map(lambda tail: b"IGS1" + tail))
def test_rubbish_from_a_browser_is_refused(data: bytes) -> None:
    try:
        block = parse(data, channels=2)
    except Refused as refusal:
        assert refusal.where == "browser input"
    else:
        assert len(data) == 28 + 8 * len(block.samples)


def test_numbers_that_are_none_are_refused() -> None:
    raw = bytearray(message(0))
    raw[40:44] = b"\xff\xff\xff\x7f"
    with pytest.raises(Refused, match="numbers that are none"):
        parse(bytes(raw), channels=2)
