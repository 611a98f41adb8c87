"""Access copies: as long as their master, at its place, as loud as asked, described alike, by other decoders."""

from __future__ import annotations

import contextlib
import subprocess
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pyloudnorm
import pytest
import soundfile
from pydantic import ValidationError

from inkwell_groove.core.copies.album import make_copies
from inkwell_groove.core.copies.decode import Found, decoded, identify
from inkwell_groove.core.copies.encode import encode
from inkwell_groove.core.copies.gains import read_gains
from inkwell_groove.core.copies.loudness import hear_album
from inkwell_groove.core.copies.order import FORMS, CopyOrder
from inkwell_groove.core.copies.proof import prove_copy
from inkwell_groove.core.errors import Refused
from inkwell_groove.core.files.pictures import Embedded
from inkwell_groove.core.files.reading import read_file, read_pictures
from inkwell_groove.core.files.writing import Change, write
from inkwell_groove.core.sealing.profile import Profile
from inkwell_groove.demo.sleeve import lanterns_cover

FIELDS = {
    "title": "Weir & Låntern",
    "artist": "The Test Band; Ilse",
    "album": "Copies",
    "track_total": "3",
    "date": "1974-03",
    "composer": "Nobody",
    "performer": "Ilse (piano)",
    "genre": "Brass",
}


def music(seconds: float, rate_hz: int, level: float, seed: int = 1) -> np.ndarray:
    """(samples, 2): three tones that swell, and some noise."""
    time_s = np.arange(round(seconds * rate_hz)) / rate_hz
    chance = np.random.default_rng(seed)
    swell = 0.6 + 0.4 * np.sin(2 * np.pi * 0.7 * time_s)
    tones = sum(np.sin(2 * np.pi * hz * time_s + hz) for hz in (220.0, 331.0 + seed, 1_250.0)) / 3
    noise = 0.02 * chance.standard_normal((len(time_s), 2))
    return np.clip(level * (np.stack([tones * swell, tones * swell[::-1]], axis=1) + noise), -0.99, 0.99)


def masters_in(folder: Path, rate_hz: int, subtype: str, seconds: float = 3.0) -> list[Path]:
    paths = []
    for number, level in enumerate((0.35, 0.5, 0.8), start=1):
        path = folder / f"{number:02} Track.flac"
        soundfile.write(path, music(seconds + 0.013 * number, rate_hz, level, number), rate_hz, subtype=subtype)
        cover = Embedded(3, "image/jpeg", lanterns_cover())
        write(path, Change(fields={**FIELDS, "track_number": str(number)}, pictures=(cover,)))
        paths.append(path)
    return paths


@pytest.fixture(scope="module")
def of_cd(tmp_path_factory: pytest.TempPathFactory) -> list[Path]:
    return masters_in(tmp_path_factory.mktemp("cd"), 44_100, "PCM_16")


@pytest.fixture(scope="module")
def of_record(tmp_path_factory: pytest.TempPathFactory) -> list[Path]:
    return masters_in(tmp_path_factory.mktemp("record"), 96_000, "PCM_24")


def decode(path: Path) -> tuple[np.ndarray, int]:
    """(samples, channels) by FFmpeg's libraries."""
    with av.open(str(path)) as container:
        stream = container.streams.audio[0]
        blocks = []
        for frame in container.decode(stream):
            block = frame.to_ndarray()
            blocks.append(block if frame.format.is_planar else block.reshape(-1, 2).T)
        return np.concatenate(blocks, axis=1).T, stream.rate


def ebu_r128_lufs(sound: np.ndarray, rate_hz: int) -> float:
    """Integrated loudness by FFmpeg's `ebur128` filter (EBU Tech 3341)."""
    graph = av.filter.Graph()
    source = graph.add_abuffer(sample_rate=rate_hz, format="fltp", layout="stereo", time_base=Fraction(1, rate_hz))
    meter, sink = graph.add("ebur128", "metadata=1"), graph.add("abuffersink")
    source.link_to(meter)
    meter.link_to(sink)
    graph.configure()
    frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(sound.T), format="fltp", layout="stereo")
    frame.sample_rate, frame.pts = rate_hz, 0
    source.push(frame)
    source.push(None)
    told = ""
    with contextlib.suppress(av.error.EOFError, av.error.BlockingIOError):
        while True:
            told = sink.pull().metadata.get("lavfi.r128.I", told)
    return float(told)


ORDERS = [
    CopyOrder(kind="MP3", kbit_s=192),
    CopyOrder(kind="MP3", quality=7),
    CopyOrder(kind="AAC", kbit_s=160),
    CopyOrder(kind="ALAC"),
    CopyOrder(kind="Vorbis", quality=6),
    CopyOrder(kind="Opus", kbit_s=128),
    CopyOrder(kind="FLAC", bits=16, most_rate_hz=44_100),
]
CONVERTED = ("MP3", "Opus", "FLAC")  # what is brought down from 96 kHz: one of each way


@pytest.mark.slow
@pytest.mark.parametrize(
    ("order", "source"),
    [*((order, "of_cd") for order in ORDERS), *((order, "of_record") for order in ORDERS if order.kind in CONVERTED)],
    ids=lambda one: one if isinstance(one, str) else one.label,
)
def test_a_copy_is_as_long_as_its_master_and_says_the_same(
    order: CopyOrder, source: str, request: pytest.FixtureRequest, tmp_path: Path
) -> None:
    masters = request.getfixturevalue(source)
    made = make_copies(masters, order, tmp_path)
    assert made.gain_db == 0 and not made.notes
    for master, one in zip(masters, made.copies, strict=True):
        copy = tmp_path / one.file
        sound, rate_hz = decode(copy)
        source_info = soundfile.info(master)
        assert rate_hz == one.rate_hz == order.rate_for(source_info.samplerate)
        assert abs(one.samples - source_info.frames * rate_hz / source_info.samplerate) <= 1
        assert len(sound) == one.samples + one.longer_by_samples
        if order.kind != "AAC":
            assert one.longer_by_samples == 0
        told = read_file(copy)
        expected = read_file(master).fields
        assert {name: told.fields.get(name) for name in expected} == expected
        assert [picture.data for picture in read_pictures(copy)] == [lanterns_cover()]
        gains = read_gains(copy)
        if order.kind == "Opus":
            lufs = -23.0 - int(gains["R128_TRACK_GAIN"]) / 256
        else:
            lufs = -18.0 - float(gains["REPLAYGAIN_TRACK_GAIN"].removesuffix(" dB"))
        whole = sound.astype(np.float64) / (2.0 ** (8 * sound.itemsize - 1) if sound.dtype.kind == "i" else 1.0)
        assert lufs == pytest.approx(pyloudnorm.Meter(rate_hz).integrated_loudness(whole), abs=0.1)
    if order.form.lossless and source == "of_cd":
        sound, _ = decode(tmp_path / made.copies[1].file)
        np.testing.assert_array_equal(sound.astype(np.int32), soundfile.read(masters[1], dtype="int16")[0])


def test_alac_of_24_bit_is_the_master_bit_for_bit(of_record: list[Path], tmp_path: Path) -> None:
    made = make_copies(of_record, CopyOrder(kind="ALAC", most_rate_hz=192_000), tmp_path)
    for master, one in zip(of_record, made.copies, strict=True):
        assert one.verdict == "identical" and one.rate_hz == 96_000
        np.testing.assert_array_equal(decode(tmp_path / one.file)[0], soundfile.read(master, dtype="int32")[0])


@pytest.mark.slow
@pytest.mark.parametrize(
    "order",
    [
        CopyOrder(kind="MP3", kbit_s=160, levelling="to a loudness", target_lufs=-20.0),
        CopyOrder(kind="Opus", kbit_s=96, levelling="to a loudness", target_lufs=-23.0),
        CopyOrder(kind="FLAC", bits=16, levelling="to a loudness", target_lufs=-18.0),
    ],
    ids=lambda one: one.kind,
)
def test_an_album_is_brought_to_a_loudness_and_keeps_its_relations(
    order: CopyOrder, of_record: list[Path], tmp_path: Path
) -> None:
    made = make_copies(of_record, order, tmp_path)
    whole = np.concatenate([decode(tmp_path / one.file)[0].astype(np.float32) for one in made.copies])
    if order.form.lossless:
        whole /= 32_768
    assert ebu_r128_lufs(whole, made.copies[0].rate_hz) == pytest.approx(order.target_lufs, abs=0.1)
    before = [one.lufs for one in hear_album(of_record).tracks]
    after = [one.lufs for one in made.copies]
    steps = [float(b) - float(a) for a, b in zip(before, after, strict=True)]  # type: ignore[arg-type]
    assert max(steps) - min(steps) < 0.1, "every track is turned alike"


@pytest.mark.slow
@pytest.mark.parametrize("kind", ["MP3", "AAC", "Vorbis", "Opus", "ALAC"])
def test_nothing_goes_above_the_ceiling(kind: str, of_cd: list[Path], tmp_path: Path) -> None:
    asked = {"MP3": {"kbit_s": 96}, "AAC": {"kbit_s": 96}, "Vorbis": {"quality": 2.0}, "Opus": {"kbit_s": 64}}
    common = {"kind": kind, "levelling": "to a loudness", "target_lufs": -6.0, "ceiling_dbtp": -1.0}
    order = CopyOrder.model_validate({**common, **asked.get(kind, {"bits": 16})})
    made = make_copies(of_cd, order, tmp_path)
    assert "under -6 LUFS: more would go above -1 dBTP" in made.notes[0]
    peaks = [one.true_peak_dbtp for one in made.copies]
    assert max(peaks) <= -1.0  # type: ignore[type-var]
    assert max(peaks) > -3.0, "and not much below it"  # type: ignore[type-var,operator]


@pytest.mark.slow
def test_mp3_at_192_kbit_is_7_35_times_smaller_than_cd_audio(tmp_path: Path) -> None:
    """1,411.2 / 192 (arithmetic)."""
    master = masters_in(tmp_path, 44_100, "PCM_16", seconds=20.0)[0]
    (tmp_path / "out").mkdir()
    made = make_copies([master], CopyOrder(kind="MP3", kbit_s=192), tmp_path / "out").copies[0]
    seconds = soundfile.info(master).duration
    assert seconds * 1_411_200 / 8 / (made.kbit_s * 1_000 * seconds / 8) == pytest.approx(7.35, rel=0.02)


def test_what_lies_between_two_tracks_does_not_know_that_they_are_two(tmp_path: Path) -> None:
    """A tone cut in two and brought to another rate is, joined again, the tone brought to it at once."""
    tone = 0.5 * np.sin(2 * np.pi * 997 * np.arange(96_000) / 96_000)
    for name, part in (("1", tone[:40_001]), ("2", tone[40_001:]), ("all", tone)):
        soundfile.write(tmp_path / f"{name}.flac", np.stack([part, part], axis=1), 96_000, subtype="PCM_24")
    order = CopyOrder(kind="FLAC", most_rate_hz=44_100, levelling="as it is")
    for out in ("two", "one"):
        (tmp_path / out).mkdir()
    make_copies([tmp_path / "1.flac", tmp_path / "2.flac"], order, tmp_path / "two")
    make_copies([tmp_path / "all.flac"], order, tmp_path / "one")
    two = np.concatenate([soundfile.read(tmp_path / "two" / name, dtype="int32")[0] for name in ("1.flac", "2.flac")])
    one, _ = soundfile.read(tmp_path / "one" / "all.flac", dtype="int32")
    np.testing.assert_array_equal(two, one)
    expected = 0.5 * np.sin(2 * np.pi * 997 * np.arange(len(one)) / 44_100)
    np.testing.assert_allclose(one[2_000:-2_000, 0] / 2**31, expected[2_000:-2_000], atol=3e-7)


def test_a_copy_of_something_else_is_found_out(of_cd: list[Path], tmp_path: Path) -> None:
    order = CopyOrder(kind="MP3", kbit_s=128)
    made = make_copies(of_cd[:1], order, tmp_path).copies[0]
    other = soundfile.read(of_cd[2], dtype="float32")[0][: made.samples]
    for sound, fault in ((other[::-1], "unlike its master"), (other[:-1], "its master has")):
        proof = prove_copy(tmp_path / made.file, [sound], order, rate_hz=44_100, samples=len(sound), channels=2)
        assert fault in proof.fault and proof.verdict == "not proven"


@pytest.mark.parametrize(
    ("kind", "bits", "other"), [("ALAC", 16, "FLAC"), ("FLAC", 16, "ALAC"), ("FLAC", 16, "WAV"), ("FLAC", 16, "AIFF")]
)
def test_the_right_samples_in_another_format_are_not_called_identical(
    kind: str, bits: int, other: str, of_cd: list[Path], tmp_path: Path
) -> None:
    """A FLAC called .m4a plays nowhere, though every sample of it is right."""
    sound = soundfile.read(of_cd[0], dtype="int16")[0]
    path = tmp_path / f"copy{FORMS[kind].suffix}"  # type: ignore[index]
    if other == "ALAC":
        encode(path, [sound], CopyOrder(kind="ALAC"), rate_hz=44_100, channels=2)
    else:
        soundfile.write(path, sound, 44_100, format=other, subtype="PCM_16")
    order = CopyOrder.model_validate({"kind": kind, "bits": bits})
    proof = prove_copy(path, [sound], order, rate_hz=44_100, samples=len(sound), channels=2)
    assert proof.verdict == "not proven" and f"{kind} was asked for" in proof.fault


def lengths(frame: int, *, share: int, of: int = 64) -> list[int]:
    """A length for every remainder up to 64 and from the last 64 on, where faults were, and for a share of all others.

    The four tests of a format take a sixty-fourth each; every remainder was tried once. FFmpeg does not recognise an
    MP3 of fewer than some six frames.
    """
    edges = 64
    return [6 * frame + rest for rest in range(frame) if min(rest, frame - rest) <= edges or rest % of == share]


def coded_length(order: CopyOrder, rate_hz: int, sound: np.ndarray, path: Path) -> tuple[int, Found]:
    encode(path, [sound], order, rate_hz=rate_hz, channels=sound.shape[1])
    return sum(len(block) for block in decoded(path)), identify(path)


@pytest.mark.slow
@pytest.mark.parametrize("channels", [1, 2])
@pytest.mark.parametrize("rate_hz", [44_100, 48_000])
def test_an_mp3_ends_where_its_sound_does_whatever_remains_of_its_last_frame(
    rate_hz: int, channels: int, tmp_path: Path
) -> None:
    """Read back by FFmpeg's libraries and by libsndfile, which decodes with another library (mpg123)."""
    order, frame = CopyOrder(kind="MP3", kbit_s=128), 1_152
    noise = (0.1 * np.random.default_rng(1).standard_normal((7 * frame, channels))).astype(np.float32)
    wrong = {}
    for samples in lengths(frame, share=channels - 1 + (2 if rate_hz == 48_000 else 0)):
        path = tmp_path / f"{samples}.mp3"
        found = coded_length(order, rate_hz, noise[:samples], path)[0], soundfile.info(path).frames
        if found != (samples, samples):
            wrong[samples] = found
        path.unlink()
    assert wrong == {}


@pytest.mark.slow
@pytest.mark.parametrize("channels", [1, 2])
@pytest.mark.parametrize("rate_hz", [44_100, 48_000])
def test_an_aac_loses_none_of_its_sound_and_says_where_it_ends(rate_hz: int, channels: int, tmp_path: Path) -> None:
    order, frame = CopyOrder(kind="AAC", kbit_s=128), 1_024
    noise = (0.1 * np.random.default_rng(1).standard_normal((7 * frame, channels))).astype(np.float32)
    wrong = {}
    for samples in lengths(frame, share=channels - 1 + (2 if rate_hz == 48_000 else 0)):
        path = tmp_path / f"{samples}.m4a"
        found, facts = coded_length(order, rate_hz, noise[:samples], path)
        if not samples <= found < samples + frame or facts.stated_samples != samples:
            wrong[samples] = found, facts
        path.unlink()
    assert wrong == {}


@pytest.mark.slow
@pytest.mark.parametrize(
    ("asked", "rate_hz", "frame"),
    [
        ({"kind": "MP3", "quality": 3}, 22_050, 576),
        ({"kind": "MP3", "kbit_s": 32}, 8_000, 576),
        ({"kind": "Opus", "kbit_s": 64}, 48_000, 960),
        ({"kind": "Vorbis", "quality": 4}, 44_100, 2_048),
        ({"kind": "ALAC"}, 44_100, 4_096),
    ],
    ids=lambda one: one["kind"] if isinstance(one, dict) else str(one),
)
def test_other_formats_end_where_their_sound_does(
    asked: dict[str, object], rate_hz: int, frame: int, tmp_path: Path
) -> None:
    order = CopyOrder.model_validate(asked)
    noise = 0.1 * np.random.default_rng(1).standard_normal((7 * frame, 2))
    sound = (noise * 32_767).astype(np.int16) if order.form.lossless else noise.astype(np.float32)
    wrong = {}
    for samples in lengths(frame, share=0, of=37):
        path = tmp_path / f"{samples}{order.form.suffix}"
        found = coded_length(order, rate_hz, sound[:samples], path)[0]
        if found != samples:
            wrong[samples] = found
        path.unlink()
    assert wrong == {}


def test_copies_that_differ_in_rate_or_loudness_alone_have_names_of_their_own() -> None:
    orders = (
        CopyOrder(kind="FLAC", bits=16),
        CopyOrder(kind="FLAC", bits=16, most_rate_hz=44_100),
        CopyOrder(kind="FLAC", bits=16, levelling="to a loudness", target_lufs=-16),
        CopyOrder(kind="FLAC", bits=16, levelling="to a peak", ceiling_dbtp=-3),
    )
    assert [one.label for one in Profile(copies=orders).copies] == [
        "FLAC 16 bit",
        "FLAC 16 bit, 44.1 kHz at most",
        "FLAC 16 bit, -16 LUFS",
        "FLAC 16 bit, -3 dBTP",
    ]
    with pytest.raises(ValidationError, match="copies of the same name twice: FLAC 16 bit"):
        Profile(copies=(orders[0], orders[0].model_copy(update={"most_art_px": 500})))


def test_what_cannot_be_had_is_said_before_anything_is_written(of_cd: list[Path], tmp_path: Path) -> None:
    order = CopyOrder(kind="MP3", kbit_s=192)
    (tmp_path / "02 Track.mp3").write_text("mine")
    with pytest.raises(Refused, match="of that name is there already"):
        make_copies(of_cd, order, tmp_path)
    assert [path.name for path in tmp_path.iterdir()] == ["02 Track.mp3"]
    with pytest.raises(Refused, match="nothing to copy"):
        make_copies([], order, tmp_path)
    for wrong, words in (
        ({"kind": "MP3", "kbit_s": 193}, "constant rate"),
        ({"kind": "MP3"}, "how good"),
        ({"kind": "MP3", "kbit_s": 192, "quality": 3}, "not both"),
        ({"kind": "Vorbis", "kbit_s": 192}, "by quality"),
        ({"kind": "AAC", "quality": 5}, "by rate"),
        ({"kind": "ALAC", "kbit_s": 192}, "lossless"),
        ({"kind": "Opus", "kbit_s": 600}, "16 to 510"),
        ({"kind": "Opus", "kbit_s": 96, "bits": 16}, "no word length"),
    ):
        with pytest.raises(ValidationError, match=words):
            CopyOrder.model_validate(wrong)


@pytest.mark.parametrize("kind", list(FORMS))
@pytest.mark.parametrize("rate_hz", [8_000, 11_025, 22_050, 37_800, 44_100, 48_000, 88_200, 96_000, 176_400, 192_000])
def test_a_rate_is_kept_or_brought_down_within_its_family(kind: str, rate_hz: int) -> None:
    asked = {"MP3": {"kbit_s": 64}, "AAC": {"kbit_s": 64}, "Opus": {"kbit_s": 64}, "Vorbis": {"quality": 4}}
    order = CopyOrder.model_validate({"kind": kind, **asked.get(kind, {})})
    got = order.rate_for(rate_hz)
    form = FORMS[order.kind]
    assert not form.rates or got in form.rates
    if rate_hz <= 48_000 and (not form.rates or rate_hz in form.rates):
        assert got == rate_hz
    elif kind != "Opus" and rate_hz in (88_200, 176_400):
        assert got == 44_100
    else:
        assert got == 48_000 if rate_hz > 44_100 or kind == "Opus" else 44_100


def test_flac_copies_pass_the_reference_decoder(of_record: list[Path], tmp_path: Path) -> None:
    made = make_copies(of_record, CopyOrder(kind="FLAC", bits=16), tmp_path)
    for one in made.copies:
        subprocess.run(["flac", "-t", "-s", str(tmp_path / one.file)], check=True, capture_output=True)
