"""The situations in which the finder is tried, each a way to make a side; the same for the same seed."""

from __future__ import annotations

import zlib
from collections.abc import Callable
from dataclasses import replace

import numpy as np

from benchmarks.music import Piece
from benchmarks.sides import Bench, Carrier, Rng, Side, Song


def make(situation: str, seed: int, music: list[Piece]) -> Side:
    """The side of a situation; the same for the same seed."""
    rng = np.random.default_rng([seed, zlib.crc32(situation.encode())])
    return SITUATIONS[situation](Bench(situation, seed, rng, music))


def _songs(rng: Rng, count: int, *, low_s: float = 40.0, high_s: float = 110.0, gap: float | None = None) -> list[Song]:
    return [
        Song(float(rng.uniform(low_s, high_s)), gap_s=float(rng.uniform(1.4, 3.2)) if gap is None else gap)
        for _ in range(count)
    ]


def _stated(change: Callable[[list[float | None]], list[float | None]]) -> Callable[[list[float]], list[float | None]]:
    return lambda durations: change([float(round(value)) for value in durations])


def _plain(b: Bench) -> Side:
    return b.play(_songs(b.rng, 6), Carrier(speed=b.rng.uniform(0.99, 1.01)))


def _worn_78(b: Bench) -> Side:
    carrier = Carrier("78", b.rng.uniform(0.98, 1.02), noise_dbfs=-46, ticks_per_s=45, clicks_per_s=4, run_out_s=6)
    return b.play(_songs(b.rng, 2, low_s=60, high_s=90), replace(carrier, mono=True))


def _crackle(b: Bench) -> Side:
    return b.play(_songs(b.rng, 5), Carrier(noise_dbfs=-54, ticks_per_s=40, clicks_per_s=3))


def _rests(b: Bench) -> Side:
    songs = [replace(song, rests_s=(0.9, 1.4) if n % 2 else (1.1,)) for n, song in enumerate(_songs(b.rng, 5))]
    return b.play(songs, Carrier(speed=1.004), plain=False)


def _fade_outs(b: Bench) -> Side:
    return b.play([replace(s, fade_out_s=b.rng.uniform(6, 14)) for s in _songs(b.rng, 5)], Carrier())


def _fade_ins(b: Bench) -> Side:
    return b.play([replace(s, fade_in_s=b.rng.uniform(4, 10)) for s in _songs(b.rng, 5)], Carrier(speed=0.995))


def _segues(b: Bench) -> Side:
    songs = _songs(b.rng, 6)
    songs = [replace(s, gap_s=0.0, butts=True) if n in (1, 3) else s for n, s in enumerate(songs)]
    return b.play(songs, Carrier(speed=1.003), plain=False)


def _crossfades(b: Bench) -> Side:
    songs = [replace(s, gap_s=-3.0, fade_out_s=4.0) if n in (0, 3) else s for n, s in enumerate(_songs(b.rng, 5))]
    return b.play(songs, Carrier(), plain=False)


def _continuous(b: Bench) -> Side:
    return b.play([replace(s, gap_s=0.0, butts=True) for s in _songs(b.rng, 5)], Carrier(speed=0.997), plain=False)


def _live(b: Bench) -> Side:
    songs = [replace(s, gap_s=0.0, applause_s=b.rng.uniform(4, 10)) for s in _songs(b.rng, 5)]
    return b.play(songs, Carrier(), plain=False)


def _gap_counted(b: Bench) -> Side:
    songs = _songs(b.rng, 6)
    with_gap = [float(round(song.seconds + song.gap_s)) for song in songs]
    return b.play(songs, Carrier(speed=1.005), catalogue=lambda _: list(with_gap))


def _rounded(b: Bench) -> Side:
    return b.play(_songs(b.rng, 6), Carrier(speed=0.992), catalogue=lambda d: [5.0 * round(v / 5) for v in d])


def _one_wrong(b: Bench) -> Side:
    wrong = int(b.rng.integers(5))
    side = b.play(
        _songs(b.rng, 5),
        Carrier(speed=1.006),
        catalogue=_stated(lambda d: [v + 31.0 if n == wrong and v else v for n, v in enumerate(d)]),
    )
    side.disbelieved = {wrong}
    return side


def _some_missing(b: Bench) -> Side:
    catalogue = _stated(lambda d: [None if n in (1, 4) else v for n, v in enumerate(d)])
    return b.play(_songs(b.rng, 6), Carrier(speed=0.996), catalogue=catalogue)


def _bonus(b: Bench) -> Side:
    side = b.play(_songs(b.rng, 5), Carrier(speed=1.002), catalogue=_stated(lambda d: [*d, 143.0]))
    side.disbelieved = {5}
    return side


def _swapped(b: Bench) -> Side:
    songs = [replace(song, seconds=song.seconds + 12 * n) for n, song in enumerate(_songs(b.rng, 5))]
    side = b.play(songs, Carrier(speed=1.004), catalogue=_stated(lambda d: [d[0], d[3], d[2], d[1], d[4]]))
    side.order = [0, 3, 2, 1, 4]
    return side


def _both_sides_listed(b: Bench) -> Side:
    rest = [float(round(v)) for v in b.rng.uniform(40, 110, 4)]
    first = b.seed % 2 == 0
    side = b.play(_songs(b.rng, 4), Carrier(), catalogue=_stated(lambda d: [*d, *rest] if first else [*rest, *d]))
    side.disbelieved = {4, 5, 6, 7} if first else {0, 1, 2, 3}
    return side


def _two_sides(b: Bench) -> Side:
    carrier = Carrier(silence_s=5.0, run_out_s=8.0, speed=1.003)
    one, two = b.play(_songs(b.rng, 3), carrier), b.play(_songs(b.rng, 3), carrier)
    shift = one.seconds
    later = [replace(t, start=t.start + shift, end=t.end + shift) for t in two.truth]
    audio = np.concatenate([one.audio, two.audio])
    durations = [*one.durations, *two.durations]
    return replace(one, audio=audio, truth=[*one.truth, *later], durations=durations, turns=[shift])


def _cassette(b: Bench) -> Side:
    carrier = Carrier("cassette", b.rng.uniform(0.975, 1.025), noise_dbfs=-52, hum_dbfs=-66, lead_in_s=6, run_out_s=14)
    return b.play(_songs(b.rng, 6), carrier)


def _cassette_turned(b: Bench) -> Side:
    carrier = Carrier("cassette", 1.012, noise_dbfs=-54, lead_in_s=5, run_out_s=12, silence_s=3.0)
    one, two = b.play(_songs(b.rng, 3), carrier), b.play(_songs(b.rng, 3), carrier)
    later = [replace(t, start=t.start + one.seconds, end=t.end + one.seconds) for t in two.truth]
    return replace(
        one,
        audio=np.concatenate([one.audio, two.audio]),
        truth=[*one.truth, *later],
        durations=[*one.durations, *two.durations],
        turns=[one.seconds],
    )


def _fast(b: Bench) -> Side:
    return b.play(_songs(b.rng, 5), Carrier(speed=1.027, run_out_s=16))


def _deck_silence(b: Bench) -> Side:
    return b.play(_songs(b.rng, 5), Carrier(silence_s=6.0, noise_dbfs=-56))


def _quiet_music(b: Bench) -> Side:
    return b.play([replace(s, level_db=-16.0) for s in _songs(b.rng, 5)], Carrier(noise_dbfs=-58, ticks_per_s=12))


def _short_tracks(b: Bench) -> Side:
    songs = [replace(s, seconds=b.rng.uniform(14, 26)) if n % 2 else s for n, s in enumerate(_songs(b.rng, 8))]
    return b.play(songs, Carrier(), plain=False)


def _short_gaps(b: Bench) -> Side:
    return b.play([replace(s, gap_s=b.rng.uniform(0.5, 1.0)) for s in _songs(b.rng, 6)], Carrier(), plain=False)


def _worn_inside(b: Bench) -> Side:
    return b.play(_songs(b.rng, 6), Carrier(noise_dbfs=-62, rise_db=9.0, speed=1.003))


def _rumble(b: Bench) -> Side:
    return b.play(_songs(b.rng, 5), Carrier(noise_dbfs=-58, hum_dbfs=-46, thumps=3))


def _swish(b: Bench) -> Side:
    return b.play(_songs(b.rng, 5), Carrier(noise_dbfs=-56, swish_db=6.0, ticks_per_s=15, speed=1.004))


def _clean(b: Bench) -> Side:
    carrier = Carrier("cassette", 1.0, noise_dbfs=-92, hum_dbfs=-99, lead_in_s=1.0, run_out_s=2.0)
    return b.play(_songs(b.rng, 5), carrier)


def _cut_close(b: Bench) -> Side:
    return b.play(_songs(b.rng, 5), Carrier(lead_in_s=0.5, run_out_s=0.4, speed=0.998))


def _single(b: Bench) -> Side:
    return b.play(_songs(b.rng, 1, low_s=150, high_s=200), Carrier("45", 0.994, ticks_per_s=15, run_out_s=12))


SITUATIONS: dict[str, Callable[[Bench], Side]] = {
    "plain gaps": _plain,
    "worn 78": _worn_78,
    "heavy crackle": _crackle,
    "rests inside tracks": _rests,
    "fades out": _fade_outs,
    "fades in": _fade_ins,
    "segues": _segues,
    "crossfades": _crossfades,
    "no gap at all": _continuous,
    "live, applause": _live,
    "durations count the gap": _gap_counted,
    "durations rounded to 5 s": _rounded,
    "one duration wrong": _one_wrong,
    "two durations missing": _some_missing,
    "bonus track not there": _bonus,
    "another order": _swapped,
    "both sides listed": _both_sides_listed,
    "two sides in one take": _two_sides,
    "cassette": _cassette,
    "cassette, turned over": _cassette_turned,
    "2.7 % fast": _fast,
    "deck silence": _deck_silence,
    "quiet music": _quiet_music,
    "short tracks": _short_tracks,
    "short gaps": _short_gaps,
    "worn inside": _worn_inside,
    "hum and thumps": _rumble,
    "swishing groove": _swish,
    "hardly any noise": _clean,
    "cut close": _cut_close,
    "single": _single,
}
