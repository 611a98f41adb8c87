"""A restored side sealed: what its plan asks for is in the files, proven, and told in the log."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile

from inkwell_groove.core.planning.edits import Restore, apply, in_words
from inkwell_groove.core.planning.plan import Plan, TrackSpan
from inkwell_groove.core.restoration.mended import Mended
from inkwell_groove.core.restoration.repairing import choice
from inkwell_groove.core.restoration.scan import scan
from inkwell_groove.core.restoration.steps import Clicks, Hum, Level, Restoration
from inkwell_groove.core.sealing.album import LOG_NAME, seal_album
from inkwell_groove.core.sealing.order import SealOrder
from inkwell_groove.core.sealing.verify import verify
from tests.core.restoration.scenes import RATE_HZ, clicked
from tests.core.test_sealing import order_for

SPANS = ((20_000, 200_000), (200_000, 340_000), (350_000, 520_000))


@pytest.fixture(scope="module")
def take(shared_folder: Path) -> Path:
    path = shared_folder / "to be restored.wav"
    soundfile.write(str(path), clicked().take.data, RATE_HZ, subtype="PCM_16")
    return path


def restored_order(take: Path, asked: Restoration) -> SealOrder:
    order = order_for(take)
    side = order.sides[0]
    tracks = tuple(TrackSpan(key=f"k{i}", start_sample=a, end_sample=b) for i, (a, b) in enumerate(SPANS))
    plan = Plan(take_sha256="ab" * 32, take_samples=side.take_format.samples, tracks=tracks, restoration=asked)
    return order.model_copy(update={"sides": (side.model_copy(update={"plan": plan}),)})


@pytest.mark.slow
def test_mended_tracks_are_the_take_with_its_gaps_filled(take: Path, tmp_path: Path) -> None:
    asked = Restoration(clicks=Clicks(amount=30))
    album = seal_album(restored_order(take, asked), tmp_path)
    scene = clicked()
    mended = Mended(scene.take, choice(scan(scene.take), asked.clicks).repairs())
    for track in album.tracks:
        data = soundfile.read(str(tmp_path / track.file), dtype="int16", always_2d=True)[0]
        assert np.array_equal(data, mended.read(track.start_sample, track.end_sample - track.start_sample))
    log = (tmp_path / LOG_NAME).read_text()
    assert "mended: " in log
    assert "amount 30 of 100" in log
    assert "attacks touched" in log
    assert "compared with the take as restored: identical" in log
    assert verify(tmp_path).sound


@pytest.mark.slow
def test_a_side_brought_to_its_speed_is_cut_where_its_tracks_then_lie(take: Path, tmp_path: Path) -> None:
    asked = Restoration(speed_ratio=1.35, level=Level(to_peak_dbtp=-3.0), hum=Hum())
    album = seal_album(restored_order(take, asked), tmp_path)
    total = 0
    for track in album.tracks:
        found = soundfile.info(str(tmp_path / track.file))
        assert found.frames == pytest.approx((track.end_sample - track.start_sample) / 1.35, abs=1)
        assert track.seconds(track.start_sample, track.end_sample) == pytest.approx(found.duration, abs=1e-4)
        total += found.frames
    # Tracks that touch still touch, to the sample: none is lost between them.
    assert total == round(350_000 / 1.35) - round(20_000 / 1.35) + round(520_000 / 1.35) - round(350_000 / 1.35)
    log = (tmp_path / LOG_NAME).read_text()
    assert "speed multiplied by 1.35000" in log
    assert "level changed by" in log
    assert verify(tmp_path).sound


@pytest.mark.slow
def test_sealing_the_same_plan_twice_gives_the_same_bytes(take: Path, tmp_path: Path) -> None:
    order = restored_order(take, Restoration(clicks=Clicks(amount=30), speed_ratio=1.01))
    for name in ("one", "other"):
        (tmp_path / name).mkdir()
        seal_album(order, tmp_path / name)
    for file in (tmp_path / "one").iterdir():
        assert file.read_bytes() == (tmp_path / "other" / file.name).read_bytes()


def test_restoring_is_an_edit_like_any_other() -> None:
    plan = Plan(take_sha256="ab" * 32, take_samples=1_000)
    edit = Restore(op="restore", restoration=Restoration(clicks=Clicks(amount=20)), saying="clicks mended, amount 20")
    changed = apply(plan, edit, rate_hz=44_100, new_key=lambda: "k", who="tester")
    assert changed.restoration.clicks == Clicks(amount=20)
    assert in_words(plan, edit) == "clicks mended, amount 20"
    assert Plan.model_validate(changed.model_dump(mode="json")) == changed
    # Plans made before there was restoration have none.
    old = plan.model_dump(mode="json")
    del old["restoration"]
    assert Plan.model_validate(old).restoration.at_rest


@pytest.mark.parametrize("gaps", ["silence", "room tone"])
def test_what_lies_between_tracks_is_made_silent_or_the_sides_own_tone(take: Path, tmp_path: Path, gaps: Any) -> None:
    order = restored_order(take, Restoration(clicks=Clicks(amount=30)))
    side = order.sides[0]
    plan = side.plan.model_copy(update={"gaps": gaps})
    order = order.model_copy(update={"sides": (side.model_copy(update={"plan": plan}),)})
    album = seal_album(order, tmp_path)
    second = next(track for track in album.tracks if track.end_sample == 350_000)
    assert second.gap_sample == 340_000
    data = soundfile.read(str(tmp_path / second.file), always_2d=True)[0]
    gap = data[140_000 + 500 : 150_000 - 500]
    if gaps == "silence":
        assert not np.any(gap)
    else:
        quiet = soundfile.read(str(take), always_2d=True)[0]
        loud = [quiet[at : at + 11_025].std() for at in range(0, len(quiet) - 11_025, 11_025)]
        assert 0.5 * min(loud) < gap.std() < 2 * np.median(loud)
    assert f"{'digital silence' if gaps == 'silence' else 'room tone'}" in (tmp_path / LOG_NAME).read_text()
    assert verify(tmp_path).sound


def test_sides_of_one_album_may_have_one_gain(take: Path, tmp_path: Path) -> None:
    level = Level(to_peak_dbtp=-1.0, per="album")
    order = restored_order(take, Restoration(level=level))
    loud = order.sides[0]
    soft_path = tmp_path / "soft.wav"
    data, rate = soundfile.read(str(take), always_2d=True)
    soundfile.write(str(soft_path), data / 4, rate, subtype="PCM_16")
    count = len(loud.descriptions)
    later = tuple(one.model_copy(update={"number": one.number + count}) for one in loud.descriptions)
    soft = loud.model_copy(update={"name": "Side B", "take_path": str(soft_path), "descriptions": later})
    (tmp_path / "sealed").mkdir()
    album = seal_album(order.model_copy(update={"sides": (loud, soft)}), tmp_path / "sealed")
    heights = [np.abs(soundfile.read(str(tmp_path / "sealed" / one.file))[0]).max() for one in album.tracks]
    half = len(heights) // 2
    assert max(heights[half:]) == pytest.approx(max(heights[:half]) / 4, rel=0.01), "one stays softer than the other"
    assert (tmp_path / "sealed" / LOG_NAME).read_text().count("as of all sides together") == 2
