"""The finder against sides of which every start and end is known; and how fast it is.

Every situation of `benchmarks.sides` on two seeds, each with the catalogue's durations, with a count and with nothing.
`python -m benchmarks.tracks fit` prints the weights of `tracks.sure`, fitted on two other seeds.
"""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
import soundfile
from scipy.optimize import minimize

from benchmarks.music import RATE_HZ, pieces
from benchmarks.sides import Truth
from benchmarks.situations import SITUATIONS, make
from inkwell_groove.core.tracks.finder import arranged, fitted, ground_of, known_of, places_of
from inkwell_groove.core.tracks.found import FoundTracks
from inkwell_groove.core.tracks.hearing import hear
from inkwell_groove.core.tracks.sure import FEATURES
from tests.sounds import ArrayReader

SEEDS, FITTING_SEEDS = (1, 2), (3, 4)
MODES = ("durations", "count", "nothing")
TOLERANCES_S = (0.25, 0.5, 2.0)
SURE = 0.9
_LONG = "long.flac"
_ALONE = """
import resource, sys, time
from pathlib import Path
from inkwell_groove.core.audio.soundfiles import FileReader, Stretch
from inkwell_groove.core.tracks.finder import fitted, ground_of, hear, known_of, places_of
with FileReader(Path(sys.argv[1])) as reader:
    hear(Stretch(reader, 0, 44_100))  # compiles
    began = time.perf_counter()
    heard = hear(reader)
ground = ground_of(heard)
found = fitted(ground, places_of(ground), known_of())
taken = time.perf_counter() - began
began = time.perf_counter()
fitted(ground, places_of(ground, sensitivity=1.3), known_of())
slider = time.perf_counter() - began
held = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
print(heard.seconds, taken, slider, held, len(found.tracks))
"""


@dataclass
class Score:
    """What one side, or many, came to in one mode."""

    sides: int = 0
    counts_right: int = 0
    true_ends: int = 0
    found_ends: int = 0
    right: list[int] = field(default_factory=lambda: [0] * len(TOLERANCES_S))
    start_off_s: list[float] = field(default_factory=list)
    end_off_s: list[float] = field(default_factory=list)
    fade_in_off_s: list[float] = field(default_factory=list)
    in_applause: list[bool] = field(default_factory=list)
    cut_s: list[float] = field(default_factory=list)
    confidence: list[float] = field(default_factory=list)
    track_right: list[bool] = field(default_factory=list)
    speed_off: dict[str, list[float | None]] = field(default_factory=dict)

    def add(self, other: Score) -> None:
        for name, value in vars(other).items():
            own = getattr(self, name)
            if name == "right":
                self.right = [a + b for a, b in zip(own, value, strict=True)]
            elif isinstance(own, dict):
                for kind, speeds in value.items():
                    own.setdefault(kind, []).extend(speeds)
            else:
                setattr(self, name, own + value)

    def line(self) -> str:
        shares = "/".join(f"{100 * right / self.true_ends:.0f}" for right in self.right)
        precise = "/".join(f"{100 * right / max(1, self.found_ends):.0f}" for right in self.right)
        return (
            f"counts {100 * self.counts_right / self.sides:3.0f} %, ends within 0.25/0.5/2 s: recall {shares} %, "
            f"precision {precise} %, median {_median(self.start_off_s)} / {_median(self.end_off_s)} s, "
            f"cut off {_median(self.cut_s)} s"
        )


def run(folder: Path) -> Iterator[str]:
    music_folder = folder / "music"
    pieces(music_folder)
    totals = {mode: Score() for mode in MODES}
    heard_s = taken_s = slowest_s = 0.0
    jobs = [(music_folder, situation, seed) for situation in SITUATIONS for seed in SEEDS]
    with ProcessPoolExecutor(2) as workers:
        results = list(workers.map(_side, *zip(*jobs, strict=True)))
    for index, situation in enumerate(SITUATIONS):
        for mode in MODES:
            both = Score()
            for scores, *_ in results[index * len(SEEDS) : (index + 1) * len(SEEDS)]:
                both.add(scores[mode])
            totals[mode].add(both)
            yield f"{situation if mode == MODES[0] else '':26} {mode:9} {both.line()}"
    for _, seconds, hearing_s, fitting_s in results:
        heard_s, taken_s, slowest_s = heard_s + seconds, taken_s + hearing_s, max(slowest_s, fitting_s)
    for mode, score in totals.items():
        yield f"{'all':26} {mode:9} {score.line()}"
        yield from _details(score)
    yield f"{len(results)} sides, {heard_s / 3600:.1f} h; heard and fitted {heard_s / taken_s:.0f} times real time"
    yield f"fitting what was heard to durations: at most {1000 * slowest_s:.0f} ms a side"
    yield from _long_side(music_folder)


def _side(music_folder: Path, situation: str, seed: int) -> tuple[dict[str, Score], float, float, float]:
    """Scores of one side in every mode, its length, and how long hearing and the slowest fitting took."""
    side = make(situation, seed, pieces(music_folder))
    reader = ArrayReader(np.round(side.audio * 32_767).astype(np.int16), RATE_HZ, "s16")
    hear(ArrayReader(np.zeros((RATE_HZ, 2), np.int16), RATE_HZ, "s16"))  # compiles
    began = time.perf_counter()
    heard = hear(reader)
    ground = ground_of(heard)
    places = places_of(ground)
    hearing_s = time.perf_counter() - began
    scores, slowest = {}, 0.0
    knowledge = {
        "durations": known_of(durations_s=side.durations),
        "count": known_of(count=len(side.truth)),
        "nothing": known_of(),
    }
    for mode in MODES:
        began = time.perf_counter()
        found = fitted(ground, places, knowledge[mode])
        slowest = max(slowest, time.perf_counter() - began)
        scores[mode] = _score(found, side.truth, side.seconds, side.speed, side.kind)
    return scores, side.seconds, hearing_s + slowest, slowest


def _score(found: FoundTracks, truth: Sequence[Truth], seconds: float, speed: float, kind: str) -> Score:
    starts = [track.start_sample / RATE_HZ for track in found.tracks]
    ends = [track.end_sample / RATE_HZ for track in found.tracks]
    true_starts = [(one.start, one.start_window) for one in truth]
    true_ends = [(one.end, one.end_window) for one in truth]
    score = Score(1, int(len(starts) == len(truth)), 2 * len(truth), 2 * len(starts))
    score.right = [len(_matched(starts, true_starts, s)) + len(_matched(ends, true_ends, s)) for s in TOLERANCES_S]
    for one in truth:
        off = min((abs(start - one.start) for start in starts), default=99.0)
        if one.start_window is None:
            score.start_off_s.append(off)
        if one.fades_in:
            score.fade_in_off_s.append(off)
        if one.start_window is not None and one.start_unsure == "applause":
            low, high = one.start_window
            score.in_applause.append(any(low - 0.25 <= start <= high + 0.25 for start in starts))
        if one.end_window is None:
            score.end_off_s.append(min((abs(end - one.end) for end in ends), default=99.0))
    kept = np.zeros(int(seconds * 100) + 2, bool)
    for start, end in zip(starts, ends, strict=True):
        kept[int(start * 100) : int(np.ceil(end * 100))] = True
    score.cut_s = [sum(float((~kept[int(one.start * 100) : int(one.end * 100)]).sum()) / 100 for one in truth)]
    right_starts, right_ends = (
        set(_matched(found_ends, true, 0.5)) for found_ends, true in ((starts, true_starts), (ends, true_ends))
    )
    score.confidence = [track.confidence for track in found.tracks]
    score.track_right = [index in right_starts and index in right_ends for index in range(len(starts))]
    score.speed_off = {kind: [None if found.speed_ratio is None else abs(found.speed_ratio / speed - 1)]}
    return score


def _matched(
    found: Sequence[float], true: Sequence[tuple[float, tuple[float, float] | None]], tolerance_s: float
) -> list[int]:
    """Which of the found moments are right, each true one used once, the nearest first."""
    pairs = []
    for i, (moment, window) in enumerate(true):
        for j, one in enumerate(found):
            inside = window is not None and window[0] - tolerance_s <= one <= window[1] + tolerance_s
            off = 0.0 if inside else abs(one - moment)
            if off <= tolerance_s:
                pairs.append((off, i, j))
    used_true: set[int] = set()
    used_found: list[int] = []
    for _, i, j in sorted(pairs):
        if i not in used_true and j not in used_found:
            used_true.add(i)
            used_found.append(j)
    return used_found


def _details(score: Score) -> Iterator[str]:
    confidence, right = np.array(score.confidence), np.array(score.track_right)
    sure = confidence >= SURE
    p95 = [np.percentile(values, 95) for values in (score.start_off_s, score.end_off_s)]
    fades = 100 * np.mean(np.array(score.fade_in_off_s) < 0.5)
    yield (
        f"    95 in 100 starts within {p95[0]:.2f} s, ends within {p95[1]:.2f} s; fades in within 0.5 s {fades:.0f} %; "
        f"in applause {100 * np.mean(score.in_applause):.0f} %"
    )
    yield (
        f"    music cut off a side: mean {np.mean(score.cut_s):.2f} s, worst {max(score.cut_s):.1f} s; confidence: "
        f"AUC {_auc(confidence, right):.2f}, sure {100 * sure.mean():.0f} %, of those wrong "
        f"{100 * (~right[sure]).mean():.1f} %"
    )
    for kind, offs in score.speed_off.items():
        told = [off for off in offs if off is not None]
        worst = f", median {100 * np.median(told):.3f} %, worst {100 * max(told):.3f} % off" if told else ""
        yield f"    speed of {kind}: told for {len(told)} of {len(offs)}{worst}"


def _auc(confidence: np.ndarray, right: np.ndarray) -> float:
    good, bad = confidence[right], confidence[~right]
    if not len(good) or not len(bad):
        return float("nan")
    return float((good[:, None] > bad).mean() + 0.5 * (good[:, None] == bad).mean())


def _median(values: Sequence[float]) -> str:
    return f"{np.median(values):.2f}" if values else "-"


def _long_side(music_folder: Path) -> Iterator[str]:
    """Twenty-five minutes on one core, in a process of its own that tells what it held at most."""
    path = str(music_folder / _LONG)
    subprocess.run([sys.executable, "-m", "benchmarks.tracks", "write", path], check=True)
    told = subprocess.run([sys.executable, "-c", _ALONE, path], check=True, capture_output=True, text=True).stdout
    length_s, taken_s, slider_s, held_mb, tracks = (float(value) for value in told.split())
    yield (
        f"{length_s / 60:.0f} minutes of FLAC: {tracks:.0f} tracks in {taken_s:.1f} s, {length_s / taken_s:.0f} times "
        f"real time, {held_mb:.0f} MB; once more with another sensitivity {1000 * slider_s:.0f} ms"
    )


def _write_long(path: Path) -> None:
    with soundfile.SoundFile(path, "w", RATE_HZ, 2, "PCM_16") as file:
        for seed in range(50, 55):
            file.write(make("plain gaps", seed, pieces(path.parent)).audio[: 300 * RATE_HZ])


def fit(folder: Path) -> None:
    """Prints the constant and the weights of `tracks.sure`, within the bounds that sense gives them."""
    music = pieces(folder)
    rows: list[tuple[float, ...]] = []
    right: list[bool] = []
    for situation in SITUATIONS:
        for seed in FITTING_SEEDS:
            side = make(situation, seed, music)
            heard = hear(ArrayReader(np.round(side.audio * 32_767).astype(np.int16), RATE_HZ, "s16"))
            ground = ground_of(heard)
            places = places_of(ground)
            for known in (known_of(durations_s=side.durations), known_of(count=len(side.truth)), known_of()):
                for pair in arranged(ground, places, known)[1]:
                    for edge, true in zip(
                        pair,
                        ([(t.start, t.start_window) for t in side.truth], [(t.end, t.end_window) for t in side.truth]),
                        strict=True,
                    ):
                        moment = edge.join.start_s if edge.side == "start" else edge.join.end_s
                        rows.append(edge.features)
                        right.append(bool(_matched([moment], true, 0.5)))
    values = np.column_stack([np.ones(len(rows)), np.array(rows)])
    sign = 2.0 * np.array(right) - 1.0
    bounds = {"posterior": (0.3, 2.0), "untold_odds": (0.0, 2.0), "outer": (-2.0, 1.0)}
    found = minimize(
        lambda weights: float(np.logaddexp(0, -sign * (values @ weights)).sum() + 0.05 * (weights[1:] ** 2).sum()),
        np.zeros(values.shape[1]),
        bounds=[(-5.0, 5.0), *(bounds.get(name, (-5.0, -0.05)) for name in FEATURES)],
        method="L-BFGS-B",
    ).x
    print({name: round(float(value), 3) for name, value in zip(("constant", *FEATURES), found, strict=True)})


if __name__ == "__main__":
    if sys.argv[1] == "write":
        _write_long(Path(sys.argv[2]))
    elif sys.argv[1] == "fit":
        with tempfile.TemporaryDirectory(prefix="inkwell-bench-") as temporary:
            fit(Path(temporary))
