"""A disc divided into files, and made again from them by the cue sheet: the same, sample for sample."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkwell_groove.core.disc import cdtext
from inkwell_groove.core.disc.cdtext import DiscText
from inkwell_groove.core.disc.drive import DriveFacts
from inkwell_groove.core.disc.filing import CUE_NAME, PLAYLIST_NAME, write_files
from inkwell_groove.core.disc.image import DiscImage
from inkwell_groove.core.disc.layout import DiscLayout, GapChoice
from inkwell_groove.core.disc.reading import numbers_to_read, read_tracks
from inkwell_groove.core.disc.record import DiscRecord
from inkwell_groove.core.disc.sound import DiscSound, files_in
from inkwell_groove.core.disc.toc import Toc, TocTrack
from inkwell_groove.core.errors import Refused
from inkwell_groove.devices.optical import DriveProfile, SimulatedDrive
from tests.discs import whole, write_image

SILENT_GAPS = [(70, 80), (119, 120)]


def filed(sheet: Path, out: Path, gaps: GapChoice, *, opening: bool) -> Path:
    """Reads an image and files it; the folder of the files."""
    (out / "read").mkdir(parents=True)
    (out / "filed").mkdir()
    with DiscImage(sheet) as image:
        drive = SimulatedDrive(image, DriveProfile(over_reads=True))
        toc = image.toc
        reading = read_tracks(drive, toc, out / "read", numbers_to_read(toc))
        record = DiscRecord(
            application="test",
            read_at="2026-11-25T12:00:00+00:00",
            read_by="test",
            drive=DriveFacts(id="x", name="x"),
            offset_samples=0,
            offset_from="assumed",
            twice=True,
            toc=toc,
            text=image.text,
            opening=reading.opening,
            tracks=reading.tracks,
        )
    layout = DiscLayout(toc=toc, gaps=gaps, opening=opening)
    with DiscSound(toc, files_in(out / "read", numbers_to_read(toc))) as sound:
        write_files(sound, layout, [record], out / "filed")
    return out / "filed"


@pytest.mark.parametrize("silent_opening", [False, True])
@pytest.mark.parametrize("gaps", ["kept", "own track", "one file"])
def test_files_and_cue_sheet_are_the_disc_again(tmp_path: Path, gaps: GapChoice, silent_opening: bool) -> None:
    silent = [(0, 40)] if silent_opening else []
    sheet = write_image(
        tmp_path, (40, 80, 120), 170, gaps={1: 40, 2: 10, 3: 1}, silent=silent, more="    INDEX 02 00:02:00\n"
    )
    folder = filed(sheet, tmp_path / "out", gaps, opening=not silent_opening)
    with DiscImage(sheet) as disc, DiscImage(folder / CUE_NAME) as again:
        np.testing.assert_array_equal(whole(again), whole(disc))
        assert again.toc == disc.toc
        assert again.text == disc.text
    played = [line for line in (folder / PLAYLIST_NAME).read_text().splitlines() if not line.startswith("#")]
    if gaps == "one file":
        assert len(played) == 1
    else:
        assert (played[0] == "00 Hidden opening.flac") is not silent_opening
        assert len(played) == 3 + (not silent_opening)


def test_what_is_left_out_between_tracks_comes_again_as_silence(tmp_path: Path) -> None:
    sheet = write_image(tmp_path, (0, 80, 120), 170, gaps={2: 10, 3: 1}, silent=SILENT_GAPS)
    folder = filed(sheet, tmp_path / "out", "left out", opening=False)
    with DiscImage(sheet) as disc, DiscImage(folder / CUE_NAME) as again:
        np.testing.assert_array_equal(whole(again), whole(disc))
        assert again.toc == disc.toc
    loud = write_image(tmp_path, (0, 80, 120), 170, gaps={2: 10, 3: 1})
    folder = filed(loud, tmp_path / "loud", "left out", opening=False)
    with DiscImage(loud) as disc, DiscImage(folder / CUE_NAME) as again:
        differ = np.flatnonzero((whole(again) != whole(disc)).any(axis=1)) // 588
        assert set(differ.tolist()) == {*range(70, 80), 119}


@st.composite
def tocs(draw: st.DrawFn) -> Toc:
    """Discs of up to 12 tracks, some with gaps, further indexes and a hidden opening."""
    at, tracks = draw(st.integers(0, 60)), []
    pregap = 0 if at else None
    for number in range(1, draw(st.integers(1, 12)) + 1):
        further = sorted(draw(st.sets(st.integers(at + 1, at + 30), max_size=2)))
        tracks.append(TocTrack(number=number, start=at, pregap_start=pregap, further_indexes=tuple(further)))
        gap = at + 31 + draw(st.integers(0, 20))
        at = gap + draw(st.integers(0, 15))
        pregap = gap if gap < at else None
    return Toc(tracks=tuple(tracks), lead_out=at + 1)


@given(tocs(), st.sampled_from(["kept", "own track", "one file"]))
def test_every_frame_of_a_disc_is_in_just_one_file(toc: Toc, gaps: GapChoice) -> None:
    pieces = DiscLayout(toc=toc, gaps=gaps, opening=True).pieces()
    assert [one.first_frame for one in pieces] == [0, *(one.end_frame for one in pieces[:-1])]
    assert pieces[-1].end_frame == toc.audio_end
    assert all(one.first_frame < one.music_end <= one.end_frame for one in pieces)


TEXTS = st.text(st.characters(min_codepoint=33, max_codepoint=255, exclude_categories=["Cc", "Zs"]), max_size=40)


@given(TEXTS, TEXTS, st.lists(st.tuples(TEXTS, TEXTS), min_size=1, max_size=20))
def test_cd_text_reads_back_from_its_packs(title: str, performer: str, tracks: list[tuple[str, str]]) -> None:
    said = {number: one for number, one in enumerate(tracks, start=1) if any(one)}
    text = DiscText(title=title, performer=performer, tracks=said)
    packs = cdtext.render(text, len(tracks))
    assert len(packs) % cdtext.PACK_BYTES == 0
    found, damaged = cdtext.parse(packs)
    assert damaged == 0
    assert DiscText.model_validate(found.model_dump()) == _normal(text)


def _normal(text: DiscText) -> DiscText:
    from inkwell_groove.core.description import clean_text

    tracks = {number: (clean_text(one), clean_text(other)) for number, (one, other) in text.tracks.items()}
    tracks = {number: one for number, one in tracks.items() if any(one)}
    return DiscText(title=clean_text(text.title), performer=clean_text(text.performer), tracks=tracks)


@pytest.mark.parametrize("length", [30, 31, 60, 200])
def test_cd_text_that_does_not_fit_into_a_block_is_cut_and_breaks_nothing(length: int) -> None:
    """A block holds 253 packs of 12 bytes: 99 tracks of long names were a fault of the program."""
    tracks = {n: (f"{n:02} {'t' * length}", f"{n:02} {'p' * length}") for n in range(1, 100)}
    packs = cdtext.render(DiscText(title="A long night", performer="All of them", tracks=tracks), 99)
    assert len(packs) // cdtext.PACK_BYTES <= 256
    found, damaged = cdtext.parse(packs)
    assert damaged == 0 and found.title == "A long night"
    for number, (title, performer) in found.tracks.items():
        assert title and tracks[number][0].startswith(title)
        assert performer and tracks[number][1].startswith(performer)


def test_a_performer_who_is_the_same_on_every_track_takes_no_room() -> None:
    tracks = {n: (f"{n:02} {'t' * 21}", "The Tollgate Sisters with the Marrowby Silver Band") for n in range(1, 100)}
    text = DiscText(title="Harbour Lights", performer="Various", tracks=tracks)
    found, damaged = cdtext.parse(cdtext.render(text, 99))
    assert (found, damaged) == (text, 0)


def test_a_damaged_pack_costs_only_the_texts_that_lie_in_it() -> None:
    text = DiscText(title="Tin Lighthouse", tracks={n: (f"The title of track {n}", "Trio") for n in range(1, 6)})
    packs = bytearray(cdtext.render(text, 5))
    packs[3 * cdtext.PACK_BYTES + 7] ^= 1
    found, damaged = cdtext.parse(bytes(packs))
    assert damaged == 1
    assert found.title == "Tin Lighthouse"
    lost = [number for number in range(1, 6) if found.tracks[number][0] != f"The title of track {number}"]
    assert lost and all(found.tracks[number][0] == "" for number in lost) and len(lost) < 3


@given(st.binary(max_size=200))
def test_rubbish_is_no_cd_text_and_breaks_nothing(data: bytes) -> None:
    cdtext.parse(data)


@pytest.mark.parametrize(
    ("lines", "what"),
    [
        ('FILE "gone.bin" BINARY\n  TRACK 01 AUDIO\n    INDEX 01 00:00:00\n', "line 1: the file 'gone.bin' is not"),
        ('FILE "../disc.bin" BINARY\n  TRACK 01 AUDIO\n    INDEX 01 00:00:00\n', "line 1: the file '../disc.bin'"),
        ('FILE "/etc/passwd" BINARY\n  TRACK 01 AUDIO\n    INDEX 01 00:00:00\n', "line 1: the file '/etc/passwd'"),
        ('FILE "disc.bin" BINARY\n  TRACK 01 AUDIO\n    INDEX 01 09:00:00\n', "line 3: the first index of a file"),
        (
            'FILE "disc.bin" BINARY\n TRACK 01 AUDIO\n  INDEX 01 00:00:00\n TRACK 02 AUDIO\n  INDEX 01 09:00:00\n',
            "09:00:00 lies after the end of 'disc.bin'",
        ),
        ('FILE "odd.bin" BINARY\n  TRACK 01 AUDIO\n    INDEX 01 00:00:00\n', "3 bytes are not whole samples"),
        ('FILE "mono.wav" WAVE\n  TRACK 01 AUDIO\n    INDEX 01 00:00:00\n', "it is 22050 Hz, s16, 1 channels"),
        ("", "there is no track in it"),
    ],
)
def test_an_image_that_is_none_is_refused_with_its_line(tmp_path: Path, lines: str, what: str) -> None:
    import soundfile

    inner = tmp_path / "inner"
    inner.mkdir()
    write_image(tmp_path, (0,), 20)
    write_image(inner, (0,), 20)
    (inner / "odd.bin").write_bytes(b"123")
    soundfile.write(str(inner / "mono.wav"), np.zeros(22_050, np.int16), 22_050)
    (inner / "disc.cue").write_text(lines)
    with pytest.raises(Refused) as refused:
        DiscImage(inner / "disc.cue")
    assert what in str(refused.value)


def test_silence_in_no_file_lies_before_an_index_00_that_is_in_one(tmp_path: Path) -> None:
    sheet = write_image(tmp_path, (0, 40), 80)
    sheet.write_text(
        'FILE "disc.bin" BINARY\n  TRACK 01 AUDIO\n    INDEX 01 00:00:00\n'
        "  TRACK 02 AUDIO\n    PREGAP 00:00:10\n    INDEX 00 00:00:30\n    INDEX 01 00:00:40\n"
    )
    with DiscImage(sheet) as image:
        assert (image.toc.tracks[1].pregap_start, image.toc.tracks[1].start, image.toc.lead_out) == (30, 50, 90)
        assert not image.read(30 * 588, 40 * 588).any() and image.read(40 * 588, 41 * 588).any()
