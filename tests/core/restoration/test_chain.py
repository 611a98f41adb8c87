"""The steps together: in one order, for any stretch, and undone by asking for none of them."""

from __future__ import annotations

import numpy as np
import pytest

from inkwell_groove.core.restoration.chain import Restored, learn
from inkwell_groove.core.restoration.channels import Quieter, balance_db
from inkwell_groove.core.restoration.curves import CURVES
from inkwell_groove.core.restoration.declip import Declipped
from inkwell_groove.core.restoration.harm import report
from inkwell_groove.core.restoration.hiss import HissFree, print_of, quietest
from inkwell_groove.core.restoration.levelling import CEILING_DBTP
from inkwell_groove.core.restoration.linear import Band, has_rumble
from inkwell_groove.core.restoration.repairing import choice
from inkwell_groove.core.restoration.scan import scan
from inkwell_groove.core.restoration.starting import STARTING_POINTS, named
from inkwell_groove.core.restoration.steps import (
    Channels,
    Clicks,
    Hiss,
    Hum,
    Level,
    Recurve,
    Restoration,
    Rumble,
)
from tests.core.restoration.scenes import RATE_HZ, clicked
from tests.streams import Held, Taken

EVERYTHING = Restoration(
    clicks=Clicks(amount=30),
    declip=True,
    dropouts=True,
    channels=Channels(invert_right=True, delay_right_us=31.0, balance_db=0.4),
    hum=Hum(),
    hiss=Hiss(reduction_db=6),
    recurve=Recurve(cut_with=CURVES["250/0"]),
    rumble=Rumble(below_hz=35, vertical_below_hz=120),
    equaliser=(Band(hz=3_000, gain_db=-3.0),),
    speed_ratio=1.0271,
    level=Level(to_peak_dbtp=-1.0, remove_dc=True),
)


def test_a_plan_of_nothing_gives_the_take() -> None:
    take = clicked().take
    asked = Restoration()
    assert asked.at_rest
    assert np.array_equal(Restored(take, asked, [], learn(take, asked, [])).read(0, 10**9), take.data)


@pytest.mark.slow
def test_everything_at_once_is_the_same_in_any_blocks() -> None:
    take = clicked().take
    repairs = choice(scan(take), EVERYTHING.clicks).repairs()
    learnt = learn(take, EVERYTHING, repairs)
    restored = Restored(take, EVERYTHING, repairs, learnt)
    whole = restored.read(0, restored.format.samples)
    assert len(whole) == pytest.approx(take.format.samples / 1.0271, abs=2)
    for block in (RATE_HZ, 10 * RATE_HZ):
        again = Restored(take, EVERYTHING, repairs, learnt)
        parts = [again.read(first, block) for first in range(0, len(whole), block)]
        assert np.array_equal(np.concatenate(parts), whole)
    peak = np.abs(whole).max() / 32768.0
    assert 20 * np.log10(peak) == pytest.approx(-1.0, abs=0.5)


def test_plans_survive_being_written_down() -> None:
    assert Restoration.model_validate_json(EVERYTHING.model_dump_json()) == EVERYTHING


def test_a_gain_never_clips() -> None:
    take = clicked().take
    asked = Restoration(level=Level(gain_db=40))
    restored = Restored(take, asked, [], learn(take, asked, []))
    peak = np.abs(restored.read(0, take.format.samples) / 32768.0).max()
    assert 20 * np.log10(peak) <= CEILING_DBTP + 0.05


def test_two_aims_at_once_are_refused() -> None:
    with pytest.raises(ValueError, match="not to both"):
        Level(to_peak_dbtp=-1, to_lufs=-18)


def test_short_overs_are_rebuilt_beyond_the_limit() -> None:
    """A chord whose loudest moments met the limit: at most a quarter of what was cut off is missed."""
    t = np.arange(RATE_HZ) / RATE_HZ
    true = sum(0.42 * np.sin(2 * np.pi * hz * t + hz)[:, None] for hz in (440.0, 554.0, 661.0))
    clipped = np.clip(true, -1.0, 1.0)
    out = Declipped(Held(clipped), limit=0.9999).read(2_000, 40_000)
    part, cut = true[2_000:42_000], clipped[2_000:42_000]
    assert np.array_equal(out[np.abs(cut) < 0.99], cut[np.abs(cut) < 0.99])
    assert np.abs(out - part).max() < 0.25 * np.abs(cut - part).max()
    assert ((out - part) ** 2).sum() < 0.1 * ((cut - part) ** 2).sum()


def test_hiss_becomes_less_and_does_not_sing() -> None:
    """Kurtosis of what is left of noise over that of the noise (Uemura and others, 2008): near 1 sings not at all."""
    rng = np.random.default_rng(1)
    noise = 0.003 * rng.standard_normal((8 * RATE_HZ, 1))
    t = np.arange(len(noise)) / RATE_HZ
    tone = 0.1 * np.sin(2 * np.pi * 800 * t)[:, None] * ((t > 3) & (t < 5))[:, None]
    held = Held(noise + tone)
    found = quietest(held)
    assert found is not None
    out = HissFree(held, print_of(held, *found), 12.0).read(0, len(noise))
    alone = slice(6 * RATE_HZ, 8 * RATE_HZ)
    assert 20 * np.log10(out[alone].std() / noise[alone].std()) == pytest.approx(-12.0, abs=1.5)
    during = slice(round(3.2 * RATE_HZ), round(4.8 * RATE_HZ))
    wave = np.exp(-2j * np.pi * 800 * t[during])
    assert abs(20 * np.log10(abs(wave @ out[during, 0]) / abs(wave @ tone[during, 0]))) < 0.2
    assert kurtosis(out[alone, 0]) / kurtosis(noise[alone, 0]) < 1.6


@pytest.mark.xfail(reason="the print is taken from the deck's silence, which has no groove noise", strict=True)
def test_hiss_of_the_groove_becomes_less_although_the_deck_is_quieter_before_it() -> None:
    rng = np.random.default_rng(4)
    noise = 0.003 * rng.standard_normal((8 * RATE_HZ, 1))
    noise[: 2 * RATE_HZ] *= 0.01  # the stylus is not down yet
    held = Held(noise)
    found = quietest(held)
    assert found is not None
    out = HissFree(held, print_of(held, *found), 12.0).read(0, len(noise))
    groove = slice(3 * RATE_HZ, 7 * RATE_HZ)
    assert 20 * np.log10(out[groove].std() / noise[groove].std()) == pytest.approx(-12.0, abs=2.0)


def kurtosis(sound: np.ndarray) -> float:
    """Of the power of the pieces of time and frequency: 6 for white noise before anything was done to it."""
    frames = sound[: len(sound) // 1024 * 1024].reshape(-1, 1024) * np.hanning(1024)
    power = np.abs(np.fft.rfft(frames, axis=-1))[:, 20:-20] ** 2
    return float((power**4).mean() / (power**2).mean() ** 2)


def test_the_quieter_channel_of_a_mono_record_wins() -> None:
    rng = np.random.default_rng(6)
    t = np.arange(4 * RATE_HZ) / RATE_HZ
    music = 0.2 * np.sin(2 * np.pi * 330 * t)
    dirt = np.zeros((len(t), 2))
    dirt[: 2 * RATE_HZ, 0] = 0.05 * rng.standard_normal(2 * RATE_HZ)
    dirt[2 * RATE_HZ :, 1] = 0.05 * rng.standard_normal(2 * RATE_HZ)
    dirt += 0.002 * rng.standard_normal(dirt.shape)
    out = Quieter(Held(music[:, None] + dirt)).read(0, len(t))
    assert np.array_equal(out[:, 0], out[:, 1])
    left = out[RATE_HZ // 4 : -RATE_HZ // 4, 0] - music[RATE_HZ // 4 : -RATE_HZ // 4]
    halves = dirt.mean(axis=1)[RATE_HZ // 4 : -RATE_HZ // 4]
    assert 20 * np.log10(left.std() / halves.std()) < -10.0


def test_balance_is_measured_and_put_right() -> None:
    sound = clicked().clean[: 4 * RATE_HZ, :1] / 32768.0
    both = np.column_stack([sound[:, 0] * 10 ** (2.0 / 20), sound[:, 0]])
    assert balance_db(Held(both)) == pytest.approx(2.0, abs=0.01)
    take = Taken(both)
    asked = Restoration(channels=Channels(balance_db=-2.0))
    after = Restored(take, asked, [], learn(take, asked, [])).read(0, len(both)) / 32768.0
    assert balance_db(Held(after)) == pytest.approx(0.0, abs=0.02)


def gain_db(asked: Restoration, hz: float, *, phase: float = 1.0) -> float:
    """Returns by how much a plan changes a tone, in dB, measured on the samples that come out; `phase` is that of the
    right channel against the left, 1 for lateral and -1 for vertical motion.
    """
    t = np.arange(4 * RATE_HZ) / RATE_HZ
    tone = 0.1 * np.sin(2 * np.pi * hz * t)
    take = Taken(np.column_stack([tone, phase * tone]), word="s24")
    out = Restored(take, asked, [], learn(take, asked, [])).read(0, len(t))[:, 0] / 2.0**31
    middle = slice(RATE_HZ, 3 * RATE_HZ)
    window = np.hanning(2 * RATE_HZ) * np.exp(-2j * np.pi * hz * t[middle])
    return float(20 * np.log10(abs(window @ out[middle]) / abs(window @ tone[middle])))


@pytest.mark.slow
def test_vertical_rumble_goes_and_lateral_bass_stays() -> None:
    asked = Restoration(rumble=Rumble(below_hz=15, vertical_below_hz=120))
    assert gain_db(asked, 40.0, phase=-1) < -30.0
    assert gain_db(asked, 400.0, phase=-1) == pytest.approx(0.0, abs=0.05)
    assert gain_db(asked, 40.0) == pytest.approx(0.0, abs=0.05)


def test_rumble_is_heard_where_it_is() -> None:
    rng, t = np.random.default_rng(2), np.arange(8 * RATE_HZ) / RATE_HZ
    music = 0.1 * np.sin(2 * np.pi * 60 * t)[:, None] + 1e-4 * rng.standard_normal((len(t), 1))
    assert not has_rumble(Held(music))
    rumble = 0.02 * np.sin(2 * np.pi * (11 + 2 * np.sin(t)) * t)[:, None]
    assert has_rumble(Held(0.02 * music + rumble))


# A shelf is half its gain, in dB, at its own frequency, and a bell all of it (Bristow-Johnson, Cookbook formulae for
# audio EQ biquad filter coefficients).
@pytest.mark.slow
@pytest.mark.parametrize(
    ("shape", "at_60_hz", "at_1000_hz", "at_16000_hz"),
    [("bell", 0.0, 6.0, 0.0), ("low shelf", 6.0, 3.0, 0.0), ("high shelf", 0.0, 3.0, 6.0)],
)
def test_a_band_of_the_equaliser_changes_the_sound_by_what_it_says(
    shape: str, at_60_hz: float, at_1000_hz: float, at_16000_hz: float
) -> None:
    band = Band.model_validate({"shape": shape, "hz": 1_000.0, "gain_db": 6.0, "q": 1.0 if shape == "bell" else 0.7})
    measured = [gain_db(Restoration(equaliser=(band,)), hz) for hz in (60.0, 1_000.0, 16_000.0)]
    assert measured == pytest.approx([at_60_hz, at_1000_hz, at_16000_hz], abs=0.1)


@pytest.mark.slow
def test_harm_is_told_of_what_was_altered_and_of_nothing_else() -> None:
    take = clicked().take
    made = choice(scan(take), Clicks(amount=30))
    repairs = made.repairs()
    spans = np.array([(one.start, one.end) for one in repairs])
    asked = Restoration(clicks=Clicks(amount=30))
    told = report(take, Restored(take, asked, repairs, learn(take, asked, repairs)), spans)
    assert 0 < told.altered_share < 0.02
    assert told.largest_at_sample is not None
    assert np.any((spans[:, 0] <= told.largest_at_sample) & (told.largest_at_sample < spans[:, 1]))
    assert all(band.change_db is not None and band.change_db < 0.1 for band in told.bands)
    untouched = report(take, take)
    assert untouched.altered_samples == 0
    assert untouched.taken_dbfs is None
    assert all(band.taken_db is None and band.change_db == 0.0 for band in untouched.bands)


@pytest.mark.parametrize("name", STARTING_POINTS)
def test_starting_points_are_found_however_they_are_written(name: str) -> None:
    point = named(name.replace(" ", "-").upper())
    assert point is not None
    clicks = point.with_amount(100.0).clicks
    assert clicks is not None
    assert clicks.amount == point.most_amount
