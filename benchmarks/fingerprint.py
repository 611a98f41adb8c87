"""What fingerprints bear, on real music: bit error rates of the same and of different recordings, and look-ups.

Sixty excerpts of 40 s from Debian's music packages, each harmed in every way that a carrier or a copy harms it; a
million pairs of blocks of different music; and 10,000 recordings to find one among. The others of those are the prints
of real music with their bits moved to other bands, which keeps how prints follow one another in time.
"""

from __future__ import annotations

import io
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import av
import numpy as np
import numpy.typing as npt
import soxr
from scipy.signal import butter, sosfilt

from benchmarks.music import RATE_HZ, excerpt, pieces
from inkwell_groove.core.fingerprint import prints
from inkwell_groove.core.fingerprint.index import FingerprintIndex
from inkwell_groove.core.fingerprint.likeness import SAME_UNDER, rates_along
from inkwell_groove.core.fingerprint.prints import BITS, BLOCK, HOP_S, Printed, Prints, of_mono

COUNT, SECONDS = 60, 40.0
PAIRS = 1_000_000
RECORDINGS, RECORDING_S = 10_000, 60.0
Mono = npt.NDArray[np.float32]


def run(folder: Path) -> Iterator[str]:
    music, piece = _music(folder)
    clean = [_of(one) for one in music]
    yield f"{len(music)} excerpts of {SECONDS:.0f} s; bit error rates of blocks of 256 prints, 3 s"
    yield "harm                     middle   95 in 100   under 0.35"
    for name, harm in HARMS.items():
        rates = np.concatenate(
            [_rates(one, _of(harm(sound, place))) for place, (one, sound) in enumerate(zip(clean, music, strict=True))]
        )
        yield f"{name:22} {np.median(rates):8.3f} {np.quantile(rates, 0.95):11.3f} {np.mean(rates < SAME_UNDER):12.2%}"
    yield from _speeds(music, clean)
    yield from _different(clean, piece)
    yield from _look_ups(music, clean, piece)


def _music(folder: Path) -> tuple[list[Mono], list[int]]:
    """Excerpts, and the piece each is from: a piece repeats itself, so two excerpts of one may be the same music."""
    found = []
    for number, piece in enumerate(pieces(folder)):
        for start_s in np.arange(20.0, piece.seconds - SECONDS - 10, 180.0):
            sound = excerpt(piece, float(start_s), SECONDS)
            if sound is not None and len(sound) == round(SECONDS * RATE_HZ):
                found.append((sound.mean(axis=1), number))
    step = max(1, len(found) // COUNT)
    chosen = found[::step][:COUNT]
    return [sound for sound, _ in chosen], [number for _, number in chosen]


def _of(mono: Mono, speed: float = 1.0) -> Prints:
    return _printed(mono, speed).prints


def _printed(mono: Mono, speed: float = 1.0) -> Printed:
    return of_mono(soxr.resample(mono, RATE_HZ / speed, prints.RATE_HZ, quality="MQ").astype(np.float32))


def _rates(one: Prints, other: Prints) -> npt.NDArray[np.float64]:
    return rates_along(one, other, 0)


def _hiss(level_db: float) -> Callable[[Mono, int], Mono]:
    def harm(mono: Mono, seed: int) -> Mono:
        noise = np.random.default_rng(seed).normal(0.0, 1.0, len(mono)).astype(np.float32)
        return mono + noise * np.float32(np.sqrt((mono**2).mean()) * 10 ** (level_db / 20))

    return harm


def _crackle(mono: Mono, seed: int) -> Mono:
    """Eight clicks a second, some of them louder than the music."""
    rng = np.random.default_rng(seed)
    out = mono.copy()
    at = rng.integers(0, len(mono) - 64, round(8 * SECONDS))
    shape = np.exp(-np.arange(48) / 9.0) * np.cos(np.arange(48) * 0.8)
    loud = rng.exponential(0.35, len(at)) * rng.choice((-1, 1), len(at))
    np.add.at(out, (at[:, None] + np.arange(48)).ravel(), (loud[:, None] * shape).astype(np.float32).ravel())
    return out


def _telephone(mono: Mono, seed: int) -> Mono:
    return np.asarray(sosfilt(butter(4, (300, 3_400), "bandpass", fs=RATE_HZ, output="sos"), mono), np.float32)


def _mp3(mono: Mono, seed: int) -> Mono:
    """Encoded at 96 kbit/s and decoded; what the encoder puts before it is cut away."""
    file = io.BytesIO()
    with av.open(file, "w", format="mp3") as out:
        stream = out.add_stream("libmp3lame", rate=RATE_HZ)
        stream.bit_rate, stream.layout = 96_000, "mono"
        whole = np.clip(mono * 32_000, -32_768, 32_767).astype(np.int16)
        for first in range(0, len(whole), 1_152):
            frame = av.AudioFrame.from_ndarray(whole[None, first : first + 1_152], format="s16p", layout="mono")
            frame.sample_rate, frame.pts = RATE_HZ, first
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
    file.seek(0)
    with av.open(file) as back:
        parts = [frame.to_ndarray().mean(axis=0) for frame in back.decode(audio=0)]
    decoded = np.concatenate(parts).astype(np.float32)
    window = slice(RATE_HZ, 3 * RATE_HZ)
    lag = int(np.argmax(np.correlate(decoded[window.start : window.stop + 4_000], mono[window], "valid")))
    return decoded[lag : lag + len(mono)]


HARMS: dict[str, Callable[[Mono, int], Mono]] = {
    "hiss at -20 dB": _hiss(-20.0),
    "hiss at -10 dB": _hiss(-10.0),
    "crackle": _crackle,
    "telephone band": _telephone,
    "MP3 at 96 kbit/s": _mp3,
}


def _speeds(music: list[Mono], clean: list[Prints]) -> Iterator[str]:
    """Blocks of a recording that runs too fast or slow: as they are, and with the speed tried that fits."""
    for speed in (1.005, 1.01, 1.02, 0.98):
        alone, tried = [], []
        for sound, one in zip(music, clean, strict=True):
            for at_s in (8.0, 20.0, 32.0):
                fast = soxr.resample(sound, RATE_HZ * speed, RATE_HZ, quality="MQ").astype(np.float32)
                first = round(at_s / speed * RATE_HZ)
                part = fast[first : first + round(4.0 * RATE_HZ)]
                here = one[round(at_s / HOP_S) - 8 : round(at_s / HOP_S) + BLOCK + 40]
                alone.append(_best(here, _of(part)[:BLOCK]))
                tried.append(
                    min(_best(here, _of(part, ratio)[:BLOCK]) for ratio in np.round(np.arange(0.976, 1.0241, 0.006), 3))
                )
        yield (
            f"speed x{speed:5.3f}           {np.median(alone):8.3f} {np.quantile(alone, 0.95):11.3f} "
            f"{np.mean(np.array(alone) < SAME_UNDER):12.2%}   with speeds tried: {np.median(tried):.3f}, "
            f"{np.quantile(tried, 0.95):.3f}, {np.mean(np.array(tried) < SAME_UNDER):.2%}"
        )


def _best(here: Prints, block: Prints) -> float:
    return min(
        float(np.bitwise_count(here[at : at + len(block)] ^ block).sum()) / (BITS * len(block))
        for at in range(len(here) - len(block) + 1)
    )


def _different(clean: list[Prints], piece: list[int]) -> Iterator[str]:
    rng = np.random.default_rng(1)
    rates = np.empty(PAIRS)
    for nth in range(PAIRS):
        one, other = rng.integers(0, len(clean), 2)
        while piece[one] == piece[other]:
            one, other = rng.integers(0, len(clean), 2)
        a, b = (int(rng.integers(0, len(clean[which]) - BLOCK)) for which in (one, other))
        rates[nth] = np.bitwise_count(clean[one][a : a + BLOCK] ^ clean[other][b : b + BLOCK]).sum()
    rates /= BITS * BLOCK
    false = int((rates < SAME_UNDER).sum())
    yield (
        f"{PAIRS:,} pairs of blocks of different pieces: middle {np.median(rates):.3f}, "
        f"deviation {rates.std():.4f}, least {rates.min():.3f}; under 0.35: {false} ({false / PAIRS:.1e})"
    )


def _look_ups(music: list[Mono], clean: list[Prints], piece: list[int]) -> Iterator[str]:
    rng = np.random.default_rng(2)
    length = round(RECORDING_S / HOP_S)
    recordings: dict[int, Prints] = dict(enumerate(clean))
    while len(recordings) < RECORDINGS:
        recordings[len(recordings)] = _moved(clean[int(rng.integers(len(clean)))], length, rng)
    began = time.perf_counter()
    index = FingerprintIndex(recordings)
    yield f"an index of {len(index):,} recordings of {RECORDING_S:.0f} s made in {time.perf_counter() - began:.1f} s"
    for name, harm in {"clean": lambda mono, seed: mono, **HARMS}.items():
        found, false, spent = [], [], []
        for which, sound in enumerate(music):
            harmed = harm(sound, which)
            for at_s in (6.0, 24.0):
                part = harmed[round(at_s * RATE_HZ) : round((at_s + 3.8) * RATE_HZ)]
                printed = _printed(part)
                began = time.perf_counter()
                hits = index.find(printed)
                spent.append(1000 * (time.perf_counter() - began))
                found.append(any(one.name == which for one in hits))
                others = [one.name for one in hits if one.name >= len(piece) or piece[one.name] != piece[which]]
                false.append(bool(others))
        yield (
            f"3.5 s, {name:18} found {np.mean(found):6.1%}, something else {np.mean(false):.1%}; "
            f"{np.median(spent):5.1f} ms in the middle, "
            f"{np.quantile(spent, 0.95):5.1f} ms 95 in 100, {max(spent):5.1f} ms at most"
        )


def _moved(real: Prints, length: int, rng: np.random.Generator) -> Prints:
    """Prints of something else: real ones with their bits in other places, some turned over, begun elsewhere."""
    turn, mask = int(rng.integers(1, BITS)), np.uint32(rng.integers(0, 2**32, dtype=np.uint64))
    moved = (real << np.uint32(turn)) | (real >> np.uint32(BITS - turn))
    return np.resize(np.roll(moved ^ mask, int(rng.integers(len(real)))), length)
