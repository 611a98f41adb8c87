"""Sides of records: tunes put on a worn surface, with the truth about them kept."""

from __future__ import annotations

from dataclasses import asdict, dataclass, replace

import numpy as np

from inkwell_groove.demo.surface import Click, Stereo, clicks, crackle, groove_noise, hum, needle_drop
from inkwell_groove.demo.tunes import Tune, play

SPEED = 1.006  # the archive's turntable runs 0.6 % fast


@dataclass(frozen=True)
class SideScript:
    """What is on a side. `gaps_s` follow each tune but the last; 0 runs two together."""

    shelfmark: str
    letter: str
    tunes: tuple[Tune, ...]
    gaps_s: tuple[float, ...]
    seed: int
    lead_in_s: float = 3.5
    run_out_s: float = 5.0
    noise_dbfs: float = -64.0
    click_rate_per_s: float = 0.8


@dataclass(frozen=True)
class TrueTrack:
    """Where a track lies, to the sample, and what the sleeve says of its length."""

    title: str
    start_sample: int
    end_sample: int
    sleeve_duration_s: float


@dataclass(frozen=True)
class SideTruth:
    shelfmark: str
    side: str
    rate_hz: int
    samples: int
    speed_ratio: float
    tracks: tuple[TrueTrack, ...]
    clicks: tuple[Click, ...]
    scratch: tuple[int, ...] = ()
    """First samples of what comes back once a turn."""
    hi_hats: tuple[int, ...] = ()
    """First samples of strokes as short and bright as clicks, which are music."""
    dropouts: tuple[tuple[int, int], ...] = ()
    azimuth_us: float = 0.0
    """By how much the right channel lags."""
    cut_with: str = ""
    """The curve it was cut with, played with a modern one; empty where they are the same."""

    def as_json(self) -> dict[str, object]:
        return asdict(self)


LANTERNS = (
    SideScript(
        shelfmark="WH-0012",
        letter="A",
        seed=1207,
        tunes=(
            Tune("Lanterns on the Weir", 34, 11, 104, 0),
            Tune("The Eel Catcher's Walk", 38, 12, 92, 5, fade_in_s=9.0),
            Tune("Quarry Sunday", 41, 13, 84, 3, rest_at_s=18.0, rest_s=0.9),
            Tune("Three Bridges March", 28, 14, 116, 10),
            Tune("Goodnight, Marrowby", 36, 15, 72, 7, drums=False),
        ),
        gaps_s=(2.4, 2.0, 2.2, 1.7),
    ),
    SideScript(
        shelfmark="WH-0012",
        letter="B",
        seed=1208,
        tunes=(
            Tune("Ferry Galop", 31, 21, 126, 2),
            Tune("Tollgate Hymn", 44, 22, 68, 0, fade_out_s=14.0, drums=False),
            Tune("Rope and Tar, part one", 30, 23, 96, 5),
            Tune("Rope and Tar, part two", 27, 24, 120, 8),
            Tune("Lamplighter's Polka", 33, 25, 112, 3),
        ),
        gaps_s=(2.1, 2.6, 0.0, 2.3),
    ),
)


def _stretched(tune: Tune, stretch: float) -> Tune:
    """The same tune, longer or shorter; a short one's fades and rest shrink with it."""
    share = min(1.0, stretch)
    return replace(
        tune,
        duration_s=tune.duration_s * stretch,
        fade_in_s=tune.fade_in_s * share,
        fade_out_s=tune.fade_out_s * share,
        rest_at_s=None if tune.rest_at_s is None else tune.rest_at_s * share,
        rest_s=tune.rest_s * share,
    )


def make_side(script: SideScript, *, rate_hz: int = 48_000, stretch: float = 1.0) -> tuple[Stereo, SideTruth]:
    """A side as recorded, (samples, 2) in [-1, 1), and the truth about it. `stretch` lengthens every tune."""
    rng = np.random.default_rng(script.seed)
    pieces: list[Stereo] = [np.zeros((round(script.lead_in_s * rate_hz), 2))]
    tracks: list[TrueTrack] = []
    at = len(pieces[0])
    for tune, gap_s in zip(script.tunes, (*script.gaps_s, script.run_out_s), strict=True):
        longer = _stretched(tune, stretch)
        music = np.column_stack(play(longer, rate_hz, speed=SPEED))
        tracks.append(TrueTrack(tune.title, at, at + len(music), longer.duration_s))
        gap = np.zeros((round(gap_s / SPEED * rate_hz), 2))
        pieces += [music, gap]
        at += len(music) + len(gap)
    audio = np.concatenate(pieces)
    audio *= 0.62 / np.abs(audio).max()
    samples = len(audio)
    damage, found = clicks(samples, rate_hz, per_second=script.click_rate_per_s, rng=rng)
    audio += groove_noise(samples, rate_hz, level_dbfs=script.noise_dbfs, rng=rng)
    audio += crackle(samples, rate_hz, per_second=12.0, level_dbfs=-46.0, rng=rng)
    audio += hum(samples, rate_hz, frequency_hz=50.0, level_dbfs=-62.0)
    audio += damage
    thump = needle_drop(rate_hz, rng=rng)
    audio[round(0.4 * rate_hz) : round(0.4 * rate_hz) + len(thump)] += thump
    truth = SideTruth(script.shelfmark, script.letter, rate_hz, samples, SPEED, tuple(tracks), tuple(found))
    return np.clip(audio, -1.0, 1.0 - 2.0**-23), truth
