"""Reading twice: what passes, what is read again, and what is listed."""

from __future__ import annotations

import io
from collections.abc import Callable

import numpy as np
import pytest

from inkwell_groove.core.disc.checksums import crc32
from inkwell_groove.core.disc.drive import PlacedReading
from inkwell_groove.core.disc.twin import LEAD, MOST_READINGS, TwinRead, audio_of, quick_read, twin_read
from inkwell_groove.core.errors import Truncated


class Damaged:
    """A disc of noise. Of `bad` frames a share of the readings is wrong: each time differently, or always the same,
    which the drive then suspects, for it cannot correct it. `beside` says, for each seek, how far aside it lands.
    """

    def __init__(
        self,
        frames: int,
        bad: dict[int, float],
        seed: int,
        *,
        sticky: bool = False,
        beside: Callable[[], int] | None = None,
    ) -> None:
        self._rng = np.random.default_rng(seed)
        self.true = self._rng.integers(-32768, 32768, (frames, 588, 2)).astype(np.int16)
        self._bad, self._sticky, self._beside = bad, sticky, beside or (lambda: 0)
        self._wrong = {place: self._hurt(place) for place in bad}
        self._next, self._aside = -1, 0
        self.readings: list[tuple[int, int]] = []
        self.refreshed = 0

    def _hurt(self, place: int) -> np.ndarray:
        frame = self.true[place].copy()
        frame[self._rng.integers(588), self._rng.integers(2)] ^= np.int16(self._rng.integers(1, 32768))
        return frame

    def afresh(self, first: int, frames: int) -> None:
        self.refreshed += 1

    def read(self, first: int, frames: int) -> PlacedReading:
        self.readings.append((first, frames))
        if first != self._next:
            self._aside = self._beside()
        self._next = first + frames
        flat = np.roll(self.true.reshape(-1, 2), self._aside, axis=0)
        audio, suspect = flat.reshape(self.true.shape)[first : first + frames].copy(), np.zeros(frames, bool)
        for place, share in self._bad.items():
            if first <= place < first + frames and self._rng.random() < share:
                audio[place - first] = self._wrong[place] if self._sticky else self._hurt(place)
                suspect[place - first] = self._sticky
        return PlacedReading(audio, suspect)


def read(disc: Damaged, first: int, frames: int) -> tuple[TwinRead, np.ndarray]:
    spool = io.BytesIO()
    found = twin_read(disc, first, frames, spool)
    return found, audio_of(found, spool, first, frames)


def test_a_sound_disc_is_read_twice_each_time_from_the_disc() -> None:
    disc = Damaged(40, {}, 1)
    found, audio = read(disc, 5, 30)
    assert disc.readings.count((5, 30)) == 2
    assert {frames for _, frames in disc.readings} == {30, 1}  # besides, single frames to confirm its place
    assert disc.refreshed >= 2
    np.testing.assert_array_equal(audio, disc.true[5:35])
    assert found.firm and found.rereads == 0 and found.settled == ()
    assert found.first_crc32 == found.second_crc32 == crc32(disc.true[5:35].reshape(-1, 2))


@pytest.mark.parametrize("sticky", [False, True])
def test_no_wrong_sample_passes_and_all_damage_is_listed(sticky: bool) -> None:
    """Stretches with up to 5 in 100 frames bad, at every share of wrong readings."""
    read_again = unreadable = 0
    for seed in range(100):
        rng = np.random.default_rng([seed, sticky])
        count = rng.binomial(60, rng.uniform(0.0, 0.05))
        shares = rng.choice([0.05, 0.3, 0.6, 1.0], count)
        bad = dict(zip(rng.choice(60, count, replace=False).tolist(), shares.tolist(), strict=True))
        disc = Damaged(60, bad, seed, sticky=sticky)
        found, audio = read(disc, 0, 60)
        wrong = set(np.flatnonzero((audio != disc.true).any(axis=(1, 2))).tolist())
        assert wrong <= set(found.disputed)
        # One that never reads right cannot be made out; one that mostly does is.
        assert {place for place, share in bad.items() if share == 1.0} <= set(found.disputed)
        assert not {place for place, share in bad.items() if share < 0.5} & set(found.disputed)
        read_again += len(found.settled)
        unreadable += len(found.disputed)
    assert read_again > 20 and unreadable > 20


def test_the_two_checksums_tell_that_the_readings_differed() -> None:
    disc = Damaged(10, {4: 0.5}, 3)
    found, audio = read(disc, 0, 10)
    while found.first_crc32 == found.second_crc32:
        found, audio = read(disc, 0, 10)
    assert found.settled == (4,)
    np.testing.assert_array_equal(audio, disc.true)


def test_what_the_drive_suspects_is_never_agreed_but_what_was_read_is_kept() -> None:
    disc = Damaged(3, {1: 1.0}, 2, sticky=True)
    found, audio = read(disc, 0, 3)
    assert (found.disputed, found.rereads) == ((1,), MOST_READINGS - 2)
    assert int((audio[1] != disc.true[1]).sum()) == 1


def test_a_long_stretch_that_is_bad_throughout_is_settled_in_parts() -> None:
    disc = Damaged(1_300, dict.fromkeys(range(1_300), 0.2), 4)
    found, audio = read(disc, 0, 1_300)
    assert found.firm and len(found.settled) > 300
    np.testing.assert_array_equal(audio, disc.true)


@pytest.mark.parametrize("seed", range(10))
def test_a_drive_that_lands_beside_its_place_is_found_out(seed: int) -> None:
    rng = np.random.default_rng(seed)
    disc = Damaged(300, {}, seed, beside=lambda: int(rng.integers(-40, 41)) if rng.random() < 0.3 else 0)
    found, audio = read(disc, 20, 250)
    np.testing.assert_array_equal(audio, disc.true[20:270])
    assert found.firm and len(found.settled) < 250, "a reading beside its place is made again, not mended piecemeal"


def test_the_same_wrong_value_passes_no_oftener_than_documented() -> None:
    """The module's formula, by drawing: a value that comes in a share q of the readings leads first."""
    rng, q, passed = np.random.default_rng(8), 0.2, 0
    right, wrong = np.zeros((1, 588, 2), np.int16), np.ones((1, 588, 2), np.int16)
    differing = 0

    class Wavering:
        def __init__(self, values: list[np.ndarray]) -> None:
            self._values = iter(values)

        def read(self, first: int, frames: int) -> PlacedReading:
            return PlacedReading(next(self._values), np.zeros(1, bool))

        def afresh(self, first: int, frames: int) -> None:
            pass

    for _ in range(4_000):
        values = [wrong if rng.random() < q else right for _ in range(MOST_READINGS)]
        if (values[0] == values[1]).all():
            continue  # those are agreed at once, for better or worse
        differing += 1
        spool = io.BytesIO()
        found = twin_read(Wavering(values), 0, 1, spool)
        passed += found.firm and bool((audio_of(found, spool, 0, 1) == wrong).all())
    # From one reading each the race begins level.
    expected = 1.0 / (1.0 + ((1.0 - q) / q) ** LEAD)
    assert passed / differing == pytest.approx(expected, abs=3.5 * np.sqrt(expected / differing))


def test_a_drive_that_gives_too_few_frames_is_refused() -> None:
    disc = Damaged(10, {}, 1)
    with pytest.raises(Truncated, match="gave 3 of 5 frames"):
        twin_read(disc, 7, 5, io.BytesIO())


def test_what_happens_is_told_as_it_happens() -> None:
    disc, told = Damaged(20, {3: 0.4, 7: 1.0}, 6), []
    found = twin_read(disc, 0, 20, io.BytesIO(), watch=lambda *one: told.append(one))
    assert told[0] == (0, 20, "read")
    assert (0, 20, "agreed") in told and (7, 1, "again") in told
    assert [place for place, _, state in told if state == "disputed"] == list(found.disputed) == [7]


def test_a_quick_read_lists_what_the_drive_suspects_and_is_not_firm() -> None:
    disc = Damaged(8, {2: 1.0}, 5, sticky=True)
    found = quick_read(disc, 0, 8, io.BytesIO())
    assert not found.firm and found.second_crc32 is None and found.disputed == (2,)
    assert len(disc.readings) == 1
