"""Damage in FLAC files named to the frame: in a minute of noise, where thousands of bytes look like headers."""

from __future__ import annotations

import random
from pathlib import Path

import av
import pytest
import soundfile

from inkwell_groove.core.audio.flacfile import read_streaminfo
from inkwell_groove.core.audio.flacframes import walk
from tests.patience import examples
from tests.sounds import noise


@pytest.fixture(scope="module")
def minute(tmp_path_factory: pytest.TempPathFactory) -> tuple[bytes, list[int]]:
    """A file, and where each of its frames begins (by FFmpeg's parser), and its end."""
    path = tmp_path_factory.mktemp("frames") / "minute.flac"
    soundfile.write(path, noise(44_100 * 60, bits=16), 44_100, subtype="PCM_16")
    data = path.read_bytes()
    with path.open("rb") as stream:
        at = read_streaminfo(stream, size=len(data), name=path.name).audio_offset
    starts = []
    with av.open(str(path)) as container:
        for packet in container.demux(container.streams.audio[0]):
            if packet.size:
                starts.append(at)
                at += packet.size
    assert at == len(data)
    return data, [*starts, at]


def damaged(folder: Path, data: bytes) -> list[tuple[int, int]]:
    path = folder / "damaged.flac"
    path.write_bytes(data)
    return [(one.first_frame, one.last_frame) for one in walk(path).damaged]


def flipped(data: bytes, *places: int) -> bytes:
    bad = bytearray(data)
    for place in places:
        bad[place] ^= 1
    return bytes(bad)


@pytest.mark.slow
def test_a_sound_file_is_sound_to_its_last_frame(tmp_path: Path, minute: tuple[bytes, list[int]]) -> None:
    data, starts = minute
    (tmp_path / "a.flac").write_bytes(data)
    report = walk(tmp_path / "a.flac")
    assert report.sound and report.frames == len(starts) - 1


@pytest.mark.slow
def test_every_flipped_bit_is_named_by_its_frame(tmp_path: Path, minute: tuple[bytes, list[int]]) -> None:
    data, starts = minute
    chance = random.Random(3)
    for _ in range(examples(150)):
        frame = chance.randrange(len(starts) - 1)
        place = chance.randrange(starts[frame], starts[frame + 1])
        bad = bytearray(data)
        bad[place] ^= 1 << chance.randrange(8)
        assert damaged(tmp_path, bytes(bad)) == [(frame, frame)], (frame, place - starts[frame])


@pytest.mark.parametrize("byte", range(7))
@pytest.mark.parametrize("which", [0, 1, 300, -1])
def test_a_damaged_header_is_its_own_frames(
    tmp_path: Path, minute: tuple[bytes, list[int]], which: int, byte: int
) -> None:
    data, starts = minute
    frame = which % (len(starts) - 1)
    assert damaged(tmp_path, flipped(data, starts[frame] + byte)) == [(frame, frame)]


def test_frames_that_are_lost_or_damaged_in_a_row_are_one_stretch(
    tmp_path: Path, minute: tuple[bytes, list[int]]
) -> None:
    data, starts = minute
    assert damaged(tmp_path, data[: starts[100]] + data[starts[110] :]) == [(100, 109)]
    assert damaged(tmp_path, flipped(data, starts[50] + 500, starts[51] + 2)) == [(50, 51)]
    assert damaged(tmp_path, flipped(data, starts[50] + 500, starts[60] + 500)) == [(50, 50), (60, 60)]
    assert damaged(tmp_path, data[: starts[100] + 77])[-1] == (100, 100)


def test_words_say_when(tmp_path: Path, minute: tuple[bytes, list[int]]) -> None:
    data, starts = minute
    (tmp_path / "a.flac").write_bytes(flipped(data, starts[212] + 99))
    assert walk(tmp_path / "a.flac").damaged[0].words() == "frame 212 (0:19.690 to 0:19.783)"
    (tmp_path / "b.flac").write_bytes(b"fLaC" + data[4:30])
    assert walk(tmp_path / "b.flac").metadata_words
