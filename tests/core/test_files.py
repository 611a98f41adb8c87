"""Probing and reading recordings: what is accepted, what is refused and how, and hostile bytes."""

from __future__ import annotations

import io
import pickle
import struct
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from inkwell_groove.core.audio import riff
from inkwell_groove.core.audio.flacfile import read_streaminfo
from inkwell_groove.core.audio.probe import probe
from inkwell_groove.core.audio.soundfiles import FileReader
from inkwell_groove.core.errors import InkwellError, LengthLie, NotSound, Refused, Truncated
from tests.patience import examples
from tests.sounds import noise, write


def wav(
    data: bytes, *, declared: int | None = None, channels: int = 2, rate_hz: int = 48_000, bits: int = 16, tag: int = 1
) -> bytes:
    align = channels * bits // 8
    fmt = struct.pack("<HHIIHH", tag, channels, rate_hz, rate_hz * align, align, bits)
    length = len(data) if declared is None else declared
    return (
        struct.pack("<4sI4s4sI", b"RIFF", (36 + length) & 0xFFFFFFFF, b"WAVE", b"fmt ", 16)
        + fmt
        + struct.pack("<4sI", b"data", length)
        + data
    )


@pytest.mark.parametrize("rate_hz", [8_000, 44_100, 96_000, 192_000])
@pytest.mark.parametrize("channels", [1, 2])
@pytest.mark.parametrize(
    ("form", "subtype", "suffix", "word"),
    [
        ("WAV", "PCM_16", "wav", "s16"),
        ("WAV", "PCM_24", "wav", "s24"),
        ("WAV", "PCM_32", "wav", "s32"),
        ("WAV", "FLOAT", "wav", "f32"),
        ("WAVEX", "PCM_24", "wav", "s24"),
        ("RF64", "PCM_24", "rf64", "s24"),
        ("AIFF", "PCM_24", "aiff", "s24"),
        ("FLAC", "PCM_16", "flac", "s16"),
        ("FLAC", "PCM_24", "flac", "s24"),
    ],
)
def test_every_format_of_the_trade_is_recognised_and_read_exactly(
    tmp_path: Path, rate_hz: int, channels: int, form: str, subtype: str, suffix: str, word: str
) -> None:
    bits = 16 if subtype == "PCM_16" else 24
    data = noise(1_000, channels, bits=bits)
    # libsndfile scales integers to floats for nobody.
    given = data / 2147483648.0 if subtype == "FLOAT" else data
    path = write(tmp_path / f"side.{suffix}", given, rate_hz, subtype=subtype, form=form)
    found = probe(path)
    assert (found.word, found.rate_hz, found.channels, found.samples) == (word, rate_hz, channels, 1_000)
    assert found.lossless
    with FileReader(path) as reader:
        block = reader.read(100, 500).astype(np.float64) / found.full_scale
    np.testing.assert_array_equal(block, data[100:600] / 2147483648.0)


def test_a_name_is_never_believed(tmp_path: Path) -> None:
    path = tmp_path / "really.mp3"
    path.write_bytes(wav(bytes(400)))
    assert probe(path).container == "WAV"


@pytest.mark.parametrize("suffix", ["mp3", "ogg"])
def test_lossy_recordings_are_recognised_as_such(tmp_path: Path, suffix: str) -> None:
    path = write(
        tmp_path / f"side.{suffix}",
        noise(48_000) / 2.0**31,
        form=suffix.upper(),
        subtype={"mp3": "MPEG_LAYER_III", "ogg": "VORBIS"}[suffix],
    )
    assert not probe(path).lossless


@pytest.mark.parametrize(
    ("content", "kind", "what"),
    [
        (b"", NotSound, "empty"),
        (b"hello, this is a letter", NotSound, "not audio"),
        (b"\x89PNG\r\n\x1a\n" + bytes(100), NotSound, "not audio"),
        (b"RIFF\x00\x00\x00\x00AVI LIST" + bytes(64), NotSound, "not audio"),
        (wav(b""), NotSound, "length of zero"),
        (wav(bytes(400))[:30], Truncated, "the fmt chunk needs 16 bytes"),
        (wav(bytes(400))[:38], Truncated, "ends before the samples begin"),
        (wav(bytes(600), channels=6), Refused, "6 channels are more than the 4"),
        (wav(bytes(400), rate_hz=4_000), Refused, "4000 Hz is outside"),
        (wav(bytes(400), rate_hz=384_000), Refused, "384000 Hz is outside"),
        (wav(bytes(400), tag=0x55), NotSound, "coding 0x0055"),
        (wav(bytes(400), tag=0x11), NotSound, "coding 0x0011"),
        (b"fLaC" + bytes(3), Truncated, "a metadata block's head needs 4 bytes"),
        (b"fLaC\x80\x00\x00\x22" + bytes(10), Truncated, "STREAMINFO needs 34 bytes, 10 are left"),
        (b"fLaC\x84\x00\x00\x04" + bytes(4), NotSound, "first metadata block is not STREAMINFO"),
        (b"\x00\x00\x00\x20ftypM4A " + bytes(64), NotSound, "AAC and ALAC"),
    ],
)
def test_what_is_no_recording_is_refused_with_place_and_remedy(
    tmp_path: Path, content: bytes, kind: type[InkwellError], what: str
) -> None:
    path = tmp_path / "side.wav"
    path.write_bytes(content)
    with pytest.raises(kind, match=what) as refusal:
        probe(path)
    assert refusal.value.where == "side.wav"
    assert refusal.value.remedy


@pytest.mark.parametrize(
    ("declared", "told"), [(4_000, "1000 samples"), (0, "no length"), (0xFFFFFFFF, "an unknown length")]
)
def test_a_header_that_lies_is_told_with_what_is_there(tmp_path: Path, declared: int, told: str) -> None:
    path = tmp_path / "side.wav"
    path.write_bytes(wav(bytes(range(200)) * 2, declared=declared))
    with pytest.raises(LengthLie, match=told) as lie:
        probe(path)
    assert lie.value.found_samples == 100
    assert lie.value.remedy is not None
    assert "Take in the 0.0 s" in lie.value.remedy


def test_a_lying_header_can_be_made_true(tmp_path: Path) -> None:
    data = bytes(range(200)) * 2
    content = wav(data, declared=9_999_999)
    layout = riff.read_layout(io.BytesIO(content), size=len(content), name="side.wav")
    path = tmp_path / "true.wav"
    path.write_bytes(riff.true_header(layout) + data)
    assert probe(path).samples == 100
    with FileReader(path) as reader:
        assert reader.read(0, 100).astype("<i2").tobytes() == data


def test_over_4_gib_the_true_header_is_rf64_with_the_size_in_ds64() -> None:
    layout = riff.RiffLayout(
        container="WAV",
        format_tag=1,
        channels=2,
        rate_hz=96_000,
        bits=24,
        block_align=6,
        fmt_chunk=struct.pack("<HHIIHH", 1, 2, 96_000, 576_000, 6, 24),
        data_offset=44,
        declared_bytes=0,
        found_bytes=6 * 10**9,
    )
    header = riff.true_header(layout)
    assert header[:4] == b"RF64"
    again = riff.read_layout(io.BytesIO(header), size=len(header) + 6 * 10**9, name="x")
    assert again.found_samples == again.declared_samples == 10**9


def aiff_file(folder: Path, *, form: str = "AIFF", subtype: str = "PCM_24") -> bytes:
    return write(folder / "side.aiff", noise(5_000, bits=24), 96_000, subtype=subtype, form=form).read_bytes()


def test_an_aiff_cut_short_anywhere_is_refused(tmp_path: Path) -> None:
    """libsndfile reads what is left, and it was taken in as the whole side."""
    whole = aiff_file(tmp_path)
    cut = tmp_path / "cut.aiff"
    for left in [*range(13, 80), *range(len(whole) - 80, len(whole) - 2), 500, 20_000]:
        cut.write_bytes(whole[:left])
        with pytest.raises(Refused) as refused:
            probe(cut)
        assert refused.value.remedy, left


@pytest.mark.parametrize("samples", [0, 1, 4_999, 5_001, 0xFFFFFFFF])
def test_an_aiff_whose_description_lies_about_its_length_is_refused(tmp_path: Path, samples: int) -> None:
    whole = bytearray(aiff_file(tmp_path))
    at = whole.index(b"COMM") + 10
    assert struct.unpack_from(">I", whole, at) == (5_000,)
    struct.pack_into(">I", whole, at, samples)
    (tmp_path / "lying.aiff").write_bytes(whole)
    with pytest.raises(Truncated, match="promises"):
        probe(tmp_path / "lying.aiff")


@pytest.mark.parametrize("subtype", ["PCM_16", "PCM_24", "PCM_32", "FLOAT"])
def test_an_aiff_that_is_whole_is_taken_in_with_whatever_follows_its_sound(tmp_path: Path, subtype: str) -> None:
    path = tmp_path / "side.aiff"
    data = noise(5_001, 1, bits=24)
    write(path, data / 2147483648.0 if subtype == "FLOAT" else data, 96_000, subtype=subtype, form="AIFF")
    with path.open("ab") as file:
        file.write(struct.pack(">4sI", b"NAME", 4) + b"Weir")
    assert probe(path).samples == 5_001


def test_a_flac_cut_short_is_told_when_it_is_read(tmp_path: Path) -> None:
    whole = write(tmp_path / "whole.flac", noise(200_000), form="FLAC")
    short = tmp_path / "short.flac"
    short.write_bytes(whole.read_bytes()[: whole.stat().st_size // 2])
    with FileReader(short) as reader, pytest.raises((Truncated, NotSound), match="audio"):
        reader.read(0, 200_000)


@settings(max_examples=examples(400))
@given(st.binary(max_size=120), st.sampled_from([b"RIFF", b"RF64", b"fLaC", b"FORM", b"OggS", b"ID3", b""]), st.data())
def test_hostile_bytes_raise_only_our_errors(
    tmp_path_factory: pytest.TempPathFactory, tail: bytes, magic: bytes, data: st.DataObject
) -> None:
    kind = b"WAVE" if magic in (b"RIFF", b"RF64") else b"AIFF"
    content = (
        magic
        + (struct.pack("<I", data.draw(st.integers(0, 2**32 - 1))) + kind if magic[:1] in b"RF" and magic else b"")
        + tail
    )
    path = tmp_path_factory.mktemp("hostile") / "x"
    path.write_bytes(content)
    with pytest.raises(InkwellError) as refusal:
        probe(path)
    assert refusal.value.where


@settings(max_examples=examples(400))
@given(st.integers(0, 43), st.binary(min_size=1, max_size=4))
def test_a_wav_with_damaged_header_bytes_is_read_or_refused_but_never_breaks(
    tmp_path_factory: pytest.TempPathFactory, at: int, damage: bytes
) -> None:
    content = bytearray(wav(bytes(400)))
    content[at : at + len(damage)] = damage
    path = tmp_path_factory.mktemp("damaged") / "x.wav"
    path.write_bytes(content)
    try:
        found = probe(path)
    except InkwellError:
        return
    assert 0 < found.samples <= 400


def test_errors_come_whole_out_of_another_process() -> None:
    lie = LengthLie("it lies", found_samples=1, declared_samples=2, where="x.wav", remedy="Copy it again")
    again = pickle.loads(pickle.dumps(lie))
    assert (again.what, again.where, again.remedy, again.found_samples) == ("it lies", "x.wav", "Copy it again", 1)
    assert str(again) == "x.wav: it lies. Copy it again."


def test_a_flac_block_that_is_longer_than_the_file_is_refused() -> None:
    content = b"fLaC\x00\x00\x00\x22" + bytes(34) + b"\x84\xff\xff\xff" + bytes(8)
    with pytest.raises(Truncated, match="VORBIS_COMMENT"):
        read_streaminfo(io.BytesIO(content), size=len(content), name="x.flac")
