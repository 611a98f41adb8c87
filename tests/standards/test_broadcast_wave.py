"""Recordings as files, against the published layouts and other people's readers.

Sources: EBU Tech 3285 v2 (bext), EBU Tech 3306 v1 (RF64), Multimedia Programming Interface 1.0 (RIFF). The parser here
is written from those alone and shares nothing with the application; libsndfile and FFmpeg read the files too.
"""

from __future__ import annotations

import struct
from datetime import datetime
from pathlib import Path

import av
import numpy as np
import pytest
import soundfile
from hypothesis import given
from hypothesis import strategies as st

from inkwell_groove.core.audio import bext, riff
from inkwell_groove.core.audio.bext import Bext
from inkwell_groove.core.errors import NotSound, Truncated
from inkwell_groove.core.transfer.chain import Chain, RecordingFacts, bext_of, coding_history

BEXT_FIXED_BYTES = 602  # Tech 3285: 256 + 32 + 32 + 10 + 8 + 4 + 4 + 2 + 64 + 5 * 2 + 180

FACTS = RecordingFacts(
    shelfmark="WH-0031",
    sides="Side A",
    title="Slack Water / Paper Oars",
    chain=Chain(
        name="Deck 1",
        deck="Turntable 1",
        stylus="elliptical, 5 x 18 µm",
        speed="45 rpm",
        equalisation="IEC 60098",
        preamp="Phono 2",
        interface="Converter",
        operator="Émile R.",
    ),
    source="Turntable and preamp",
    gain_db=3.5,
    rate_hz=96_000,
    bits=24,
    channels=2,
    began_at=datetime(2026, 11, 23, 17, 5, 9, 500_000),
    software="Inkwell Groove 0.1.0",
)


def chunks(data: bytes) -> dict[bytes, tuple[int, bytes]]:
    """Chunks up to the samples, (declared size, bytes that are there): the layout by the letter of the standard."""
    assert data[8:12] == b"WAVE"
    found, at = {}, 12
    while at + 8 <= len(data):
        kind, size = data[at : at + 4], struct.unpack_from("<I", data, at + 4)[0]
        found[kind] = (size, data[at + 8 : at + 8 + size])
        if kind == b"data":
            break
        at += 8 + size + size % 2
    return found


def recording(path: Path, samples: int, *, pcm: bytes = b"") -> Path:
    """A file as the recorder leaves it; without samples of its own it is sparse."""
    align = 6
    header = riff.recording_header(
        rate_hz=96_000, channels=2, bits=24, bext=bext.render(bext_of(FACTS)), data_bytes=samples * align
    )
    with path.open("wb") as file:
        file.write(header + pcm)
        file.truncate(len(header) + samples * align)
    return path


def test_the_bext_chunk_lies_as_tech_3285_lays_it_out(tmp_path: Path) -> None:
    data = recording(tmp_path / "a.wav", 1_000).read_bytes()
    size, chunk = chunks(data)[b"bext"]
    history = coding_history(FACTS).encode()
    assert size == BEXT_FIXED_BYTES + len(history) + len(history) % 2
    assert chunk[BEXT_FIXED_BYTES:].rstrip(b"\0") == history
    text = lambda first, last: chunk[first:last].rstrip(b"\0").decode("ascii")  # noqa: E731
    assert text(0, 256) == "WH-0031, Side A: Slack Water / Paper Oars"
    assert text(256, 288) == "Inkwell Groove 0.1.0"
    assert text(288, 320) == "WH-0031 20261123T170509"
    assert text(320, 330) == "2026-11-23"
    assert text(330, 338) == "17:05:09"
    low, high = struct.unpack_from("<II", chunk, 338)
    assert high << 32 | low == round((17 * 3600 + 5 * 60 + 9.5) * 96_000)
    assert struct.unpack_from("<H", chunk, 346) == (2,)
    assert chunk[348:412] == bytes(64)
    assert struct.unpack_from("<5h", chunk, 412) == (0x7FFF,) * 5
    assert chunk[422:602] == bytes(180)


def test_the_coding_history_follows_the_signal() -> None:
    lines = coding_history(FACTS).split("\r\n")
    assert lines == [
        "A=ANALOGUE,M=stereo,T=Turntable 1; elliptical; 5 x 18 um; 45 rpm; IEC 60098",
        "A=PCM,F=96000,W=24,M=stereo,T=Phono 2; Converter; gain +3.5 dB",
        "A=PCM,F=96000,W=24,M=stereo,T=Inkwell Groove 0.1.0; Emile R.",
        "",
    ]
    # Each field once and in the order of the standard: A, F, B, W, M, T.
    for line in lines[:-1]:
        keys = [part.split("=", 1)[0] for part in line.split(",")]
        assert keys == [key for key in "AFBWMT" if key in keys]


def test_a_recording_reads_back_with_libsndfile_and_ffmpeg(tmp_path: Path) -> None:
    rng = np.random.default_rng(1)
    whole = rng.integers(-(2**23), 2**23, (20_001, 2), dtype=np.int32)
    pcm = (whole << 8).astype("<i4").view(np.uint8).reshape(-1, 4)[:, 1:].tobytes()
    path = recording(tmp_path / "a.wav", 20_001, pcm=pcm)
    read, rate_hz = soundfile.read(str(path), dtype="int32", always_2d=True)
    assert rate_hz == 96_000
    np.testing.assert_array_equal(read >> 8, whole)
    with av.open(str(path)) as file:
        stream = file.streams.audio[0]
        assert (stream.rate, stream.channels, stream.codec_context.name) == (96_000, 2, "pcm_s24le")
        assert file.metadata["coding_history"].startswith("A=ANALOGUE,M=stereo,T=Turntable 1")
        assert file.metadata["encoded_by"] == "Inkwell Groove 0.1.0"
        decoded = np.concatenate([frame.to_ndarray().reshape(-1, 2) for frame in file.decode(stream)])
    np.testing.assert_array_equal(decoded >> 8, whole)


def test_over_four_gigabytes_it_is_rf64_with_the_sizes_in_ds64(tmp_path: Path) -> None:
    samples = 800_000_000  # 4.8 GB, sparse
    path = recording(tmp_path / "long.wav", samples)
    with path.open("rb") as file:
        head = file.read(4_096)
    assert head[:4] == b"RF64"
    assert struct.unpack_from("<I", head, 4) == (0xFFFFFFFF,)
    # Tech 3306: ds64 comes first; RIFF size, data size and sample count as 64 bit, an empty table.
    assert head[12:16] == b"ds64"
    size, riff_size, data_size, count, table = struct.unpack_from("<IQQQI", head, 16)
    assert (size, data_size, count, table) == (28, samples * 6, samples, 0)
    assert riff_size == path.stat().st_size - 8
    assert chunks(head)[b"data"][0] == 0xFFFFFFFF
    assert soundfile.info(str(path)).frames == samples
    with av.open(str(path)) as opened:
        assert opened.duration == pytest.approx(samples / 96_000 * 1e6, rel=1e-6)


def test_the_header_has_one_length_whatever_the_size() -> None:
    chunk = bext.render(bext_of(FACTS))
    lengths = {
        len(riff.recording_header(rate_hz=96_000, channels=2, bits=24, bext=chunk, data_bytes=size))
        for size in (0, 6, 4_000_000_000, 5_000_000_000, 60_000_000_000)
    }
    assert len(lengths) == 1


def test_loudness_is_written_in_hundredths(tmp_path: Path) -> None:
    chunk = bext.render(bext_of(FACTS, loudness_lufs=-18.236, max_true_peak_dbtp=-4.1))
    assert struct.unpack_from("<5h", chunk, 412) == (-1824, 0x7FFF, -410, 0x7FFF, 0x7FFF)
    found = bext.parse(chunk)
    assert (found.loudness_lufs, found.max_true_peak_dbtp) == (-18.24, -4.1)


ascii_line = st.text(st.characters(min_codepoint=32, max_codepoint=126))
hundredths = st.none() | st.integers(-9_900, 9_900).map(lambda value: value / 100)


@given(
    st.builds(
        Bext,
        description=ascii_line.map(lambda text: text[:256]),
        originator=ascii_line.map(lambda text: text[:32]),
        originator_reference=ascii_line.map(lambda text: text[:32]),
        origination_date=st.just("") | st.dates().map(str),
        origination_time=st.just("") | st.times().map(lambda time: f"{time:%H:%M:%S}"),
        time_reference_samples=st.integers(0, 2**64 - 1),
        loudness_lufs=hundredths,
        max_true_peak_dbtp=hundredths,
        coding_history=st.lists(ascii_line, max_size=4).map(lambda lines: "".join(f"{line}\r\n" for line in lines)),
    )
)
def test_what_is_written_is_what_is_read(value: Bext) -> None:
    assert bext.parse(bext.render(value)) == value


@given(st.binary(max_size=900))
def test_rubbish_for_a_chunk_is_answered_and_never_breaks(data: bytes) -> None:
    try:
        bext.parse(data, name="rubbish")
    except (Truncated, NotSound) as refusal:
        assert refusal.where == "rubbish"


@pytest.mark.parametrize("version", [0, 1])
def test_chunks_of_earlier_versions_have_no_loudness(version: int) -> None:
    raw = bytearray(bext.render(bext_of(FACTS, loudness_lufs=-20.0)))
    struct.pack_into("<H", raw, 346, version)
    assert bext.parse(bytes(raw)).loudness_lufs is None


def test_text_that_is_no_ascii_is_made_readable() -> None:
    assert bext.ascii_text("Größe − „Čaj“ 茶") == "Große - ?Caj? ?".replace("ß", "?")


def test_the_chunk_is_found_before_the_samples(tmp_path: Path) -> None:
    path = recording(tmp_path / "a.wav", 10)
    size = path.stat().st_size
    with path.open("rb") as file:
        found = riff.read_chunk(file, b"bext", size=size, name="a.wav")
        assert found is not None
        assert bext.parse(found).originator_reference == "WH-0031 20261123T170509"
        assert riff.read_chunk(file, b"cue ", size=size, name="a.wav") is None
