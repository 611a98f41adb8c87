"""Clicks found, chosen and mended: what must hold for every side."""

from __future__ import annotations

from dataclasses import fields
from functools import cache
from itertools import pairwise

import numpy as np
import pytest
import soxr
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.signal import firwin, upfirdn

from inkwell_groove.core.restoration import choosing, families
from inkwell_groove.core.restoration.mended import Mended, Repair
from inkwell_groove.core.restoration.repairing import choice
from inkwell_groove.core.restoration.scan import Found, Scan, _Thinned, put_together, scan, scan_stretches, stretches_of
from inkwell_groove.core.restoration.steps import Clicks, HandRepair, Verdict
from tests.core.restoration.scenes import RATE_HZ, clicked
from tests.streams import Taken, band_noise


def found_in_scene() -> Scan:
    return scan(clicked().take)


@cache
def side_of(factor: int) -> tuple[Taken, Scan]:
    """A damaged side at some times the rate of the scene, and its scan."""
    hurt = soxr.resample(clicked().take.data / 32768, RATE_HZ, factor * RATE_HZ)
    take = Taken(hurt, factor * RATE_HZ, word="s24")
    return take, scan(take)


def covered(scan_: Scan, which: np.ndarray, clicks: np.ndarray) -> float:
    """The share of true clicks that a chosen candidate lies on."""
    hits = [
        bool(np.any((scan_.start[which] < end) & (scan_.end[which] > start) & (scan_.channel[which] == channel)))
        for start, end, channel in clicks
    ]
    return float(np.mean(hits))


@pytest.mark.slow
def test_clicks_are_found_and_little_else() -> None:
    scene, found = clicked(), found_in_scene()
    chosen = choosing.chosen(found, choosing.propose(found).amount)
    assert covered(found, chosen, scene.clicks) > 0.95
    touching = np.zeros(len(found), bool)
    for start, end, channel in scene.clicks:
        touching |= (found.start < end + 4) & (found.end > start - 4) & (found.channel == channel)
    assert (chosen & ~touching).sum() <= 1


def test_a_clean_side_is_left_alone() -> None:
    found = scan(Taken(clicked().clean / 32768.0))
    assert choosing.chosen(found, choosing.propose(found).amount).sum() <= 1


@pytest.mark.slow
def test_mending_brings_back_most_of_what_was_there_and_nothing_else_changes() -> None:
    scene, found = clicked(), found_in_scene()
    repairs = choice(found, Clicks(amount=choosing.propose(found).amount)).repairs()
    after = Mended(scene.take, repairs).read(0, scene.take.format.samples)
    inside = np.zeros(after.shape, bool)
    for one in repairs:
        inside[one.start : one.end, one.channel] = True
    assert np.array_equal(after[~inside], scene.take.data[~inside])
    was, left = (((one.astype(float) - scene.clean) ** 2).sum() for one in (scene.take.data, after))
    assert 10 * np.log10(was / left) > 10.0


@pytest.mark.parametrize("block_s", [0.37, 1.0, 10.0])
def test_any_blocks_give_the_same_bytes(block_s: float) -> None:
    scene, found = clicked(), found_in_scene()
    repairs = choice(found, Clicks(amount=30)).repairs()
    whole = Mended(scene.take, repairs).read(0, scene.take.format.samples)
    reader, step = Mended(scene.take, repairs), round(block_s * RATE_HZ)
    parts = [reader.read(first, step) for first in range(0, len(whole), step)]
    assert np.array_equal(np.concatenate(parts), whole)
    # And from the middle, with nothing read before.
    middle = Mended(scene.take, repairs).read(200_001, 30_000)
    assert np.array_equal(middle, whole[200_001:230_001])


def test_scanning_does_not_depend_on_what_lies_further_away() -> None:
    """The first five seconds of a longer side and of a shorter one have the same candidates, but for the very end."""
    scene = clicked()
    short = Taken(scene.take.data[: 6 * RATE_HZ] / 32768.0)
    one, other = found_in_scene(), scan(short)
    near = 5 * RATE_HZ
    assert np.array_equal(one.start[one.start < near], other.start[other.start < near])
    assert np.allclose(one.odds[one.start < near] - one.shift, other.odds[other.start < near] - other.shift, atol=1e-4)


@settings(max_examples=6, deadline=None)
@given(st.data())
@pytest.mark.parametrize("factor", [1, 2])
def test_a_side_scanned_in_pieces_is_the_side_scanned_at_once(
    tmp_path_factory: pytest.TempPathFactory, factor: int, data: st.DataObject
) -> None:
    take, at_once = side_of(factor)
    stretches = stretches_of(take.format)
    edges = sorted(data.draw(st.sets(st.integers(1, stretches + 1), max_size=4)) | {0, stretches + 1})
    folder = tmp_path_factory.mktemp("pieces")
    pieces = []
    for first, end in pairwise(edges):
        scan_stretches(take, first, end - first).save(folder / str(first))
        pieces.append(Found.load(folder / str(first)))
    whole = put_together(take.format, [piece for piece in pieces if piece is not None])
    for field in fields(Scan):
        np.testing.assert_array_equal(getattr(whole, field.name), getattr(at_once, field.name), field.name)


def test_no_repairs_give_the_take_bit_for_bit() -> None:
    scene = clicked()
    assert np.array_equal(Mended(scene.take, []).read(0, scene.take.format.samples), scene.take.data)


def test_a_scan_is_kept_and_read_back(tmp_path: object) -> None:
    from pathlib import Path

    assert isinstance(tmp_path, Path)
    found = found_in_scene()
    found.save(tmp_path / "scan")
    again = Scan.load(tmp_path / "scan")
    assert again is not None
    assert np.array_equal(again.start, found.start)
    assert np.array_equal(again.odds, found.odds)
    assert (again.rate_hz, again.shift) == (found.rate_hz, found.shift)
    assert Scan.load(tmp_path / "none") is None


def test_more_amount_mends_more_and_never_less() -> None:
    found = found_in_scene()
    before = np.zeros(len(found), bool)
    for amount in (0, 10, 25, 50, 75, 100):
        now = choosing.chosen(found, amount)
        assert not np.any(before & ~now)
        before = now


def test_what_was_refused_stays_refused_at_any_amount() -> None:
    found = found_in_scene()
    k = int(np.argmax(found.odds))
    no = Verdict(start=int(found.start[k]), end=int(found.end[k]), mend=False)
    for amount in (10.0, 50.0, 100.0):
        assert not choice(found, Clicks(amount=amount, verdicts=(no,))).mended[k]
    yes = no.model_copy(update={"mend": True})
    assert choice(found, Clicks(amount=0, verdicts=(no, yes))).mended[k]


def test_both_halves_of_a_click_are_one_in_the_list() -> None:
    found = found_in_scene()
    listed = choice(found, Clicks(amount=30)).listed()
    both = [one for one in listed if one.channel == "both"]
    assert both
    assert len(listed) + len(both) == choice(found, Clicks(amount=30)).mended.sum()
    assert [one.start for one in listed] == sorted(one.start for one in listed)


@pytest.mark.slow
@given(st.lists(st.tuples(st.integers(0, 88_000), st.integers(1, 300), st.integers(0, 1)), max_size=12), st.data())
@settings(max_examples=8, deadline=None)
def test_repairs_anywhere_alter_nothing_beside_them(spans: list[tuple[int, int, int]], data: st.DataObject) -> None:
    take = Taken(clicked().clean[:88_200] / 32768.0)
    repairs = [Repair(start=a, end=a + n, channel=c, lost=data.draw(st.booleans())) for a, n, c in spans]
    after = Mended(take, repairs).read(0, 88_200)
    outside = np.ones(after.shape, bool)
    for one in repairs:
        outside[one.start : one.end, one.channel] = False
    assert np.array_equal(after[outside], take.data[outside])
    loudest = np.abs(take.data.astype(int)).max()
    assert np.abs(after.astype(int)).max() < 1.5 * loudest, "a repair is not louder than the music"


def test_silence_and_full_scale_and_very_short_takes_are_borne() -> None:
    for sound in (np.zeros((5_000, 2)), np.ones((5_000, 1)) * 0.999, np.zeros((3, 2)), np.zeros((0, 2))):
        take = Taken(sound)
        found = scan(take)
        repairs = choice(found, Clicks(amount=100)).repairs()
        assert Mended(take, repairs).read(0, len(sound)).shape == sound.shape


def test_a_scratch_is_a_family_and_its_turn_is_told() -> None:
    turn = round(1.8 * 1.01 * RATE_HZ)
    start = np.arange(5_000, 40 * RATE_HZ, turn)
    strays = np.random.default_rng(2).integers(0, 40 * RATE_HZ, 15)
    order = np.argsort(np.concatenate([start, strays]), kind="stable")
    places = np.concatenate([start, strays])[order]
    odds = np.concatenate([np.where(np.arange(len(start)) % 4 == 1, -1.0, 4.0), np.full(15, 2.0)])[order]
    kin = families.find(places, places + 40, odds.astype(np.float32), RATE_HZ)
    assert kin.turn_s == pytest.approx(1.818, abs=0.001)
    member = np.isin(places, start)
    assert (kin.family[member] >= 0).mean() > 0.95
    assert (kin.family[~member] >= 0).sum() <= 1
    assert np.all(kin.odds[member] >= odds[member])


def test_strays_are_no_family() -> None:
    places = np.sort(np.random.default_rng(9).integers(0, 60 * RATE_HZ, 60))
    kin = families.find(places, places + 30, np.full(60, 3.0, np.float32), RATE_HZ)
    assert kin.turn_s == 0.0


@pytest.mark.parametrize("how", ["interpolate", "attenuate", "silence", "other channel", "draw"])
def test_a_stretch_mended_by_hand_is_altered_and_nothing_else(how: str) -> None:
    rng = np.random.default_rng(3)
    mono = 0.1 * band_noise(40_000, rng)[:, None] / 3.0
    take = Taken(np.clip(np.repeat(mono, 2, axis=1), -0.9, 0.9))
    asked = HandRepair.model_validate(
        {
            "key": "a",
            "start": 20_000,
            "end": 20_200,
            "channel": 0,
            "how": how,
            "gain_db": -60,
            "drawn": [0.25] * 200 if how == "draw" else [],
        }
    )
    after = Mended(take, [], [asked]).read(0, 40_000)
    assert np.array_equal(after[:, 1], take.data[:, 1])
    assert np.array_equal(after[:20_000], take.data[:20_000])
    assert np.array_equal(after[20_200:], take.data[20_200:])
    middle = after[20_050:20_150, 0]
    match how:
        case "silence":
            assert not middle.any()
        case "attenuate":
            assert np.abs(middle).max() < 0.01 * np.abs(take.data[20_050:20_150, 0]).max()
        case "draw":
            assert np.all(middle == 8192)
        case "other channel":
            assert np.abs(middle.astype(int) - take.data[20_050:20_150, 1]).max() <= 2
        case _:
            assert not np.array_equal(middle, take.data[20_050:20_150, 0])


@pytest.mark.slow
@pytest.mark.parametrize("factor", [2, 4])
def test_at_high_rates_the_same_clicks_are_found_where_they_are(factor: int) -> None:
    scene, rate_hz = clicked(), factor * RATE_HZ
    hurt, clean = (soxr.resample(one / 32768, RATE_HZ, rate_hz) for one in (scene.take.data, scene.clean))
    take = Taken(hurt, rate_hz, word="s24")
    found = scan(take)
    assert (found.rate_hz, found.samples) == (rate_hz, len(hurt))
    made = choice(found, Clicks(amount=30))
    starts = np.array([one.start for one in made.repairs()])
    near = [np.any(np.abs(starts - start * factor) < 0.001 * rate_hz) for start, _, _ in scene.clicks]
    assert sum(near) >= 0.9 * len(near)
    if factor == 2:
        mended = Mended(take, made.repairs()).read(0, len(hurt)) / 2**31
        assert 10 * np.log10(((hurt - clean) ** 2).sum() / ((mended - clean) ** 2).sum()) > 8.0


@pytest.mark.parametrize("factor", [2, 4])
@pytest.mark.parametrize("first", [0, 37, 980])
def test_a_high_rate_is_thinned_as_scipy_thins_it_wherever_one_begins(factor: int, first: int) -> None:
    take = Taken(0.1 * np.random.default_rng(factor).standard_normal((4_001, 2)), 48_000 * factor)
    thinned = _Thinned(take, factor)
    taps = firwin(64 * factor + 1, 0.92 / factor)
    whole = upfirdn(taps, take.data / take.format.full_scale, down=factor, axis=0)[32 : 32 + thinned.format.samples]
    np.testing.assert_allclose(thinned.read(first, 50), whole[first : first + 50], atol=1e-6)
    assert len(thinned.read(thinned.format.samples - 3, 50)) == 3
    assert len(thinned.read(thinned.format.samples + 3, 50)) == 0
