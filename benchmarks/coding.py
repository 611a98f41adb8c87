"""Lossy sources told from lossless ones: false alarms on sounds that never were coded, and what is found by coder."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import numpy.typing as npt
import soxr
from scipy import signal

from benchmarks.music import RATE_HZ, pieces
from inkwell_groove.core.audio.sound import SoundFormat
from inkwell_groove.core.copies.decode import as_float, decoded
from inkwell_groove.core.errors import Refused
from inkwell_groove.core.survey.coding import coding_of
from inkwell_groove.demo.encoding import encode
from inkwell_groove.demo.tunes import Tune, play

_SECONDS, _TUNES, _EXCERPTS, _CODED = 15.0, 30, 30, 12
_CODERS = ("mp3", "aac")
_KBIT_S = (96, 128, 160, 192, 256, 320)
Stereo = npt.NDArray[np.float64]


class _Sound:
    """16 bit, as a CD has it."""

    def __init__(self, sound: Stereo, rate_hz: int = RATE_HZ) -> None:
        self._words = np.clip(np.rint(sound * 32_768), -32_768, 32_767).astype(np.int16)
        self.format = SoundFormat(container="WAV", word="s16", rate_hz=rate_hz, channels=2, samples=len(sound))

    def read(self, start_sample: int, samples: int) -> npt.NDArray[np.int16]:
        return self._words[start_sample : start_sample + samples]


def run(folder: Path) -> Iterator[str]:
    sounds = _sounds(folder)
    yield f"{len(sounds)} sounds of {_SECONDS:.0f} s that were never coded, each as it is and harmed"
    alarms, tried = 0, 0
    for name, harm in _HARMS.items():
        found = [coding_of(_Sound(harm(sound))).words for sound in sounds]
        wrong = [words for words in found if words]
        alarms, tried = alarms + len(wrong), tried + len(found)
        yield f"{name}: {len(wrong)} of {len(found)} taken for coded{f' ({wrong[0]})' if wrong else ''}"
    yield f"false alarms: {alarms / tried:.2%} of {tried}"
    for kind in _CODERS:
        for kbit_s in _KBIT_S:
            causes: dict[str, int] = defaultdict(int)
            decoded_again = [coded(sound, kind, kbit_s, folder) for sound in sounds[:: max(1, len(sounds) // _CODED)]]
            for sound in decoded_again:
                told = coding_of(_Sound(sound))
                causes["frames" if told.frames_from is not None else told.cause and "edge"] += 1
            count = len(decoded_again)
            share = 1 - causes.pop("", 0) / count
            told_by = ", ".join(f"{times} by {name}" for name, times in sorted(causes.items()))
            yield f"{kind.upper()} {kbit_s} kbit/s: {share:.0%} of {count} found ({told_by or 'none'})"
    stretched = [_Sound(soxr.resample(sound, RATE_HZ, 96_000), 96_000) for sound in sounds[:_CODED]]
    causes_up = [coding_of(one).cause for one in stretched]
    yield f"44.1 kHz stretched to 96: {causes_up.count('a lower rate')} of {len(causes_up)} found"


def _sounds(folder: Path) -> list[Stereo]:
    """Tunes of the demo's band, with the noise of a room; and a module of samples that no coder ever saw."""
    found = []
    for seed in range(_TUNES):
        rng = np.random.default_rng(seed)
        left, right = play(Tune("bench", _SECONDS, seed, 90 + seed, seed % 12), RATE_HZ, speed=1.0)
        found.append(
            np.stack([left, right], axis=1) + 10 ** -rng.uniform(3.0, 4.5) * rng.standard_normal((len(left), 2))
        )
    try:
        for piece in pieces(folder, ("fb-music-high",)):
            whole = _read(piece.path)
            length = round(_SECONDS * RATE_HZ)
            starts = np.linspace(0, max(0, len(whole) - length), _EXCERPTS).astype(int)
            found += [whole[start : start + length] for start in starts]
    except Refused:
        pass  # without the package the band alone is heard
    return found


def _read(path: Path) -> Stereo:
    blocks = np.concatenate([as_float(block) for block in decoded(path)])
    return np.repeat(blocks, 2, axis=1) if blocks.shape[1] == 1 else blocks[:, :2]


def _filtered(order: int, hz: float) -> Callable[[Stereo], Stereo]:
    sections = signal.butter(order, hz, fs=RATE_HZ, output="sos")
    return lambda sound: np.asarray(signal.sosfilt(sections, sound, axis=0))


def _old(sound: Stereo) -> Stereo:
    """A shellac record: 150 Hz to 5 kHz, mono, under crackle and hiss."""
    rng = np.random.default_rng(1)
    band = signal.butter(2, (150, 5_000), "bandpass", fs=RATE_HZ, output="sos")
    mono = signal.sosfilt(band, sound.mean(axis=1)) + 0.01 * rng.standard_normal(len(sound))
    mono[rng.integers(0, len(mono), len(mono) // 400)] += rng.normal(0, 0.3, len(mono) // 400)
    return np.repeat(mono[:, None], 2, axis=1)


def _radio(sound: Stereo) -> Stereo:
    """As a tuner gives it: nothing above 15 kHz."""
    sections = signal.ellip(7, 0.2, 60, 15_000, fs=RATE_HZ, output="sos")
    return np.asarray(signal.sosfilt(sections, sound, axis=0))


_HARMS: dict[str, Callable[[Stereo], Stereo]] = {
    "as they are": lambda sound: sound,
    "quiet, 40 dB down": lambda sound: 0.01 * sound,
    "dark, above 4 kHz 24 dB an octave": _filtered(4, 4_000),
    "dark, above 10 kHz 48 dB an octave": _filtered(8, 10_000),
    "old": _old,
    "radio": _radio,
    "from 48 kHz by soxr": lambda sound: soxr.resample(soxr.resample(sound, RATE_HZ, 48_000), 48_000, RATE_HZ),
    "from 96 kHz, made there": lambda sound: soxr.resample(
        soxr.resample(sound, RATE_HZ, 96_000)
        + 1e-3 * np.random.default_rng(2).standard_normal((round(len(sound) * 96_000 / RATE_HZ), 2)),
        96_000, RATE_HZ,
    ),
    "faded and normalised": lambda sound: sound * np.linspace(0, 1, len(sound))[:, None] ** 2 / np.abs(sound).max(),
}  # fmt: skip


def coded(sound: Stereo, kind: str, kbit_s: int, folder: Path, *, cut: int = 357) -> Stereo:
    """A sound after a coder: encoded, decoded, and `cut` at the beginning as a track may be."""
    path = folder / f"coded.{'mp3' if kind == 'mp3' else 'm4a'}"
    encode(path, sound.astype(np.float32), RATE_HZ, kind, kbit_s=kbit_s)
    return np.concatenate([as_float(block) for block in decoded(path)])[cut:]
