"""Our cue sheets, as programs and libraries of others read them, and the arithmetic of the compact disc."""

from __future__ import annotations

import ctypes
import re
import subprocess
from pathlib import Path

import numpy as np
import pytest
import soundfile

from inkwell_groove.core.cuesheet import parse
from inkwell_groove.core.disc.image import DiscImage
from inkwell_groove.core.disc.toc import Toc, TocTrack, absolute_time
from inkwell_groove.core.frames import msf
from tests.core.disc.test_layout import filed
from tests.discs import whole, write_image


@pytest.fixture(scope="module")
def sheet(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("disc")
    more = "    INDEX 02 00:02:00\n"
    return write_image(folder, (40, 80, 120), 170, gaps={1: 40, 2: 10, 3: 1}, more=more)


def test_metaflac_takes_the_sheet_of_a_single_file(sheet: Path, tmp_path: Path) -> None:
    """The `flac` package's own reader of cue sheets; what it exports again has the same places."""
    folder = filed(sheet, tmp_path / "out", "one file", opening=True)
    album = next(folder.glob("*.flac"))
    subprocess.run(["metaflac", f"--import-cuesheet-from={folder / 'disc.cue'}", album], check=True)
    told = subprocess.run(["metaflac", "--export-cuesheet-to=-", album], check=True, capture_output=True, text=True)
    assert re.findall(r"INDEX (\d\d) (\S+)", told.stdout) == [
        ("00", "00:00:00"),
        ("01", "00:00:40"),
        ("00", "00:00:70"),
        ("01", "00:01:05"),
        ("00", "00:01:44"),
        ("01", "00:01:45"),
        ("02", "00:02:00"),
    ]
    subprocess.run(["flac", "--test", "--silent", album], check=True)


class Libcue:
    """libcue (Debian's libcue2), a general-purpose parser of cue sheets, through its C interface."""

    def __init__(self, text: str) -> None:
        self._lib = ctypes.CDLL("libcue.so.2")
        for name in ("cue_parse_string", "cd_get_track", "cdtext_get", "track_get_cdtext", "track_get_filename"):
            getattr(self._lib, name).restype = ctypes.c_void_p
        for name in ("track_get_start", "track_get_length", "track_get_index", "track_get_zero_pre"):
            getattr(self._lib, name).restype = ctypes.c_long
        self._cd = ctypes.c_void_p(self._lib.cue_parse_string(text.encode()))
        assert self._cd.value, "libcue refuses the sheet"

    def __len__(self) -> int:
        return int(self._lib.cd_get_ntrack(self._cd))

    def track(self, number: int) -> ctypes.c_void_p:
        return ctypes.c_void_p(self._lib.cd_get_track(self._cd, number))

    def file(self, number: int) -> str:
        return ctypes.string_at(self._lib.track_get_filename(self.track(number))).decode()

    def index(self, number: int, index: int) -> int:
        return int(self._lib.track_get_index(self.track(number), index))

    def title(self, number: int) -> str:
        text = ctypes.c_void_p(self._lib.track_get_cdtext(self.track(number)))
        return ctypes.string_at(self._lib.cdtext_get(0, text)).decode()  # PTI_TITLE is 0


def test_libcue_reads_the_same_places_titles_and_files(sheet: Path, tmp_path: Path) -> None:
    folder = filed(sheet, tmp_path / "out", "one file", opening=True)
    text = (folder / "disc.cue").read_text()
    ours, faults = parse(text.encode())
    theirs = Libcue(text)
    assert not faults and len(theirs) == len(ours.tracks) == 3
    for track in ours.tracks:
        assert theirs.title(track.number) == track.title
        assert theirs.file(track.number) == track.indexes[0].file
        for index in track.indexes:
            assert theirs.index(track.number, index.number) == index.frames


@pytest.mark.parametrize("gaps", ["kept", "own track", "left out"])
def test_libcue_reads_a_sheet_of_many_files(sheet: Path, tmp_path: Path, gaps: str) -> None:
    folder = filed(sheet, tmp_path / "out", gaps, opening=True)  # type: ignore[arg-type]
    theirs = Libcue((folder / "disc.cue").read_text())
    assert len(theirs) == 3
    assert [theirs.title(number) for number in (1, 2, 3)] == ["Number 1", "Number 2", "Number 3"]


def test_an_image_in_wav_or_flac_is_the_same_disc_as_one_in_bytes(sheet: Path, tmp_path: Path) -> None:
    with DiscImage(sheet) as raw:
        audio, toc = whole(raw), raw.toc
    for suffix in ("wav", "flac"):
        soundfile.write(str(tmp_path / f"disc.{suffix}"), audio, 44_100, subtype="PCM_16")
        text = sheet.read_text().replace('"disc.bin" BINARY', f'"disc.{suffix}" WAVE')
        (tmp_path / f"{suffix}.cue").write_text(text)
        with DiscImage(tmp_path / f"{suffix}.cue") as image:
            np.testing.assert_array_equal(whole(image), audio)
            assert image.toc == toc


def test_the_disc_s_clock_begins_two_seconds_before_frame_nought() -> None:
    """IEC 60908 (from memory): 75 frames a second, absolute time 00:02:00 is frame address 0."""
    assert (absolute_time(0), absolute_time(4_500 - 150), msf(4_500)) == ("00:02:00", "01:00:00", "01:00:00")


@pytest.mark.parametrize("start", [3_809, 9_225])
def test_a_first_track_that_starts_late_leaves_that_much_before_it(start: int) -> None:
    """Common practice: a start of 3,809 leaves frames 0 to 3,808."""
    toc = Toc(tracks=(TocTrack(number=1, start=start),), lead_out=start + 9_000)
    assert toc.extent(0) == (0, start)
