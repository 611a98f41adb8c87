"""RFC 9639, compact disc time, checksums and dates, each against the standard or an independent tool."""

from __future__ import annotations

import hashlib
import io
import subprocess
from pathlib import Path

import numpy as np
import pytest
import soundfile
from hypothesis import given
from hypothesis import strategies as st

from inkwell_groove.core.audio.flacfile import read_streaminfo
from inkwell_groove.core.audio.packing import pcm_bytes
from inkwell_groove.core.audio.rendering import WordLength
from inkwell_groove.core.audio.soundfiles import FileReader
from inkwell_groove.core.audio.writing import write_track
from inkwell_groove.core.errors import Refused
from inkwell_groove.core.frames import MAX_CUE_FRAMES, msf, nearest_frame, parse_msf
from inkwell_groove.core.sealing.papers import checksum_list, parse_checksum_list
from tests.sounds import noise, write

# RFC 9639 appendix D.1, the whole file; from memory, but its own CRCs and MD5 vouch for it.
RFC_9639_D1 = bytes.fromhex(
    "664c6143 80000022 10001000 00000f00 000f0ac4 42f00000 00013e84 b41807dc 69030758 6a3dad1a 2e0f"
    "fff86918 0000bf03 58fd0312 8baa9a"
)


def test_streaminfo_of_the_rfcs_first_example() -> None:
    info = read_streaminfo(io.BytesIO(RFC_9639_D1), size=len(RFC_9639_D1), name="D.1")
    assert (info.rate_hz, info.channels, info.bits, info.samples) == (44_100, 2, 16, 1)
    assert (info.min_block_samples, info.max_block_samples) == (4_096, 4_096)
    assert info.md5.hex() == "3e84b41807dc690307586a3dad1a2e0f"
    assert info.audio_offset == 42


def test_the_md5_of_the_rfcs_first_example_is_that_of_its_samples(tmp_path: Path) -> None:
    path = tmp_path / "d1.flac"
    path.write_bytes(RFC_9639_D1)
    samples, _ = soundfile.read(str(path), dtype="int16", always_2d=True)
    assert samples.tolist() == [[25_588, 10_416]]
    assert hashlib.md5(pcm_bytes(samples, 16)).hexdigest() == "3e84b41807dc690307586a3dad1a2e0f"


@pytest.mark.parametrize("bits", [16, 24])
@pytest.mark.parametrize("channels", [1, 2, 4])
def test_the_reference_decoder_agrees_with_our_flac_and_its_md5(tmp_path: Path, bits: int, channels: int) -> None:
    data = noise(30_000, channels, bits=bits)
    path = tmp_path / "x.flac"
    with FileReader(write(tmp_path / "take.wav", data, subtype=f"PCM_{bits}")) as reader:
        write_track(reader, 0, 30_000, WordLength(bits=bits), path)
    subprocess.run(["flac", "-t", "-s", path], check=True)
    told = subprocess.run(
        ["metaflac", "--show-md5sum", path], check=True, capture_output=True, text=True
    ).stdout.strip()
    block = data.astype(np.int32) if bits == 24 else (data >> 16).astype(np.int16)
    assert hashlib.md5(pcm_bytes(block, bits)).hexdigest() == told
    with path.open("rb") as stream:
        info = read_streaminfo(stream, size=path.stat().st_size, name="x.flac")
    assert info.md5.hex() == told


@pytest.mark.parametrize(
    ("frames", "text"),
    # IEC 60908 (from memory): 75 frames a second, 4,500 a minute; address 0 lies at absolute time 00:02:00, frame 150.
    [
        (0, "00:00:00"),
        (74, "00:00:74"),
        (75, "00:01:00"),
        (150, "00:02:00"),
        (4_499, "00:59:74"),
        (4_500, "01:00:00"),
        (MAX_CUE_FRAMES, "99:59:74"),
    ],
)
def test_msf_of_known_frames(frames: int, text: str) -> None:
    assert msf(frames) == text
    assert parse_msf(text) == frames


@given(st.integers(0, MAX_CUE_FRAMES))
def test_msf_reads_back(frames: int) -> None:
    assert parse_msf(msf(frames)) == frames


@pytest.mark.parametrize(
    "text", ["00:00:75", "00:60:00", "0:00:00", "00:00:0", "000:00:00", "00.00.00", "-1:00:00", "00:00:00 ", "٠٠:٠٠:٠٠"]
)
def test_what_is_no_msf_is_refused(text: str) -> None:
    with pytest.raises(Refused):
        parse_msf(text)


def test_times_beyond_two_digits_are_refused() -> None:
    with pytest.raises(Refused):
        msf(MAX_CUE_FRAMES + 1)
    with pytest.raises(Refused):
        msf(-1)


@given(st.integers(0, 10**9))
def test_at_the_cd_rate_a_frame_is_588_samples(frame: int) -> None:
    assert nearest_frame(frame * 588, 44_100) == frame
    assert nearest_frame(frame * 588 + 293, 44_100) == frame
    assert nearest_frame(frame * 588 + 294, 44_100) == frame + 1


def test_sha256sum_accepts_our_list(tmp_path: Path) -> None:
    names = ["01 One.flac", "a  b.txt", "zwölf.cue"]
    for name in names:
        (tmp_path / name).write_bytes(name.encode())
    pairs = [(name, hashlib.sha256(name.encode()).hexdigest()) for name in names]
    (tmp_path / "SHA256SUMS").write_text(checksum_list(pairs))
    subprocess.run(["sha256sum", "--strict", "-c", "SHA256SUMS"], cwd=tmp_path, check=True, capture_output=True)
    assert parse_checksum_list((tmp_path / "SHA256SUMS").read_text()) == pairs


def test_a_list_from_sha256sum_is_read(tmp_path: Path) -> None:
    (tmp_path / "x y").write_bytes(b"x")
    told = subprocess.run(["sha256sum", "-b", "x y"], cwd=tmp_path, check=True, capture_output=True, text=True).stdout
    assert parse_checksum_list(told) == [("x y", hashlib.sha256(b"x").hexdigest())]
    with pytest.raises(ValueError, match="line 2"):
        parse_checksum_list(told + "not a sum\n")
