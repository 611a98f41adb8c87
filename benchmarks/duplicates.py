"""Recordings planted in many forms: what each is taken for, and which likely pairs are met among all.

The music is real (see `music`), as are the codecs; edits are cut from it. Other takes and live versions of one tune
cannot be had that way: they are played anew from one score, each time with other timing, dynamics and players.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from itertools import combinations
from pathlib import Path

import numpy as np
import numpy.typing as npt
import soundfile
import soxr

from benchmarks.music import RATE_HZ, excerpt, pieces
from inkwell_groove.core.duplicates.pairs import likely_pairs
from inkwell_groove.core.duplicates.portrait import Portrait, mono_of, portray
from inkwell_groove.core.duplicates.relation import Relation, relate
from inkwell_groove.core.fingerprint.likeness import SPEEDS
from inkwell_groove.core.fingerprint.prints import Prints, of_mono
from inkwell_groove.demo.encoding import encode
from inkwell_groove.demo.instruments import drum, horn

Stereo = npt.NDArray[np.float32]
SECONDS, MOST = 90.0, 16
_SCORE_BEATS, _PERFORMANCES = 96, 8


def run(folder: Path) -> Iterator[str]:
    music = _music(folder)
    yield f"{len(music)} recordings of {SECONDS:.0f} s, each against its own copies; {_PERFORMANCES} scores played anew"
    yield "                                        same recording  another edit  another recording   middle of time"
    originals = [_portrait(folder, sound) for sound in music]
    for name, harm in (*COPIES.items(), *EDITS.items()):
        told = []
        began = time.perf_counter()
        for number, (sound, original) in enumerate(zip(music, originals, strict=True)):
            told.append(_related(original, *harm(folder, sound, number)))
        yield _row(name, [one.kind for one in told], (time.perf_counter() - began) / len(told))
    for name, version in VERSIONS.items():
        kinds = [
            _related(_portrait(folder, _played(score, 0)), *_written(folder, version(score))).kind
            for score in range(_PERFORMANCES)
        ]
        yield _row(name, kinds)
    others = [
        _related(originals[one], *_written(folder, music[other])).kind
        for one, other in list(combinations(range(len(music)), 2))[:: max(1, len(music) // 4)]
    ]
    yield _row("other music", others)
    yield from _among_all(folder, music, originals)


def _row(name: str, kinds: list[str], seconds: float | None = None) -> str:
    shares = [kinds.count(kind) / len(kinds) for kind in ("same recording", "another edit", "another recording")]
    took = f"{seconds:8.2f} s a pair" if seconds is not None else ""
    return f"{name:40}" + "".join(f"{share:14.0%}" for share in shares) + took


def _music(folder: Path) -> list[Stereo]:
    found: list[Stereo] = []
    for piece in pieces(folder):
        for start_s in np.arange(15.0, piece.seconds - SECONDS - 15, SECONDS + 40):
            sound = excerpt(piece, float(start_s), SECONDS)
            if sound is not None and len(sound) == round(SECONDS * RATE_HZ):
                found.append(0.7 * sound)
    return found[:: max(1, len(found) // MOST)][:MOST]


def _written(folder: Path, sound: Stereo, rate_hz: int = RATE_HZ, name: str = "copy.flac") -> tuple[Path]:
    path = folder / name
    soundfile.write(str(path), np.clip(sound, -1, 1), rate_hz, subtype="PCM_16")
    return (path,)


def _portrait(folder: Path, sound: Stereo) -> Portrait:
    return portray(*_written(folder, sound, name="original.flac")).portrait


def _related(original: Portrait, copy: Path) -> Relation:
    held = portray(copy).portrait
    pairs = likely_pairs([original, held])
    speeds = (min(SPEEDS, key=lambda one: abs(one - pairs[0].speed_ratio)),) if pairs else SPEEDS

    def at(speed: float) -> Prints:
        return held.prints if speed == 1.0 else of_mono(mono_of(copy, speed_ratio=speed)).prints

    return relate(original, held, at, speeds=speeds)


def _coded(kind: str, kbit_s: int) -> Callable[[Path, Stereo, int], tuple[Path]]:
    suffix = {"aac": "m4a"}.get(kind, kind)
    return lambda folder, sound, n: (encode(folder / f"copy.{suffix}", sound, RATE_HZ, kind, kbit_s=kbit_s),)


def _noisy(folder: Path, sound: Stereo, number: int) -> tuple[Path]:
    noise = np.random.default_rng(number).normal(0, 1, sound.shape)
    return _written(folder, sound + noise * np.sqrt((sound**2).mean()) * 10 ** (-20 / 20))


COPIES: dict[str, Callable[[Path, Stereo, int], tuple[Path]]] = {
    "10 dB softer": lambda folder, sound, n: _written(folder, sound * 10 ** (-10 / 20)),
    "96 kHz": lambda folder, sound, n: _written(folder, soxr.resample(sound, RATE_HZ, 96_000), 96_000),
    "22 kHz": lambda folder, sound, n: _written(folder, soxr.resample(sound, RATE_HZ, 22_050), 22_050),
    "MP3, 96 kbit/s": _coded("mp3", 96),
    "AAC, 96 kbit/s": _coded("aac", 96),
    "Opus, 64 kbit/s": _coded("opus", 64),
    "hiss at -20 dB": _noisy,
    "begun 3.7 s later": lambda folder, sound, n: _written(folder, sound[round(3.7 * RATE_HZ) :]),
    "silence of 5 s before": lambda folder, sound, n: _written(
        folder, np.concatenate([np.zeros((5 * RATE_HZ, 2), np.float32), sound])
    ),
    "faded over the last 6 s": lambda folder, sound, n: _written(folder, _faded(sound, 6.0)),
    "0.4 % faster": lambda folder, sound, n: _written(folder, soxr.resample(sound, RATE_HZ * 1.004, RATE_HZ)),
    "1.7 % slower": lambda folder, sound, n: _written(folder, soxr.resample(sound, RATE_HZ * 0.983, RATE_HZ)),
    "from one channel": lambda folder, sound, n: _written(folder, np.repeat(sound[:, :1], 2, axis=1)),
}
EDITS: dict[str, Callable[[Path, Stereo, int], tuple[Path]]] = {
    "12 s cut out of the middle": lambda folder, sound, n: _written(
        folder, np.concatenate([sound[: 50 * RATE_HZ], sound[62 * RATE_HZ :]])
    ),
    "ended 20 s earlier": lambda folder, sound, n: _written(folder, _faded(sound[: -20 * RATE_HZ], 3.0)),
    "begun 15 s later": lambda folder, sound, n: _written(folder, sound[15 * RATE_HZ :]),
    "20 s of it repeated": lambda folder, sound, n: _written(
        folder, np.concatenate([sound[: 70 * RATE_HZ], sound[50 * RATE_HZ :]])
    ),
}


def _faded(sound: Stereo, seconds: float) -> Stereo:
    out = sound.copy()
    length = round(seconds * RATE_HZ)
    out[-length:] *= np.linspace(1, 0, length, dtype=np.float32)[:, None]
    return out


def _played(score: int, performance: int, *, room: bool = False) -> Stereo:
    """A score of four voices, played: every performance has its own timing, dynamics and players."""
    notes, hand = np.random.default_rng(1_000 + score), np.random.default_rng(50 * score + performance)
    beat_s = 60.0 / (92 + 6 * score) * (1 + hand.normal(0, 0.012))
    samples = round((_SCORE_BEATS * beat_s + 3) * RATE_HZ)
    sound = np.zeros((samples, 2), np.float32)
    pan = hand.uniform(0.25, 0.75, 4)
    drift = np.cumsum(hand.normal(0, 0.004, _SCORE_BEATS)) * beat_s
    for beat in range(_SCORE_BEATS):
        root = 110 * 2 ** (notes.integers(0, 8) / 12)
        for voice, interval in enumerate((0, 4 + notes.integers(0, 2), 7, 12 + notes.integers(0, 5))):
            at = round((max(0.0, beat * beat_s + drift[beat] + hand.normal(0, 0.018))) * RATE_HZ)
            note = horn(
                root * 2 ** (interval / 12) * (1 + hand.normal(0, 0.001)),
                beat_s * hand.uniform(0.8, 1.1),
                RATE_HZ,
                brightness=hand.uniform(0.45, 0.75),
                rng=hand,
            )
            note = note[: max(0, samples - at)] * 0.14 * 10 ** (hand.normal(0, 1.5) / 20)
            sound[at : at + len(note), 0] += note * (1 - pan[voice])
            sound[at : at + len(note), 1] += note * pan[voice]
        hit = drum(0.4, RATE_HZ, rng=hand)
        at = round((beat * beat_s + drift[beat]) * RATE_HZ)
        hit = hit[: max(0, samples - at)] * 0.16
        sound[max(0, at) : max(0, at) + len(hit)] += hit[:, None]
    return _in_a_hall(sound, hand) if room else sound


def _in_a_hall(sound: Stereo, hand: np.random.Generator) -> Stereo:
    """With a tail of 1.5 s (Moorer, About This Reverberation Business, 1979: noise that dies away) and an audience."""
    from scipy.signal import fftconvolve

    t = np.arange(round(1.5 * RATE_HZ)) / RATE_HZ
    tail = hand.normal(0, 1, (len(t), 2)) * (10 ** (-3 * t / 1.5))[:, None]
    wet = fftconvolve(sound, tail / np.sqrt((tail**2).sum(axis=0)), axes=0)[: len(sound)]
    audience = hand.normal(0, 0.004, sound.shape)
    return (0.6 * sound + 0.5 * wet + audience).astype(np.float32)


VERSIONS: dict[str, Callable[[int], Stereo]] = {
    "another take": lambda score: _played(score, 1),
    "live, in a hall": lambda score: _played(score, 2, room=True),
    "another score": lambda score: _played(score + 100, 0),
}


def _among_all(folder: Path, music: list[Stereo], originals: list[Portrait]) -> Iterator[str]:
    """All of them with one copy of each: pairs that are met, and how many of them are none."""
    copies = [portray(*COPIES["MP3, 96 kbit/s"](folder, sound, n)).portrait for n, sound in enumerate(music)]
    began = time.perf_counter()
    met = {(one.first, one.second) for one in likely_pairs([*originals, *copies])}
    took = time.perf_counter() - began
    wanted = {(n, n + len(music)) for n in range(len(music))}
    yield (
        f"among {2 * len(music)} recordings {len(wanted & met)} of {len(wanted)} pairs are met in {took:.2f} s, "
        f"{len(met - wanted)} others are to be compared with them"
    )
