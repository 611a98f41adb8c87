"""The same recording is known again through noise, coding, level and speed; others are not taken for it."""

from __future__ import annotations

import io

import av
import numpy as np
import pytest
import soxr
from scipy.signal import butter, sosfilt

from inkwell_groove.core.audio.sound import Samples, SoundFormat
from inkwell_groove.core.errors import Refused
from inkwell_groove.core.fingerprint.index import FingerprintIndex
from inkwell_groove.core.fingerprint.likeness import SAME_UNDER, bit_error_rate, compare, rates_along
from inkwell_groove.core.fingerprint.prints import BLOCK, HOP_S, RATE_HZ, Prints, fingerprint, of_mono, with_strengths
from inkwell_groove.demo.tunes import Tune, play

RATE = 22_050


class Sound:
    """Samples in memory as a recording."""

    def __init__(self, audio: np.ndarray, rate_hz: int = RATE) -> None:
        self._audio = np.ascontiguousarray(audio, np.float32)
        self.format = SoundFormat(
            container="memory", word="f32", rate_hz=rate_hz, channels=audio.shape[1], samples=len(audio)
        )

    def read(self, start_sample: int, samples: int) -> Samples:
        return self._audio[start_sample : start_sample + samples]


def tune(seed: int, seconds: float = 24.0, *, beat: float = 120.0) -> np.ndarray:
    left, right = play(Tune("x", seconds, seed, beat, seed % 12), RATE, speed=1.0)
    return np.stack([left, right], axis=1)


def prints_of(audio: np.ndarray, **how: float) -> Prints:
    return fingerprint(Sound(audio), **how)  # type: ignore[arg-type]


@pytest.fixture(scope="module")
def music() -> np.ndarray:
    return tune(1031)


def as_mp3(audio: np.ndarray, bit_rate: int) -> np.ndarray:
    """Encoded and decoded again, by FFmpeg's libmp3lame, delay left in."""
    buffer = io.BytesIO()
    with av.open(buffer, "w", format="mp3") as out:
        stream = out.add_stream("mp3", rate=44_100, layout="stereo", bit_rate=bit_rate)
        whole = np.rint(soxr.resample(audio, RATE, 44_100) * 32767).astype(np.int16)
        frame = av.AudioFrame.from_ndarray(whole.reshape(1, -1), format="s16", layout="stereo")
        frame.sample_rate = 44_100
        for packet in [*stream.encode(frame), *stream.encode(None)]:
            out.mux(packet)
    buffer.seek(0)
    with av.open(buffer) as opened:
        parts = [frame.to_ndarray() for frame in opened.decode(audio=0)]
    return soxr.resample(np.concatenate(parts, axis=1).T.astype(np.float64), 44_100, RATE)


def noisy(audio: np.ndarray, under_db: float) -> np.ndarray:
    noise = np.random.default_rng(3).standard_normal(audio.shape)
    return audio + noise * audio.std() * 10 ** (-under_db / 20)


def crackling(audio: np.ndarray) -> np.ndarray:
    rng, out = np.random.default_rng(4), audio.copy()
    for at in rng.integers(0, len(out) - 40, 8 * len(out) // RATE):
        out[at : at + 30] += rng.standard_normal((30, 1)) * 0.3
    return out


WORSE = {
    "quieter by 20 dB": lambda audio: audio * 0.1,
    "upside down": lambda audio: -audio,
    "mono": lambda audio: np.repeat(audio.mean(axis=1, keepdims=True), 2, axis=1),
    "hiss 15 dB under it": lambda audio: noisy(audio, 15.0),
    "8 loud clicks a second": crackling,
    "telephone band": lambda audio: sosfilt(butter(2, [300, 3_400], "bandpass", fs=RATE, output="sos"), audio, axis=0),
    "MP3 at 96 kbit/s": lambda audio: as_mp3(audio, 96_000),
}


@pytest.mark.slow
@pytest.mark.parametrize("worse", WORSE)
def test_what_is_done_to_a_recording_leaves_it_the_same(music: np.ndarray, worse: str) -> None:
    first, second = prints_of(music), prints_of(WORSE[worse](music))
    found = compare(first, lambda speed: second)
    assert found.verdict == "same recording", found
    assert found.bit_error_rate < 0.3 and abs(found.offset_s) < 0.06


@pytest.mark.parametrize("speed", [0.98, 0.99, 0.995, 1.006, 1.012, 1.02])
def test_a_recording_that_ran_at_another_speed_is_known_and_its_speed_told(music: np.ndarray, speed: float) -> None:
    fast = Sound(soxr.resample(music, RATE, RATE / speed))
    found = compare(prints_of(music), lambda ratio: fingerprint(fast, speed_ratio=ratio))
    assert found.verdict == "same recording", found
    assert found.speed_ratio == pytest.approx(speed, abs=0.0035)


@pytest.mark.slow
def test_other_recordings_are_different(music: np.ndarray) -> None:
    first = prints_of(music)
    for seed in (2, 3, 5):
        other = prints_of(tune(seed, beat=97.0 + seed))
        assert compare(first, lambda speed, other=other: other).verdict == "different"


def test_the_same_piece_played_otherwise_is_another_recording() -> None:
    one = play(Tune("x", 20, 8, 120, 3), RATE, speed=1.0)
    other = play(Tune("x", 20, 8, 108, 5), RATE, speed=1.0)  # slower, and a tone higher
    first, second = (prints_of(np.stack(two, axis=1)) for two in (one, other))
    assert compare(first, lambda speed: second).verdict == "different"


def test_an_edit_is_told_from_the_whole(music: np.ndarray) -> None:
    cut = np.concatenate([music[: 8 * RATE], music[14 * RATE :]])  # six seconds taken out of the middle
    first, second = prints_of(music), prints_of(cut)
    found = compare(first, lambda speed: second)
    assert found.verdict == "same recording, another edit"
    assert found.matched_share > 0.8


def test_an_excerpt_lies_where_it_was_taken_from(music: np.ndarray) -> None:
    first, second = prints_of(music), prints_of(music[9 * RATE : 16 * RATE])
    found = compare(first, lambda speed: second)
    assert found.offset_s == pytest.approx(9.0, abs=2 * HOP_S)
    assert found.matched_share > 0.9 and found.verdict == "same recording, another edit"


def test_prints_do_not_depend_on_how_the_recording_is_read(music: np.ndarray) -> None:
    whole = prints_of(music[: 12 * RATE])
    audio = soxr.resample(music[: 12 * RATE].mean(axis=1).astype(np.float32), RATE, RATE_HZ, quality="MQ")
    direct = of_mono(audio).prints
    length = min(len(whole), len(direct))
    assert bit_error_rate(whole[:length], direct[:length]) < 0.002
    assert len(whole) == pytest.approx(12 / HOP_S - 32, abs=2)


def test_silence_and_too_little_sound() -> None:
    assert not prints_of(np.zeros((4 * RATE, 1))).any()
    with pytest.raises(Refused, match=r"0\.20 s are too short"):
        prints_of(np.zeros((RATE // 5, 2)))


def test_half_the_bits_differ_between_unlike_prints() -> None:
    rng = np.random.default_rng(2)
    one, other = (rng.integers(0, 1 << 32, 4_000, dtype=np.uint64).astype(np.uint32) for _ in range(2))
    assert bit_error_rate(one, other) == pytest.approx(0.5, abs=0.01)
    assert bit_error_rate(one, one) == 0.0 and bit_error_rate(one, ~one) == 1.0
    assert (rates_along(one, other, 100) > SAME_UNDER).all()
    assert len(rates_along(one, other[:100], 3_900)) == 0


def test_one_of_many_is_found_by_three_seconds_of_it(music: np.ndarray) -> None:
    rng = np.random.default_rng(9)
    many = {name: rng.integers(0, 1 << 32, 3_000, dtype=np.uint64).astype(np.uint32) for name in range(100, 160)}
    for name, seed in ((1, 1031), (2, 2), (3, 3)):
        many[name] = prints_of(tune(seed))
    index = FingerprintIndex(many)
    assert len(index) == 63
    part = noisy(music[10 * RATE : round(13.6 * RATE)], 20.0)
    hits = index.find(with_strengths(Sound(part)))
    assert hits[0].name == 1 and hits[0].bit_error_rate < 0.3
    assert hits[0].offset * HOP_S == pytest.approx(10.0, abs=3 * HOP_S)
    assert index.find(with_strengths(Sound(tune(77, 6.0, beat=133)))) == []


def test_an_empty_index_and_a_scrap_of_sound_find_nothing(music: np.ndarray) -> None:
    scrap = with_strengths(Sound(music[:RATE]))
    assert FingerprintIndex({}).find(scrap) == []
    assert len(scrap.prints) < BLOCK // 2
    assert FingerprintIndex({1: prints_of(music)}).find(scrap) == []
