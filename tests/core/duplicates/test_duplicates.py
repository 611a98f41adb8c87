"""Recordings held against each other: the same, other edits, others; and which copy is kept."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import av
import numpy as np
import numpy.typing as npt
import pytest
import soundfile
import soxr
from hypothesis import given
from hypothesis import strategies as st

from inkwell_groove.core.audio.soundfiles import FileReader
from inkwell_groove.core.duplicates.edits import difference
from inkwell_groove.core.duplicates.pairs import likely_pairs
from inkwell_groove.core.duplicates.portrait import Portrait, portray
from inkwell_groove.core.duplicates.preferring import Copy, by_preference, why
from inkwell_groove.core.duplicates.relation import Relation, relate
from inkwell_groove.core.errors import NotSound
from inkwell_groove.core.fingerprint import prints
from inkwell_groove.demo.tunes import Tune, play

RATE_HZ = 22_050
Stereo = npt.NDArray[np.float64]


def tune(seed: int, seconds: float = 36.0) -> Stereo:
    left, right = play(Tune(f"Tune {seed}", seconds, seed, 100 + 7 * seed, seed % 5), RATE_HZ, speed=1.0)
    return np.column_stack([left, right * 0.6])


def write(path: Path, sound: Stereo, rate_hz: int = RATE_HZ) -> Path:
    soundfile.write(str(path), np.clip(sound, -1, 1), rate_hz, subtype="PCM_16")
    return path


def related(first: Path, second: Path) -> Relation:
    def at(speed: float) -> prints.Prints:
        with FileReader(second) as reader:
            return prints.fingerprint(reader, speed_ratio=speed)

    return relate(portray(first).portrait, portray(second).portrait, at)


@pytest.fixture(scope="module")
def original(shared_folder: Path) -> Path:
    return write(shared_folder / "original of duplicates.wav", tune(3))


COPIES: dict[str, Callable[[Stereo], tuple[Stereo, int]]] = {
    "softer": lambda sound: (sound * 0.3, RATE_HZ),
    "another rate": lambda sound: (soxr.resample(sound, RATE_HZ, 48_000), 48_000),
    "begun later": lambda sound: (np.concatenate([np.zeros((RATE_HZ, 2)), sound]), RATE_HZ),
    "faded two seconds earlier": lambda sound: (sound[: -2 * RATE_HZ], RATE_HZ),
    "1.3 % faster": lambda sound: (soxr.resample(sound, RATE_HZ * 1.013, RATE_HZ), RATE_HZ),
}


@pytest.mark.slow
@pytest.mark.parametrize("name", COPIES)
def test_the_same_recording_is_known_again(name: str, original: Path, tmp_path: Path) -> None:
    sound, rate_hz = COPIES[name](soundfile.read(original)[0])
    copy = write(tmp_path / "copy.wav", sound, rate_hz)
    found = related(original, copy)
    assert found.kind == "same recording", found
    assert portray(copy).portrait.silent_head_s == (1.0 if name == "begun later" else 0.0)
    assert not found.swapped
    if name == "1.3 % faster":
        assert found.likeness.speed_ratio == pytest.approx(1.013, abs=0.001)
    if name == "begun later":
        assert found.likeness.offset_s == pytest.approx(-1.0, abs=0.05)
    assert likely_pairs([portray(original).portrait, portray(copy).portrait])


@pytest.mark.slow
def test_what_differs_is_as_long_whichever_is_the_first(tmp_path: Path) -> None:
    """The music about this cut repeats itself: what stands before it fitted on both of its sides."""
    sound = np.column_stack(play(Tune("", 26.0, 3, 123, 3), RATE_HZ, speed=1.0))
    whole, edit = (
        portray(write(tmp_path / f"{name}.wav", one)).portrait
        for name, one in (("whole", sound), ("edit", np.concatenate([sound[: 9 * RATE_HZ], sound[16 * RATE_HZ :]])))
    )
    one, other = difference(whole, edit, edit.prints), difference(edit, whole, whole.prints)
    for alone, nothing in ((one.only_first, one.only_second), (other.only_second, other.only_first)):
        assert nothing == ()
        assert sum(each.length_s for each in alone) == pytest.approx(7, abs=0.5)


@pytest.mark.slow
def test_an_edit_is_not_the_same_and_what_differs_is_shown(original: Path, tmp_path: Path) -> None:
    sound = soundfile.read(original)[0]
    edit = write(tmp_path / "edit.wav", np.concatenate([sound[: 15 * RATE_HZ], sound[23 * RATE_HZ :]]))
    found = related(original, edit)
    assert found.kind == "another edit"
    assert found.difference is not None
    (alone,) = found.difference.only_first
    # A block of three seconds over the cut fits either side or neither, so its place is known to half of that.
    assert alone.start_s == pytest.approx(15, abs=1.6)
    assert alone.length_s == pytest.approx(8, abs=1.6)
    assert found.difference.only_second == ()
    assert [round(one.first_s - one.second_s) for one in found.difference.shared] == [0, 8]


@pytest.mark.slow
def test_an_ending_that_goes_on_longer_is_another_edit(original: Path, tmp_path: Path) -> None:
    longer = write(tmp_path / "longer.wav", np.concatenate([soundfile.read(original)[0], tune(4, 9.0)]))
    found = related(original, longer)
    assert found.kind == "another edit"
    assert found.difference is not None
    assert found.difference.longest_alone_s == pytest.approx(9, abs=1.6)


@pytest.mark.slow
def test_swapped_channels_are_told(original: Path, tmp_path: Path) -> None:
    swapped = write(tmp_path / "swapped.wav", soundfile.read(original)[0][:, ::-1])
    found = related(original, swapped)
    assert (found.kind, found.swapped) == ("same recording", True)


@pytest.mark.slow
def test_another_tune_is_another_recording(original: Path, tmp_path: Path) -> None:
    other = write(tmp_path / "other.wav", tune(5))
    assert related(original, other).kind == "another recording"
    assert likely_pairs([portray(original).portrait, portray(other).portrait]) == []


@pytest.mark.parametrize(("share", "kind"), [(0.1, "same recording"), (0.27, "another recording")])
def test_what_differs_in_more_bits_than_a_copy_does_is_played_anew(share: float, kind: str, original: Path) -> None:
    one = portray(original).portrait
    wrong = np.random.default_rng(5).random((len(one.prints), 32)) < share
    bits = (wrong * (np.uint32(1) << np.arange(32, dtype=np.uint32))).sum(axis=1, dtype=np.uint32)
    other = Portrait(one.prints ^ bits, one.at_speeds, one.levels)
    assert relate(one, other, lambda speed: other.prints, speeds=(1.0,)).kind == kind


@pytest.mark.slow
def test_likely_pairs_among_many_each_once(tmp_path: Path) -> None:
    portraits = []
    for seed in range(6):
        sound = tune(seed, 32.0)
        portraits.append(portray(write(tmp_path / "a.wav", sound)).portrait)
        if seed in (1, 4):
            faster = soxr.resample(sound, RATE_HZ * 1.018, RATE_HZ) if seed == 4 else sound * 0.5
            portraits.append(portray(write(tmp_path / "b.wav", faster)).portrait)
    found = {(one.first, one.second): one.speed_ratio for one in likely_pairs(portraits)}
    # Others may share a chord or two: whether they are the same is for `relate` to say.
    assert {(1, 2), (5, 6)} <= set(found)
    assert next(iter(found)) in {(1, 2), (5, 6)}, "those that met most often come first"
    assert found[1, 2] == 1.0
    assert found[5, 6] == pytest.approx(1.018, abs=0.003)
    assert likely_pairs([]) == []


def test_the_samples_of_a_lossless_file_have_the_md5_that_flac_stores(original: Path, tmp_path: Path) -> None:
    """RFC 9639 section 8.2, as libFLAC computes it."""
    for subtype in ("PCM_16", "PCM_24"):
        flac, wav = tmp_path / "a.flac", tmp_path / "a.wav"
        sound = soundfile.read(original)[0][: 3 * RATE_HZ]
        soundfile.write(str(flac), sound, RATE_HZ, subtype=subtype)
        soundfile.write(str(wav), soundfile.read(flac, dtype="int32")[0], RATE_HZ, subtype=subtype)
        stated = flac.read_bytes()[26:42].hex()
        assert portray(flac).samples_md5 == portray(wav).samples_md5 == stated


@pytest.mark.slow
def test_lossy_copies_have_a_portrait_and_no_md5(original: Path, tmp_path: Path) -> None:
    coded = tmp_path / "coded.m4a"
    with av.open(str(coded), "w") as out:
        stream = out.add_stream("aac", rate=RATE_HZ)
        stream.bit_rate, stream.layout = 64_000, "stereo"
        whole = soundfile.read(original, dtype="float32")[0].T
        for at in range(0, whole.shape[1], 1024):
            frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(whole[:, at : at + 1024]), "fltp", "stereo")
            frame.sample_rate, frame.pts = RATE_HZ, at
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
    heard = portray(coded)
    assert heard.samples_md5 is None
    found = relate(portray(original).portrait, heard.portrait, lambda speed: heard.portrait.prints)
    assert found.kind == "same recording"


def test_a_portrait_is_kept_and_read_again(original: Path, tmp_path: Path) -> None:
    portrait = portray(original).portrait
    portrait.save(tmp_path / "kept")
    again = Portrait.load(tmp_path / "kept")
    assert np.array_equal(again.prints, portrait.prints)
    assert again.seconds == pytest.approx(36, abs=0.5)
    (tmp_path / "other").write_bytes(b"no portrait")
    with pytest.raises(NotSound):
        Portrait.load(tmp_path / "other")
    with pytest.raises(NotSound):
        portray(tmp_path / "other")


def test_too_short_a_sound_is_no_fault(tmp_path: Path) -> None:
    short = portray(write(tmp_path / "short.wav", np.zeros((500, 2)))).portrait
    assert len(short.prints) == 0
    assert relate(short, short, lambda speed: short.prints).kind == "another recording"


KEPT = Copy("a", "a.flac", lossless=True, proven=True, rate_hz=96_000, bits=24, described=9)


@pytest.mark.parametrize(
    ("other", "reason"),
    [
        (Copy("b", "b.mp3", lossless=False, bitrate_kbps=320), "it is lossless"),
        (
            Copy("b", "b.flac", lossless=True, lossy_source=True, proven=True, bits=24, rate_hz=96_000, described=12),
            "it is lossless",
        ),
        (
            Copy("b", "b.flac", lossless=True, rate_hz=192_000, bits=24),
            "its samples have the checksum stored with them",
        ),
        (Copy("b", "b.flac", lossless=True, proven=True, rate_hz=96_000, bits=16, described=9), "it has more bits"),
        (
            Copy("b", "b.flac", lossless=True, proven=True, rate_hz=96_000, bits=24, clipped_runs=4, described=9),
            "it is not clipped",
        ),
        (
            Copy("b", "b.flac", lossless=True, proven=True, rate_hz=96_000, bits=24, described=3),
            "it is better described",
        ),
        (
            Copy("b", "Copy of a.flac", lossless=True, proven=True, rate_hz=96_000, bits=24, described=9),
            "the other's name says that it is a copy",
        ),
    ],
)
def test_which_copy_is_kept_and_why(other: Copy, reason: str) -> None:
    assert by_preference([other, KEPT])[0] is KEPT
    assert why(KEPT, other)[0] == reason


_COPIES = st.builds(
    Copy,
    st.uuids().map(str),
    st.text("ab.", min_size=1, max_size=6),
    st.booleans(),
    st.booleans(),
    st.booleans(),
    st.booleans(),
    st.sampled_from([44_100, 96_000]),
    st.sampled_from([16, 24]),
    st.sampled_from([128, 320]),
    st.integers(0, 2),
    st.integers(0, 4),
)


@given(st.lists(_COPIES, min_size=2, max_size=6, unique_by=lambda one: one.key))
def test_what_is_preferred_does_not_depend_on_the_order(copies: list[Copy]) -> None:
    kept = by_preference(copies)[0]
    again = by_preference(copies[::-1])[0]
    assert (kept == again) or why(kept, again) == ["they are alike in everything that counts"]
    assert all(why(kept, other) for other in copies if other is not kept)
