"""Restoration on real music with known damage: what is found, what is harmed, what is gained, and how fast.

Excerpts are other ones, damaged with other seeds, than those the guard was fitted on; pieces are the same, so what
benchmarks/guard.py says of pieces it held back is the stricter figure for detection.
"""

from __future__ import annotations

import time
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from multiprocessing import get_context
from pathlib import Path

import numpy as np
import numpy.typing as npt
import soundfile
import soxr

from benchmarks import damage
from benchmarks.damage import Hurt
from benchmarks.music import MORE_PACKAGES, RATE_HZ, excerpt, pieces
from inkwell_groove.core.audio.sound import to_float
from inkwell_groove.core.audio.soundfiles import FileReader
from inkwell_groove.core.restoration.choosing import CAUTIOUS, chosen, propose
from inkwell_groove.core.restoration.hum import HumFree, follow
from inkwell_groove.core.restoration.linear import Weighed, grid_hz, without_rumble
from inkwell_groove.core.restoration.mended import Mended, Repair
from inkwell_groove.core.restoration.scan import Scan, scan
from tests.streams import Held, Taken

Stereo = npt.NDArray[np.float64]
_EXCERPTS, _SECONDS = 26, 30.0
_AMOUNTS = (5.0, 15.0, 25.0, 35.0, 45.0, 55.0, 65.0)
_SCENES = ("clean", "clicks", "tick", "burst", "ring", "pop", "soft", "scratch", "crackle")
_SPEED_S = 120


@dataclass
class Outcome:
    """Of one scene at one amount."""

    scene: str
    amount: float
    audible: tuple[int, int]
    buried: tuple[int, int]
    right: int
    wrong: int
    minutes: float
    gain_db: float


def run(folder: Path) -> Iterator[str]:
    music = folder.parent / "inkwell-bench-music"
    sounds = list(_excerpts(music))
    yield f"{len(sounds)} excerpts of {_SECONDS:.0f} s from {len(pieces(music, MORE_PACKAGES))} pieces"
    jobs = [(number, sound, scene) for number, sound in enumerate(sounds) for scene in _SCENES]
    with ProcessPoolExecutor(2) as pool:
        made = [one for part in pool.map(_scene, jobs, chunksize=4) for one in part]
    yield from _tables(made)
    yield from _hum_and_rumble(sounds)
    yield from _speed(sounds, folder)


def _excerpts(folder: Path) -> Iterator[Stereo]:
    every = pieces(folder, MORE_PACKAGES)
    for number in range(_EXCERPTS):
        piece = every[number * len(every) // _EXCERPTS]
        if piece.seconds < 2 * _SECONDS:
            continue
        sound = excerpt(piece, 0.4 * piece.seconds, _SECONDS)
        if sound is not None and len(sound) > 20 * RATE_HZ:
            yield 0.5 * sound.astype(np.float64)


def _scene(job: tuple[int, Stereo, str]) -> list[Outcome]:
    number, music, scene = job
    rng = np.random.default_rng([number, 2026])
    clean = music if scene == "clean" else music + damage.surface(len(music), RATE_HZ, rng, level_dbfs=-72)
    hurts: list[Hurt] = []
    added: Stereo | float = 0.0
    if scene == "clicks":
        added, hurts = damage.hurt(clean, RATE_HZ, rng, per_second=10 ** rng.uniform(-0.3, 1.0))
    elif scene in damage.KINDS:
        added, hurts = damage.hurt(clean, RATE_HZ, rng, per_second=3.0, kinds=(scene,))
    elif scene == "scratch":
        added, hurts = damage.scratch(clean, RATE_HZ, rng, turn_s=1.8 * rng.uniform(0.99, 1.01))
    elif scene == "crackle":
        added, hurts = damage.crackle(clean, RATE_HZ, rng, per_second=120.0, over_db=-6.0)
    take, truth = Taken(clean + added), Taken(clean).data.astype(np.float64)
    found = scan(take)
    proposed = propose(found).amount
    out = []
    for amount in (-1.0, *_AMOUNTS) if scene in ("clicks", "clean") else (-1.0,):
        out.append(_judged(scene, amount, found, proposed if amount < 0 else amount, hurts, take, truth))
    return out


def _judged(
    scene: str, label: float, found: Scan, amount: float, hurts: list[Hurt], take: Taken, truth: Stereo
) -> Outcome:
    which = np.flatnonzero(chosen(found, amount))
    start, end, channel = found.start[which], found.end[which], found.channel[which]
    right = np.zeros(len(which), bool)
    hit = []
    for one in hurts:
        on = (start < one.end + 4) & (end > one.start - 4) & np.isin(channel, one.channels)
        right |= on
        hit.append(bool(on.any()))
    wrong, until = 0, -1
    for k in np.argsort(start):  # both channels of one place are one false repair
        if not right[k] and start[k] >= until:
            wrong += 1
        until = max(until, int(end[k])) if not right[k] else until
    repairs = [Repair(start=int(a), end=int(b), channel=int(c)) for a, b, c in zip(start, end, channel, strict=True)]
    after = Mended(take, repairs).read(0, take.format.samples).astype(np.float64)
    left = float(((after - truth) ** 2).sum()) + 1e-3
    was = float(((take.data - truth) ** 2).sum()) if hurts else float((truth**2).sum())
    loud = np.array([one.audible for one in hurts], bool)
    hits = np.array(hit, bool)
    return Outcome(
        scene,
        label,
        (int(hits[loud].sum()), int(loud.sum())),
        (int(hits[~loud].sum()), int((~loud).sum())),
        int(right.sum()),
        wrong,
        take.format.samples / RATE_HZ / 60,
        10 * float(np.log10(was / left)),
    )


def _tables(made: list[Outcome]) -> Iterator[str]:
    yield "at the amount each side proposes:"
    yield "scene     audible  buried  right   false a minute (worst)   gain dB in the middle (worst)"
    for scene in _SCENES:
        yield _row(scene, [one for one in made if one.scene == scene and one.amount < 0])
    yield "the trade-off, clicks found against music taken:"
    for amount in _AMOUNTS:
        damaged = [one for one in made if one.scene == "clicks" and one.amount == amount]
        clean = [one for one in made if one.scene == "clean" and one.amount == amount]
        note = " (cautious)" if amount == CAUTIOUS else ""
        yield f"{_row(f'amount {amount:.0f}', damaged)}; clean controls {_false(clean)}{note}"


def _row(name: str, rows: list[Outcome]) -> str:
    audible, buried = (np.array([getattr(one, kind) for one in rows]).sum(axis=0) for kind in ("audible", "buried"))
    right, wrong = sum(one.right for one in rows), sum(one.wrong for one in rows)
    gains = [one.gain_db for one in rows]
    told = [f"{100 * a / b:6.1f}%" if b else "      -" for a, b in (audible, buried, (right, right + wrong))]
    return f"{name:10}{' '.join(told)}   {_false(rows):>14}          {np.median(gains):5.1f} ({min(gains):.1f})"


def _false(rows: list[Outcome]) -> str:
    rates = [one.wrong / one.minutes for one in rows]
    return f"{np.mean(rates):.2f} ({max(rates):.1f})"


def _hum_and_rumble(sounds: list[Stereo]) -> Iterator[str]:
    lines: dict[float, list[float]] = {-30.0: [], -40.0: []}
    low, worst = [], 0.0
    for number, music in enumerate(sounds[::3]):
        rng = np.random.default_rng([number, 50])
        for level_dbfs, left_db in lines.items():
            hum = damage.hum(len(music), RATE_HZ, rng, base_hz=50.0, level_dbfs=level_dbfs, drift_hz=0.02)
            track = follow(Held(music + hum))
            left = hum if track is None else HumFree(Held(music + hum), track).read(0, len(music)) - music
            left_db.append(float(20 * np.log10(left.std() / hum.std())))
        rumble = damage.rumble(len(music), RATE_HZ, rng, level_dbfs=-40.0)
        response = without_rumble(grid_hz(RATE_HZ), 30.0)
        low.append(20 * np.log10(Weighed(Held(rumble), response).read(0, len(music)).std() / rumble.std()))
        worst = max(worst, _third_octaves(music, Weighed(Held(music), response).read(0, len(music))))
    for level_dbfs, left_db in lines.items():
        told = ", ".join(f"{one:.0f}" for one in sorted(left_db))
        yield f"hum at {level_dbfs:.0f} dBFS under music: {np.median(left_db):.1f} dB in the middle; each {told}"
    yield f"rumble under 30 Hz: {np.mean(low):.1f} dB; third octaves from 40 Hz on change by {worst:.3f} dB at most"


def _third_octaves(before: Stereo, after: Stereo) -> float:
    """The largest change in decibels of any third octave from 40 Hz to 16 kHz that has music in it."""
    window = np.hanning(len(before))[:, None]
    spectra = [(np.abs(np.fft.rfft(one * window, axis=0)) ** 2).sum(axis=1) for one in (before, after)]
    hz = np.fft.rfftfreq(len(before), 1 / RATE_HZ)
    most = 0.0
    for n in range(27):
        centre = 40.0 * 2 ** (n / 3)
        inside = (hz >= centre / 2 ** (1 / 6)) & (hz < centre * 2 ** (1 / 6))
        was, became = (float(one[inside].sum()) for one in spectra)
        if was > 1e-9 * spectra[0].sum():
            most = max(most, abs(10 * np.log10(became / was)))
    return most


def _worked(path: Path) -> tuple[float, float, float]:
    """Seconds of one core for scanning and for mending, and the process's peak in MB. In a process of its own."""
    with FileReader(path) as take:
        take_s = take.format.rate_hz
        short = Taken(to_float(take.read(0, 2 * take_s), take.format.full_scale), take_s)
        Mended(short, [Repair(start=9_000, end=9_020, channel=0)]).read(0, take_s)
        scan(short)  # the compiled parts are loaded
        began = time.process_time()
        found = scan(take)
        scanned = time.process_time()
        which = np.flatnonzero(chosen(found, propose(found).amount))
        repairs = [
            Repair(start=int(found.start[k]), end=int(found.end[k]), channel=int(found.channel[k])) for k in which
        ]
        mended = Mended(take, repairs)
        for first in range(0, take.format.samples, 1 << 17):
            mended.read(first, 1 << 17)
        done = time.process_time()
    return scanned - began, done - scanned, _peak_mb()


def _peak_mb() -> float:
    """Of this process alone: what getrusage says was inherited from the one that began it."""
    status = Path("/proc/self/status").read_text()
    return int(status.split("VmHWM:")[1].split()[0]) / 1024


def _speed(sounds: list[Stereo], folder: Path) -> Iterator[str]:
    """One core: the caller sets OPENBLAS_NUM_THREADS=1 where it matters."""
    music = np.concatenate(sounds[: round(_SPEED_S / _SECONDS)])
    for rate_hz, times in ((RATE_HZ, 1), (RATE_HZ, 15), (96_000, 1)):
        sound = music if rate_hz == RATE_HZ else soxr.resample(music, RATE_HZ, rate_hz)
        added, _ = damage.hurt(sound, rate_hz, np.random.default_rng(8), per_second=8.0)
        path = folder / f"{rate_hz}-{times}.wav"
        with soundfile.SoundFile(path, "w", rate_hz, 2, "PCM_24") as file:
            for _ in range(times):
                file.write(np.clip(sound + added, -1.0, 1.0 - 2.0**-23))
        with ProcessPoolExecutor(1, mp_context=get_context("spawn")) as pool:
            scanning, mending, peak = pool.submit(_worked, path).result()
        path.unlink()
        seconds = times * len(sound) / rate_hz
        yield (
            f"{rate_hz / 1000:g} kHz stereo, 8 clicks a second, {seconds / 60:.0f} minutes: scan "
            f"{seconds / scanning:.1f}, mend {seconds / mending:.1f}, together "
            f"{seconds / (scanning + mending):.1f} times real time on one core; {peak:.0f} MB at most"
        )
