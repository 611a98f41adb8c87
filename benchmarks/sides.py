"""Sides of which every start and end is known: music put on carriers that crackle, hiss, hum and run at a wrong speed.

The truth about a start or an end is what a listener could hear of it: the first and last moment at which the clean
music lies above its masked threshold in the carrier's own noise, in any critical band (a tone is heard in noise of
its own critical band from about 4 dB under that noise's level on: Zwicker and Fastl, Psychoacoustics, 1999; from
memory). It is measured on music and noise apart, before they are mixed, which the finder cannot do.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace

import numpy as np
import numpy.typing as npt
import soxr
from scipy.signal import butter, sosfilt

from benchmarks.music import RATE_HZ, Piece, Stereo, excerpt
from inkwell_groove.demo.surface import crackle, groove_noise, hum, needle_drop

Rng = np.random.Generator
_BARK_HZ = (100, 200, 300, 400, 510, 630, 770, 920, 1_080, 1_270, 1_480, 1_720, 2_000, 2_320, 2_700, 3_150, 3_700,
            4_400, 5_300, 6_400, 7_700, 9_500)  # fmt: skip
_MASKED_DB = -4.0


@dataclass(frozen=True)
class Song:
    """A track to be laid on a side, before the carrier's speed. `gap_s` follows it; below 0 the next overlaps it."""

    seconds: float
    gap_s: float = 2.0
    fade_in_s: float = 0.0
    fade_out_s: float = 0.0
    rests_s: tuple[float, ...] = ()
    level_db: float = 0.0
    applause_s: float = 0.0  # after it, before the next; there is no quiet between
    butts: bool = False  # cut off where the next begins, with no ring


@dataclass(frozen=True)
class Carrier:
    """What plays, and what it adds."""

    kind: str = "LP"
    speed: float = 1.0
    noise_dbfs: float = -62.0
    rise_db: float = 0.0  # of the noise, from the first groove to the last
    ticks_per_s: float = 6.0
    clicks_per_s: float = 0.6
    hum_dbfs: float = -70.0
    lead_in_s: float = 4.0
    run_out_s: float = 9.0
    silence_s: float = 0.0  # of the deck, before the needle and after it
    thumps: int = 0  # within the gaps
    mono: bool = False
    swish_db: float = 0.0  # by which the noise swells and sinks once a turn
    peak_db: float = -5.0


@dataclass(frozen=True)
class Truth:
    """Seconds of the recording. `start_from` to `start` is right too for a boundary within applause, and so on."""

    start: float
    end: float
    fades_in: bool = False
    fades_out: bool = False
    start_unsure: str = ""  # "segue" or "applause"
    end_unsure: str = ""
    start_window: tuple[float, float] | None = None
    end_window: tuple[float, float] | None = None


@dataclass
class Side:
    situation: str
    seed: int
    audio: Stereo
    truth: list[Truth]
    durations: list[float | None]
    speed: float
    kind: str
    plain: bool
    disbelieved: set[int] = field(default_factory=set)
    turns: list[float] = field(default_factory=list)
    order: list[int] = field(default_factory=list)  # of the catalogue's tracks on the side, where it is not its own

    @property
    def seconds(self) -> float:
        return len(self.audio) / RATE_HZ


@dataclass
class Bench:
    situation: str
    seed: int
    rng: Rng
    music: list[Piece]

    def play(
        self,
        songs: list[Song],
        carrier: Carrier,
        *,
        plain: bool = True,
        catalogue: Callable[[list[float]], list[float | None]] | None = None,
    ) -> Side:
        """Lays the songs on the carrier. `catalogue` makes the stated durations from the true ones."""
        rng, speed = self.rng, carrier.speed
        sounds = [self._sound(song, speed, carrier) for song in songs]
        at = round((carrier.silence_s + carrier.lead_in_s) * RATE_HZ)
        places = []
        for song, sound in zip(songs, sounds, strict=True):
            places.append((at, at + len(sound)))
            at += len(sound) + round(max(song.gap_s, -len(sound) / RATE_HZ / 3) / speed * RATE_HZ)
            at += round(song.applause_s * RATE_HZ)
        last = places[-1][1] + round(songs[-1].applause_s * RATE_HZ)
        samples = last + round((carrier.run_out_s + carrier.silence_s) * RATE_HZ)
        noise = self._noise(samples, carrier)
        clean = np.zeros((samples, 2), np.float32)
        gain = 10 ** (carrier.peak_db / 20)
        threshold = _masked(noise, songs_end=last)
        truth = []
        for number, (song, sound, (first, end)) in enumerate(zip(songs, sounds, places, strict=True)):
            clean[first:end] += sound * gain
            heard = _audible(sound * gain, threshold)
            before = songs[number - 1] if number else None
            truth.append(
                Truth(
                    (first + heard[0]) / RATE_HZ,
                    (first + heard[1]) / RATE_HZ,
                    fades_in=song.fade_in_s > 0,
                    fades_out=song.fade_out_s > 0,
                    start_unsure=_unsure(before),
                    end_unsure=_unsure(song if number + 1 < len(songs) else None),
                )
            )
            if song.applause_s:
                extra = round(0.8 * RATE_HZ)
                claps = _applause(round(song.applause_s * RATE_HZ) + extra, rng) * gain * 0.35
                from_ = end - extra
                clean[from_ : from_ + len(claps)] += claps[: samples - from_]
        truth = _windows(truth, songs)
        durations = [song.seconds for song in songs]
        stated = catalogue(durations) if catalogue else [round(value) * 1.0 for value in durations]
        audio = clean + noise
        if carrier.mono:
            audio[:] = audio.mean(axis=1, keepdims=True)
        self._damage(audio, carrier, places)
        audio = np.clip(audio, -1, 1)
        return Side(self.situation, self.seed, audio, truth, stated, speed, carrier.kind, plain)

    def _sound(self, song: Song, speed: float, carrier: Carrier) -> Stereo:
        rng = self.rng
        while True:
            piece = self.music[int(rng.integers(len(self.music)))]
            if piece.seconds > song.seconds + 20:
                sound = excerpt(piece, float(rng.uniform(2, piece.seconds - song.seconds - 14)), song.seconds)
                if sound is not None:
                    break
        if speed != 1.0:
            sound = soxr.resample(sound, RATE_HZ * speed, RATE_HZ)
        sound = np.asarray(sound * 10 ** (song.level_db / 20), np.float32)
        shape = np.ones(len(sound))
        shape[:200] = np.linspace(0, 1, 200)
        if song.fade_in_s:
            n = round(song.fade_in_s / speed * RATE_HZ)
            shape[:n] *= np.linspace(0, 1, n) ** 2
        if song.fade_out_s:
            n = round(song.fade_out_s / speed * RATE_HZ)
            shape[-n:] *= np.linspace(1, 0, n) ** 2
        elif not song.butts:
            n = round(float(rng.uniform(0.4, 2.5)) * RATE_HZ)  # the last chord rings, and is damped
            shape[-n:] *= np.exp(-5.0 * np.linspace(0, 1, n)) * np.linspace(1, 0, n) ** 0.5
        shape[-200:] *= np.linspace(1, 0, 200)
        for number, rest_s in enumerate(song.rests_s):
            middle = round(len(sound) * (number + 1) / (len(song.rests_s) + 1))
            n, edge = round(rest_s * RATE_HZ), round(0.04 * RATE_HZ)
            shape[middle : middle + n] = 0
            shape[middle - edge : middle] *= np.linspace(1, 0, edge)
            shape[middle + n : middle + n + edge] *= np.linspace(0, 1, edge)
        return np.asarray(sound * shape[:, None], np.float32)

    def _noise(self, samples: int, carrier: Carrier) -> Stereo:
        rng = self.rng
        if carrier.kind == "cassette":
            white = rng.standard_normal((samples, 2))
            hiss = sosfilt(butter(1, 900, btype="highpass", fs=RATE_HZ, output="sos"), white, axis=0) + 0.3 * white
            noise = 10 ** (carrier.noise_dbfs / 20) * hiss / hiss.std()
        else:
            noise = groove_noise(samples, RATE_HZ, level_dbfs=carrier.noise_dbfs, rng=rng)
        noise *= 10 ** (np.linspace(0, carrier.rise_db, samples)[:, None] / 20)
        if carrier.swish_db:
            turn = 1.8 / carrier.speed
            noise *= 10 ** (
                carrier.swish_db / 2 * np.sin(2 * np.pi * np.arange(samples) / RATE_HZ / turn)[:, None] / 20
            )
        if carrier.hum_dbfs > -90:
            noise += hum(samples, RATE_HZ, frequency_hz=50.0, level_dbfs=carrier.hum_dbfs)
        quiet = round(carrier.silence_s * RATE_HZ)
        if quiet:  # the deck alone, 20 dB under the groove
            noise[:quiet] *= 0.1
            noise[-quiet:] *= 0.1
        return np.asarray(noise, np.float32)

    def _damage(self, audio: Stereo, carrier: Carrier, places: list[tuple[int, int]]) -> None:
        rng, samples = self.rng, len(audio)
        if carrier.kind == "cassette":
            return
        quiet = round(carrier.silence_s * RATE_HZ)
        groove = audio[quiet : samples - quiet or None]
        groove += crackle(len(groove), RATE_HZ, per_second=carrier.ticks_per_s, level_dbfs=-44.0, rng=rng)
        _click(
            groove, rng.integers(0, len(groove) - 100, rng.poisson(carrier.clicks_per_s * len(groove) / RATE_HZ)), rng
        )
        thump = needle_drop(RATE_HZ, rng=rng)
        drop = quiet + round(0.3 * RATE_HZ)
        audio[drop : drop + len(thump)] += thump
        for _ in range(carrier.thumps):
            _, end = places[int(rng.integers(len(places)))]
            spot = end + round(0.7 * RATE_HZ)
            audio[spot : spot + len(thump)] += thump[: max(0, samples - spot)]
        # The locked groove: a click at the same place of every turn.
        turn = {"78": 60 / 78.26, "45": 60 / 45}.get(carrier.kind, 1.8) / carrier.speed
        end_s = (samples - quiet) / RATE_HZ
        turns = np.arange(places[-1][1] / RATE_HZ + 0.35 * carrier.run_out_s, end_s - 0.1, turn)
        _click(audio, np.round(turns * RATE_HZ).astype(int), rng, low_db=-20, high_db=-14)


def _unsure(song: Song | None) -> str:
    """Why the boundary after a song is no clear one."""
    if song is None:
        return ""
    if song.applause_s:
        return "applause"
    return "segue" if song.gap_s <= 0 else ""


def _windows(truth: list[Truth], songs: list[Song]) -> list[Truth]:
    """In applause, and where two tracks overlap, any place within it is right."""
    out = list(truth)
    for i in range(len(out)):
        if songs[i].applause_s:
            # The clapping begins in the last chord; a track may keep all of it.
            window = (out[i].end - 0.8, out[i + 1].start if i + 1 < len(out) else out[i].end + songs[i].applause_s)
            out[i] = replace(out[i], end_window=window, end_unsure="applause")
            if i + 1 < len(out):
                out[i + 1] = replace(out[i + 1], start_window=window)
        elif songs[i].gap_s < 0 and i + 1 < len(out):
            window = (out[i + 1].start, out[i].end)
            out[i] = replace(out[i], end_window=window)
            out[i + 1] = replace(out[i + 1], start_window=window)
    return out


def _click(audio: Stereo, at: npt.NDArray[np.int64], rng: Rng, *, low_db: float = -26.0, high_db: float = -8.0) -> None:
    for first in at:
        length = int(rng.uniform(0.0001, 0.0012) * RATE_HZ) + 3
        t = np.arange(length) / RATE_HZ
        ring = np.exp(-t * rng.uniform(2_500, 6_000)) * np.cos(2 * np.pi * rng.uniform(800, 6_000) * t)
        ring *= 10 ** (rng.uniform(low_db, high_db) / 20)
        room = audio[first : first + length]
        room += (ring[: len(room), None] * np.array([1.0, rng.uniform(0.3, 1.0)])).astype(np.float32)


def _applause(samples: int, rng: Rng) -> Stereo:
    """Hundreds of hands: bursts of noise between 0.8 and 4 kHz a few milliseconds long, swelling and dying away."""
    out = np.zeros((samples, 2))
    seconds = samples / RATE_HZ
    swell = np.interp(np.arange(samples) / RATE_HZ, [0, 0.6, 0.6 * seconds, seconds], [0.0, 1.0, 0.9, 0.12])
    for channel in range(2):
        count = rng.poisson(900 * seconds)
        train = np.zeros(samples)
        np.add.at(train, rng.integers(0, samples, count), rng.exponential(1.0, count) * rng.choice([-1, 1], count))
        decay = np.exp(-np.arange(400) / 130.0) * rng.standard_normal(400)
        out[:, channel] = np.convolve(train, decay)[:samples]
    band = sosfilt(butter(2, [700, 4_500], btype="bandpass", fs=RATE_HZ, output="sos"), out, axis=0)
    band = band / np.abs(band).max() * swell[:, None]
    return np.asarray(band, np.float32)


def _bands(mono: npt.NDArray[np.floating]) -> npt.NDArray[np.float64]:
    """(samples,) to (frames, bands): mean power in critical bands, 20 ms frames every 10 ms."""
    width, hop = 882, 441
    if len(mono) < width:
        return np.zeros((0, len(_BARK_HZ) - 1))
    frames = np.lib.stride_tricks.sliding_window_view(mono, width)[::hop]
    hz = np.fft.rfftfreq(1_024, 1 / RATE_HZ)
    edges = np.searchsorted(hz, _BARK_HZ)
    out = np.empty((len(frames), len(edges) - 1))
    window = np.hanning(width)
    for first in range(0, len(frames), 2_000):
        power = np.abs(np.fft.rfft(frames[first : first + 2_000] * window, 1_024)) ** 2
        out[first : first + 2_000] = np.add.reduceat(power, edges, axis=1)[:, :-1]
    return out


def _masked(noise: Stereo, *, songs_end: int) -> npt.NDArray[np.float64]:
    """(bands,) power that music must reach to be heard: from the middle of the groove's noise."""
    middle = songs_end // 2
    part = noise[max(0, middle - 5 * RATE_HZ) : middle + 5 * RATE_HZ].mean(axis=1)
    return np.asarray(_bands(part).mean(axis=0) * 10 ** (_MASKED_DB / 10))


def _audible(sound: Stereo, threshold: npt.NDArray[np.float64]) -> tuple[int, int]:
    """First and last sample of a track that can be heard."""
    heard = (_bands(sound.mean(axis=1)) > threshold).any(axis=1)
    steady = np.convolve(heard, np.ones(10), "same") >= 5
    at = np.flatnonzero(steady & heard)
    if not len(at):
        return 0, len(sound)
    first = int(at[0]) * 441
    return (0 if first <= 882 else first + 220), min(len(sound), int(at[-1]) * 441 + 661)
