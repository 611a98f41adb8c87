"""Carriers for the simulated decks: the single, the shellac and the cassette of the demo archive, ready to be played.

What lies in a file is what leaves the deck's amplifier when the carrier is played as `played_at` says, from the moment
the stylus lands. The truth about each side is kept beside it.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt
import soundfile
from scipy.fft import irfft, next_fast_len, rfft
from scipy.signal import butter, sosfilt

from inkwell_groove.demo.sides import SideTruth, TrueTrack
from inkwell_groove.demo.surface import Click, Stereo, clicks, crackle, groove_noise, hum, needle_drop
from inkwell_groove.demo.tunes import Tune, play

RATE_HZ = 48_000
CARRIERS_FOLDER = "carriers"
_LEAN_US = 60.0
_SHELLAC_RPM, _PLAYED_RPM = 78.26, 45.0


@dataclass(frozen=True)
class CarrierScript:
    """One carrier, and what is on each of its sides."""

    shelfmark: str
    name: str
    kind: str
    played_at: str
    sides: tuple[tuple[str, tuple[Tune, ...]], ...]
    seed: int


CARRIERS = (
    CarrierScript(
        shelfmark="WH-0031",
        name="Slack Water / Paper Oars",
        kind="record",
        played_at="45",
        sides=(("A", (Tune("Slack Water", 44, 31, 138, 4),)), ("B", (Tune("Paper Oars", 39, 32, 124, 9),))),
        seed=3100,
    ),
    CarrierScript(
        shelfmark="WH-0044",
        name="Bellows Reel",
        kind="record",
        played_at="45",
        sides=(
            ("A", (Tune("Bellows Reel", 30, 44, 126, 2, drums=False),)),
            ("B", (Tune("Corrin Hornpipe", 27, 45, 112, 7, drums=False),)),
        ),
        seed=4400,
    ),
    CarrierScript(
        shelfmark="WH-0057",
        name="Kiln Lane Tapes",
        kind="cassette",
        played_at="4.76",
        sides=(
            ("A", (Tune("Net Menders", 26, 57, 80, 0, drums=False), Tune("Brickyard Gate", 22, 58, 96, 5))),
            ("B", (Tune("Kiln Lane, evening", 30, 59, 72, 3, drums=False),)),
        ),
        seed=5700,
    ),
)


def write_carrier(script: CarrierScript, folder: Path) -> str:
    """Writes a carrier's sound, its card for the simulated decks, and the truth about it; its shelfmark."""
    make = {"WH-0031": _single, "WH-0044": _shellac, "WH-0057": _cassette}[script.shelfmark]
    cards, truths = [], []
    for letter, audio, run_out, told_of in make(script):
        name = f"{script.shelfmark} {letter}.flac"
        whole = np.rint(np.clip(audio, -1.0, 1.0 - 2.0**-23) * 8388608.0).astype(np.int32) << 8
        soundfile.write(str(folder / name), whole, RATE_HZ, subtype="PCM_24")
        cards.append({"letter": letter, "file": name, "run_out_sample": run_out})
        truth = SideTruth(script.shelfmark, letter, RATE_HZ, len(audio), _speed_of(script), **told_of)
        truths.append(truth.as_json())
    told = {"shelfmark": script.shelfmark, "name": script.name, "kind": script.kind, "played_at": script.played_at}
    (folder / f"{script.shelfmark}.truth.json").write_text(json.dumps(truths, indent=1))
    (folder / f"{script.shelfmark}.carrier.json").write_text(json.dumps({**told, "sides": cards}, indent=1))
    return script.shelfmark


def _speed_of(script: CarrierScript) -> float:
    return {"WH-0044": _PLAYED_RPM / _SHELLAC_RPM, "WH-0057": 1 / 1.012}.get(script.shelfmark, 1.0)


Side = tuple[str, Stereo, int, dict[str, Any]]  # letter, sound, where it runs out, and the truth about it


def _single(script: CarrierScript) -> list[Side]:
    """A 45 with hi-hats, and a scratch that comes once a turn for a third of the side."""
    sides = []
    for number, (letter, (tune,)) in enumerate(script.sides):
        rng = np.random.default_rng(script.seed + number)
        turn = round(60.0 / 45.0 * RATE_HZ)
        strokes, at_strokes = _hi_hats(tune, rng)
        music = np.column_stack(play(tune, RATE_HZ, speed=1.0)) + strokes
        audio, start, run_out = _on_groove(music * (0.5 / np.abs(music).max()), lead_in_s=2.2, turn=turn, turns=9)
        found = _surface(audio, rng, noise_dbfs=-60.0, clicks_per_s=0.5)
        scratch = np.exp(-np.arange(90) / 14.0) * np.cos(np.arange(90) * 0.9) * 0.42
        turns = tuple(range(start + 9 * RATE_HZ, start + 23 * RATE_HZ, turn))
        for at in turns:
            audio[at : at + 90] += scratch[:, None] * np.array([1.0, 0.8])
        _land(audio, rng)
        told: dict[str, Any] = {"tracks": (_track(tune, start, len(music)),), "clicks": tuple(found), "scratch": turns}
        sides.append((letter, audio, run_out, {**told, "hi_hats": tuple(start + at for at in at_strokes)}))
    return sides


def _shellac(script: CarrierScript) -> list[Side]:
    """A 78 played at 45 through a modern equaliser: slow, and with a treble that was never meant to be cut."""
    sides = []
    for number, (letter, (tune,)) in enumerate(script.sides):
        rng = np.random.default_rng(script.seed + number)
        speed = _speed_of(script)
        music = np.column_stack(play(tune, RATE_HZ, speed=speed))
        mono = np.repeat(music.mean(axis=1, keepdims=True), 2, axis=1)
        turn = round(60.0 / _PLAYED_RPM * RATE_HZ)
        audio, start, run_out = _on_groove(mono * (0.5 / np.abs(mono).max()), lead_in_s=2.0, turn=turn, turns=9)
        groove = crackle(len(audio), RATE_HZ, per_second=420.0, level_dbfs=-27.0, rng=rng)
        groove += groove_noise(len(audio), RATE_HZ, level_dbfs=-40.0, rng=rng)
        damage, found = clicks(len(audio), RATE_HZ, per_second=6.0, rng=rng)
        both = _as_equalised(audio + groove + damage, true_speed=1.0 / speed)
        both += hum(len(both), RATE_HZ, frequency_hz=50.0, level_dbfs=-66.0)
        both *= 0.6 / np.abs(both).max()
        _land(both, rng)
        told = {"tracks": (_track(tune, start, len(music)),), "clicks": tuple(found), "cut_with": "250/0"}
        sides.append((letter, both, run_out, told))
    return sides


def _cassette(script: CarrierScript) -> list[Side]:
    """Both sides in one take: hiss, 1.2 % slow, azimuth a little off, one dropout, a noisy turn-over."""
    rng = np.random.default_rng(script.seed)
    speed = _speed_of(script)
    pieces: list[Stereo] = [np.zeros((4 * RATE_HZ, 2))]
    tracks, at = [], len(pieces[0])
    for letter, tunes in script.sides:
        for tune in tunes:
            music = np.column_stack(play(tune, RATE_HZ, speed=speed)) * 0.9
            tracks.append(_track(tune, at, len(music)))
            gap = np.zeros((round(2.5 * RATE_HZ), 2))
            pieces += [music, gap]
            at += len(music) + len(gap)
        if letter == "A":
            clatter = _clatter(rng)
            pieces.append(clatter)
            at += len(clatter)
    audio = np.concatenate([*pieces, np.zeros((3 * RATE_HZ, 2))])
    audio *= 0.45 / np.abs(audio).max()
    dropout = tracks[1].start_sample + 7 * RATE_HZ
    audio[dropout : dropout + round(0.12 * RATE_HZ)] *= 0.06
    # The right channel lags by 60 microseconds: the head leans.
    size = next_fast_len(len(audio), real=True)
    spectrum = rfft(audio[:, 1], size)
    spectrum *= np.exp(-2j * np.pi * np.fft.rfftfreq(size, 1.0 / RATE_HZ) * _LEAN_US * 1e-6)
    audio[:, 1] = irfft(spectrum, size)[: len(audio)]
    audio += 10 ** (-54 / 20) * sosfilt(_HISS, rng.standard_normal(audio.shape), axis=0)
    told = {
        "tracks": tuple(tracks),
        "clicks": (),
        "azimuth_us": _LEAN_US,
        "dropouts": ((dropout, dropout + round(0.12 * RATE_HZ)),),
    }
    return [("A", audio, len(audio) - 2 * RATE_HZ, told)]


_HISS = butter(1, 900, btype="highpass", fs=RATE_HZ, output="sos")


def _on_groove(music: Stereo, *, lead_in_s: float, turn: int, turns: int) -> tuple[Stereo, int, int]:
    """Music behind a lead-in and before a run-out of whole turns, which tick: (audio, first sample, run-out)."""
    start = round(lead_in_s * RATE_HZ)
    run_out = start + len(music) + RATE_HZ
    audio = np.zeros((run_out + turns * turn, 2))
    audio[start : start + len(music)] = music
    tick = np.exp(-np.arange(700) / 130.0) * np.sin(np.arange(700) * 0.05) * 0.06
    for number in range(turns):
        audio[run_out + number * turn + 500 :][:700] += tick[:, None]
    return audio, start, run_out


def _surface(audio: Stereo, rng: np.random.Generator, *, noise_dbfs: float, clicks_per_s: float) -> list[Click]:
    audio += groove_noise(len(audio), RATE_HZ, level_dbfs=noise_dbfs, rng=rng)
    audio += crackle(len(audio), RATE_HZ, per_second=10.0, level_dbfs=-46.0, rng=rng)
    damage, found = clicks(len(audio), RATE_HZ, per_second=clicks_per_s, rng=rng)
    audio += damage
    return found


def _land(audio: Stereo, rng: np.random.Generator) -> None:
    thump = needle_drop(RATE_HZ, rng=rng)
    audio[: len(thump)] += thump


def _track(tune: Tune, start: int, samples: int) -> TrueTrack:
    return TrueTrack(tune.title, start, start + samples, tune.duration_s)


def _hi_hats(tune: Tune, rng: np.random.Generator) -> tuple[Stereo, list[int]]:
    """A closed hi-hat on every half beat, as short and bright as a click, but music; and where they are."""
    samples = round(tune.duration_s * RATE_HZ)
    out = np.zeros((samples, 2))
    half = 30.0 / tune.beats_per_minute
    sos = butter(3, 6_500, btype="highpass", fs=RATE_HZ, output="sos")
    t = np.arange(round(0.05 * RATE_HZ)) / RATE_HZ
    places = [round(number * half * RATE_HZ) for number in range(int(tune.duration_s / half) - 4)]
    for at in places:
        stroke = sosfilt(sos, rng.standard_normal(len(t))) * np.exp(-t * rng.uniform(90, 160)) * rng.uniform(0.10, 0.2)
        out[at : at + len(t)] += stroke[:, None] * np.array([0.7, 1.0])
    return out, places


def _as_equalised(audio: Stereo, *, true_speed: float) -> Stereo:
    """As a modern equaliser gives a record that was cut with a turnover of 250 Hz and no treble boost.

    The cut knows the frequencies of the true speed, the equaliser those at which it is played.
    """
    size = next_fast_len(len(audio), real=True)
    hz = np.maximum(np.fft.rfftfreq(size, 1.0 / RATE_HZ), 1.0)
    # A turnover of 250 Hz: below it the cut falls by 6 dB an octave (down to 20 Hz, where it levels off).
    cut = _high(hz * true_speed, 1.0 / (2 * np.pi * 20.0)) / _high(hz * true_speed, 1.0 / (2 * np.pi * 250.0))
    cut *= 250.0 / 20.0
    playback = _high(hz, 318e-6) / (_high(hz, 3180e-6) * _high(hz, 75e-6))
    at_1k = _high(1_000.0, 318e-6) / (_high(1_000.0, 3180e-6) * _high(1_000.0, 75e-6))
    # The music is made as it was played in the studio, so it goes through the cut first, then through the equaliser.
    curve = (playback / at_1k) * cut
    curve /= np.interp(1_000.0, hz, curve)
    spectrum = rfft(audio, size, axis=0)
    spectrum *= curve[:, None]
    return np.asarray(irfft(spectrum, size, axis=0)[: len(audio)])


def _high(hz: npt.NDArray[np.float64] | float, seconds: float) -> npt.NDArray[np.float64]:
    return np.asarray(np.sqrt(1.0 + (2 * np.pi * np.asarray(hz) * seconds) ** 2))


def _clatter(rng: np.random.Generator) -> Stereo:
    """The deck turns the tape by itself: a click, a motor, another click."""
    samples = 5 * RATE_HZ
    t = np.arange(samples) / RATE_HZ
    motor = 0.02 * np.sin(2 * np.pi * 96 * t) * ((t > 1.0) & (t < 3.4))
    out = np.repeat(motor[:, None], 2, axis=1)
    for at_s in (0.9, 1.05, 3.4, 3.62):
        n = round(0.09 * RATE_HZ)
        knock = rng.standard_normal(n) * np.exp(-np.arange(n) / 500.0) * 0.35
        out[round(at_s * RATE_HZ) : round(at_s * RATE_HZ) + n] += knock[:, None]
    return out
