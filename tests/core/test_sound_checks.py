"""What a file's sound tells: overs, silent and inverted channels, unused bits, lossy coding, stretched rates.

Lossy sources are made by the encoders of FFmpeg's libraries (through av), which are nothing of ours.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
import numpy.typing as npt
import pytest
import soundfile
import soxr
from scipy import signal

from benchmarks.coding import coded
from inkwell_groove.core.audio.sound import SoundFormat
from inkwell_groove.core.audio.soundfiles import FileReader
from inkwell_groove.core.survey.coding import _mdct, coding_of
from inkwell_groove.core.survey.finding import House, Record, Release
from inkwell_groove.core.survey.sound import SoundFacts, heard, sound_facts
from inkwell_groove.demo.tunes import Tune, play

RATE_HZ = 44_100
Stereo = npt.NDArray[np.float64]


@pytest.fixture(scope="module")
def music() -> Stereo:
    """Twelve seconds of the demo's band in a room that is never quite silent."""
    left, right = play(Tune("band", 12.0, 8, 110, 3), RATE_HZ, speed=1.0)
    room = 1e-4 * np.random.default_rng(8).standard_normal((len(left), 2))
    return np.stack([left, right], axis=1) + room


def facts_of(
    sound: Stereo, folder: Path, *, rate_hz: int = RATE_HZ, subtype: str = "PCM_16", form: str = "flac"
) -> SoundFacts:
    path = folder / f"sound.{form}"
    soundfile.write(path, sound, rate_hz, subtype)
    with FileReader(path) as reader:
        return sound_facts(reader)


def checks_of(facts: SoundFacts) -> set[str]:
    record = Record(1, "1/a/b.flac", {}, {"sound": facts.model_dump(mode="json")})
    return {one.check for one in heard(Release([record], {}), House())}


def test_nothing_is_heard_in_a_good_recording(music: Stereo, tmp_path: Path) -> None:
    facts = facts_of(music, tmp_path)
    assert facts.clipped_runs == (0, 0)
    assert (facts.bits, facts.bits_used) == (16, 16)
    assert facts.coding.cause == ""
    assert checks_of(facts) == set()


def test_overs_are_counted(music: Stereo, tmp_path: Path) -> None:
    loud = np.clip(music / np.abs(music).max() * 2, -1, 1)
    facts = facts_of(loud, tmp_path, form="wav")
    assert min(facts.clipped_runs) > 10
    assert checks_of(facts) == {"clipping"}


@pytest.mark.slow
def test_a_silent_and_an_inverted_channel_are_told(music: Stereo, tmp_path: Path) -> None:
    assert checks_of(facts_of(music * [1, 0], tmp_path)) == {"a channel is silent"}
    mono = music.mean(axis=1)
    assert checks_of(facts_of(np.stack([mono, -mono], axis=1), tmp_path)) == {"a channel is inverted"}
    assert facts_of(np.stack([mono, mono], axis=1), tmp_path).correlation == pytest.approx(1.0)


def test_digital_silence_is_no_fault_of_a_channel(tmp_path: Path) -> None:
    assert checks_of(facts_of(np.zeros((RATE_HZ, 2)), tmp_path)) == set()


@pytest.mark.slow
def test_24_bits_with_16_in_them_are_told(music: Stereo, tmp_path: Path) -> None:
    sixteen = np.rint(music * 32_768).astype(np.int32) << 16
    facts = facts_of(sixteen, tmp_path, subtype="PCM_24")
    assert (facts.bits, facts.bits_used) == (24, 16)
    assert checks_of(facts) == {"fewer bits"}
    assert facts_of(music, tmp_path, subtype="PCM_24").bits_used == 24


@pytest.mark.slow
@pytest.mark.parametrize(("kind", "kbit_s"), [("mp3", 128), ("mp3", 320), ("aac", 128), ("aac", 256), ("aac", 320)])
def test_what_was_coded_is_known_again(music: Stereo, kind: str, kbit_s: int, tmp_path: Path) -> None:
    facts = facts_of(coded(music, kind, kbit_s, tmp_path), tmp_path)
    assert facts.coding.cause == "lossy coding"
    assert checks_of(facts) == {"lossy source"}
    assert facts.coding.words


@pytest.mark.slow
def test_the_frames_of_a_coder_are_found_where_they_lie(music: Stereo, tmp_path: Path) -> None:
    told = facts_of(coded(music, "aac", 320, tmp_path, cut=357), tmp_path).coding
    assert told.frames_from == 1_024 - 357


@pytest.mark.parametrize("order_hz", [(4, 4_000), (8, 10_000)])
def test_dark_sounds_are_not_taken_for_coded(music: Stereo, order_hz: tuple[int, int], tmp_path: Path) -> None:
    order, hz = order_hz
    dark = signal.sosfilt(signal.butter(order, hz, fs=RATE_HZ, output="sos"), music, axis=0)
    assert facts_of(np.asarray(dark), tmp_path).coding.cause == ""


def test_a_stretched_rate_is_told_from_a_true_one(music: Stereo, tmp_path: Path) -> None:
    high = soxr.resample(music, RATE_HZ, 96_000)
    assert checks_of(facts_of(high, tmp_path, rate_hz=96_000, subtype="PCM_24")) == {"stretched rate"}
    whole = high + 1e-4 * np.random.default_rng(1).standard_normal(high.shape)
    assert checks_of(facts_of(whole, tmp_path, rate_hz=96_000, subtype="PCM_24")) == set()


@pytest.mark.parametrize("samples", [1, 100, 4_095, 5_000, 60_000])
def test_short_sounds_say_nothing_and_break_nothing(samples: int, tmp_path: Path) -> None:
    noise = 0.1 * np.random.default_rng(3).standard_normal((samples, 2))
    assert facts_of(noise, tmp_path).coding.cause == ""


def test_one_channel_is_heard_as_well(music: Stereo, tmp_path: Path) -> None:
    facts = facts_of(music[:, :1], tmp_path)
    assert facts.correlation is None
    assert checks_of(facts) == set()


def test_the_transform_is_the_standards() -> None:
    """Against the sum that defines it (ISO/IEC 14496-3, 4.6.11.2), for one stretch."""
    stretch = np.random.default_rng(4).standard_normal((1, 2_048)).astype(np.float32)
    n, k = np.arange(2_048), np.arange(1_024)[:, None]
    direct = 2 * (stretch * np.cos(2 * np.pi / 2_048 * (n + 0.5 + 512) * (k + 0.5))).sum(axis=1)
    assert np.allclose(_mdct(stretch, np.ones(2_048, np.float32))[0], direct, atol=1e-3 * np.abs(direct).max())


def test_files_that_cannot_be_read_to_the_end_are_refused(music: Stereo, tmp_path: Path) -> None:
    path = tmp_path / "cut.flac"
    soundfile.write(path, music, RATE_HZ)
    path.write_bytes(path.read_bytes()[:100_000])
    with FileReader(path) as reader, pytest.raises(ValueError, match="sample"):
        sound_facts(reader)


def test_the_edge_alone_reads_little(music: Stereo) -> None:
    """Six hundred windows and no more, however long the recording is."""
    read = [0]

    class Counting:
        def __init__(self, minutes: int) -> None:
            self.inner = music
            length = minutes * 60 * 96_000
            self.format = SoundFormat(container="WAV", word="f64", rate_hz=96_000, channels=2, samples=length)

        def read(self, start_sample: int, samples: int) -> Stereo:
            read[0] += samples
            return self.inner[:samples]

    coding_of(Counting(60))
    assert read[0] <= 600 * 4_096
