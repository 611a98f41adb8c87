"""The demo's carriers restored, against the truth that was kept when they were made."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from inkwell_groove.core.audio.sound import to_float
from inkwell_groove.core.audio.soundfiles import FileReader
from inkwell_groove.core.restoration.channels import delay_us
from inkwell_groove.core.restoration.choosing import propose
from inkwell_groove.core.restoration.curves import CURVES
from inkwell_groove.core.restoration.preparing import prepare
from inkwell_groove.core.restoration.scan import scan
from inkwell_groove.core.restoration.steps import Channels, Clicks, Recurve, Restoration
from inkwell_groove.core.restoration.stream import Source
from inkwell_groove.demo.carriers import CARRIERS, RATE_HZ
from inkwell_groove.demo.tunes import play

NEAR = 64


def truth(demo_carriers: Path, shelfmark: str) -> Any:
    return json.loads((demo_carriers / f"{shelfmark}.truth.json").read_text())[0]


def test_the_single_loses_its_scratch_and_keeps_its_hi_hats(demo_carriers: Path) -> None:
    told = truth(demo_carriers, "WH-0031")
    with FileReader(demo_carriers / "WH-0031 A.flac") as take:
        found = scan(take)
        amount = propose(found).amount
        listed = prepare(take, Restoration(clicks=Clicks(amount=amount)), found=found).listed()
    starts = np.array([one.start for one in listed])

    def mended(at: int) -> bool:
        return bool(np.any(np.abs(starts - at) < NEAR))

    assert found.turn_s == pytest.approx(60 / 45, rel=0.002)
    assert sum(one.kind == "scratch" for one in listed) >= len(told["scratch"]) - 1
    assert all(mended(at) for at in told["scratch"])
    damaged = np.array([one["start"] for one in told["clicks"]] + told["scratch"])
    # What lies on a stroke and on no damage is a stroke taken for a click. Crackle falls on them too, at 10 a second.
    strokes = [at for at in told["hi_hats"] if not np.any(np.abs(damaged - at) < RATE_HZ // 100)]
    assert len(strokes) > 150
    assert sum(mended(at) for at in strokes) <= 0.02 * len(strokes)
    loud = [one["start"] for one in told["clicks"] if one["length"] > 20]
    assert sum(mended(at) for at in loud) >= 0.7 * len(loud)


def test_the_cassette_is_set_upright_and_its_hole_is_raised(demo_carriers: Path) -> None:
    told = truth(demo_carriers, "WH-0057")
    (hole,) = told["dropouts"]
    with FileReader(demo_carriers / "WH-0057 A.flac") as take:
        lag = delay_us(Source(take))
        assert lag == pytest.approx(told["azimuth_us"], abs=0.5)
        asked = Restoration(dropouts=True, channels=Channels(delay_right_us=-(lag or 0.0)))
        prepared = prepare(take, asked)
        restored = prepared.restored(take)
        (found, *more) = sorted(prepared.learnt.holes, key=lambda one: one.start - hole[0])[:2]
        assert {found.channel, *(one.channel for one in more)} == {0, 1}
        assert abs(found.start - hole[0]) < 0.02 * RATE_HZ
        before, after = (
            to_float(one.read(hole[0] + 500, hole[1] - hole[0] - 1_000), take.format.full_scale)
            for one in (take, restored)
        )
        around = to_float(take.read(hole[0] - 12_000, 10_000), take.format.full_scale)
        assert delay_us(Source(restored)) == pytest.approx(0.0, abs=0.5)
    assert before.std() < 0.15 * around.std()
    assert 0.5 * around.std() < after.std() < 2 * around.std()


def test_the_shellac_sounds_as_it_was_played_in_the_studio(demo_carriers: Path) -> None:
    told, script = truth(demo_carriers, "WH-0044"), CARRIERS[1]
    recurve = Recurve(played_with=CURVES["microgroove"], cut_with=CURVES[told["cut_with"]])
    asked = Restoration(recurve=recurve, speed_ratio=1 / told["speed_ratio"])
    with FileReader(demo_carriers / "WH-0044 A.flac") as take:
        restored = prepare(take, asked).restored(take)
        at = round(told["tracks"][0]["start_sample"] * told["speed_ratio"])
        sound = to_float(restored.read(at, 30 * RATE_HZ), take.format.full_scale)
    studio = np.column_stack(play(script.sides[0][1][0], RATE_HZ, speed=1.0)).mean(axis=1)[: len(sound)]
    octaves = {hz: [_level(one, hz) for one in (sound.mean(axis=1), studio)] for hz in (125, 250, 500, 1_000, 2_000)}
    change = {hz: became - was for hz, (became, was) in octaves.items()}
    assert max(change.values()) - min(change.values()) < 1.5, "the same balance of bass and treble"
    same = np.corrcoef(sound[:, 0], studio)[0, 1]
    assert same > 0.8, "the same pitch, second for second"


def _level(sound: np.ndarray, centre_hz: float) -> float:
    power = np.abs(np.fft.rfft(sound)) ** 2
    hz = np.fft.rfftfreq(len(sound), 1 / RATE_HZ)
    return float(10 * np.log10(power[(hz > centre_hz / 2**0.5) & (hz < centre_hz * 2**0.5)].sum()))
