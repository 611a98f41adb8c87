"""Sealing: the samples of the take and nothing else, proven, described and filed; the same twice."""

from __future__ import annotations

import hashlib
import io
from pathlib import Path

import numpy as np
import pytest
import soundfile
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from inkwell_groove.core import cuesheet
from inkwell_groove.core.artwork import examine
from inkwell_groove.core.audio.probe import probe
from inkwell_groove.core.audio.rendering import WordLength, render, word_length
from inkwell_groove.core.audio.soundfiles import FileReader
from inkwell_groove.core.audio.writing import prove_track, write_track
from inkwell_groove.core.description import Release, TrackDescription
from inkwell_groove.core.disc.record import TrackRead
from inkwell_groove.core.errors import LossyForMaster, ProofFailed, Refused
from inkwell_groove.core.files.art import ArtRule
from inkwell_groove.core.planning.plan import Plan, TrackSpan
from inkwell_groove.core.sealing.album import SUMS_NAME, seal_album
from inkwell_groove.core.sealing.order import CoverOrder, SealOrder, SideOrder
from inkwell_groove.core.sealing.papers import parse_checksum_list
from inkwell_groove.core.sealing.readings import prove_reading
from inkwell_groove.core.sealing.verify import verify
from inkwell_groove.core.tagging import read_tags
from inkwell_groove.demo.sleeve import lanterns_cover
from tests.sounds import ArrayReader, noise, write

SPANS = ((1_000, 30_000), (33_000, 60_000), (60_000, 99_001))


def order_for(
    take: Path, *, cover: Path | None = None, gaps: str = "kept", titles: tuple[str, ...] = ("One", "Two", "Three")
) -> SealOrder:
    tracks = tuple(TrackSpan(key=f"k{i}", start_sample=a, end_sample=b) for i, (a, b) in enumerate(SPANS))
    plan = Plan(take_sha256="ab" * 32, take_samples=100_000, tracks=tracks, gaps=gaps)  # type: ignore[arg-type]
    side = SideOrder(
        name="Side A",
        take_path=str(take),
        take_name=take.name,
        take_format=probe(take),
        plan=plan,
        descriptions=tuple(TrackDescription(number=n, title=title) for n, title in enumerate(titles, 1)),
    )
    return SealOrder(
        shelfmark="T-1",
        release=Release(album_artist="The Test Band", title="Test Record", year="1974-03"),
        sides=(side,),
        cover=CoverOrder(path=str(cover), facts=examine(cover.read_bytes(), name="c")) if cover else None,
        folder_pattern="{album artist}/{year} {title}",
        file_pattern="{number} {track title}",
        sealed_at="2026-01-01T00:00:00+00:00",
        sealed_by="tester",
    )


@pytest.mark.parametrize(
    ("subtype", "form", "channels", "rate_hz"),
    [
        ("PCM_16", "WAV", 2, 44_100),
        ("PCM_24", "FLAC", 2, 96_000),
        ("PCM_24", "AIFF", 1, 48_000),
        ("PCM_16", "WAV", 1, 8_000),
        ("PCM_24", "RF64", 2, 192_000),
    ],
)
@pytest.mark.parametrize("gaps", ["kept", "left out"])
def test_every_sample_of_every_track_is_the_takes(
    tmp_path: Path, subtype: str, form: str, channels: int, rate_hz: int, gaps: str
) -> None:
    data = noise(100_000, channels, bits=int(subtype[-2:]))
    take = write(tmp_path / "take", data, rate_hz, subtype=subtype, form=form)
    folder = tmp_path / "album"
    folder.mkdir()
    album = seal_album(order_for(take, gaps=gaps), folder)
    expected = [(1_000, 33_000), (33_000, 60_000), (60_000, 99_001)] if gaps == "kept" else list(SPANS)
    for track, (start, end) in zip(album.tracks, expected, strict=True):
        decoded, rate = soundfile.read(str(folder / track.file), dtype="int32", always_2d=True)
        assert rate == rate_hz
        np.testing.assert_array_equal(decoded, data[start:end])
        assert track.verdict == "identical"
        assert track.compared_samples == end - start


def test_the_papers_agree_with_the_files(tmp_path: Path) -> None:
    take = write(tmp_path / "take.wav", noise(100_000), 48_000)
    folder = tmp_path / "album"
    folder.mkdir()
    album = seal_album(order_for(take), folder)
    assert album.folders == ("The Test Band", "1974 Test Record")
    assert [track.file for track in album.tracks] == ["01 One.flac", "02 Two.flac", "03 Three.flac"]
    sheet, faults = cuesheet.parse((folder / "album.cue").read_bytes())
    assert not faults
    # The gap after track 1 begins 29,000 samples into its file: 29,000 / 48,000 * 75 = 45.3 frames.
    assert sheet.tracks[1].indexes[0] == cuesheet.CueIndex(number=0, file="01 One.flac", frames=45)
    assert len(sheet.tracks[2].indexes) == 1
    listed = parse_checksum_list((folder / SUMS_NAME).read_text())
    assert {name for name, _ in listed} == {path.name for path in folder.iterdir()} - {SUMS_NAME}
    for name, digest in listed:
        assert hashlib.sha256((folder / name).read_bytes()).hexdigest() == digest
    log = (folder / "sealing.log").read_text()
    for track in album.tracks:
        assert track.md5 in log
        assert f"{track.compared_samples} samples decoded and compared" in log
    assert "ab" * 32 in log
    assert (folder / "album.m3u8").read_text().splitlines()[:3] == [
        "#EXTM3U",
        "#EXTINF:1,The Test Band - One",
        "01 One.flac",
    ]


def test_a_cover_is_embedded_as_the_house_wants_it_and_kept_whole_beside(tmp_path: Path) -> None:
    cover = tmp_path / "cover.jpg"
    cover.write_bytes(lanterns_cover())
    take = write(tmp_path / "take.wav", noise(100_000))
    for rule, pixels, beside in (
        (ArtRule(most_px=600, beside=False), 600, True),
        (ArtRule(beside=False), 1_000, False),
        (ArtRule(), 1_000, True),
        (ArtRule(embed="none", beside=False), 0, True),
    ):
        folder = tmp_path / f"{rule.most_px} {rule.embed} {rule.beside}"
        folder.mkdir()
        order = order_for(take, cover=cover).model_copy(update={"art": rule})
        album = seal_album(order, folder)
        pictures = read_tags(folder / album.tracks[0].file).pictures
        assert [Image.open(io.BytesIO(data)).width for _, _, data in pictures] == ([pixels] if pixels else [])
        assert (folder / "cover.jpg").exists() == beside
        assert ("cover.jpg" in [file.name for file in album.files]) == beside
        if beside:
            assert (folder / "cover.jpg").read_bytes() == lanterns_cover(), "the original is kept"


def test_a_discs_take_must_be_what_its_best_readings_found(tmp_path: Path) -> None:
    data = noise(4 * 588, bits=16)
    side = order_for(write(tmp_path / "take.wav", data, 44_100, subtype="PCM_16")).sides[0]
    frames = (data >> 16).astype("<i2").reshape(4, -1)
    sha256 = hashlib.sha256(frames[1:3].tobytes()).hexdigest()
    read = TrackRead.model_construct(number=2, first_frame=1, end_frame=3, sha256=sha256)
    prove_reading(side, read)
    with pytest.raises(ProofFailed, match="track 2 is not the one that its best reading found"):
        prove_reading(side, read.model_copy(update={"end_frame": 4}))


def test_tags_and_cover_are_in_every_track(tmp_path: Path) -> None:
    cover = tmp_path / "cover.jpg"
    cover.write_bytes(lanterns_cover())
    take = write(tmp_path / "take.wav", noise(100_000))
    folder = tmp_path / "album"
    folder.mkdir()
    album = seal_album(order_for(take, cover=cover), folder)
    tags = read_tags(folder / album.tracks[1].file)
    assert dict(tags.fields) == {
        "TITLE": "Two",
        "ARTIST": "The Test Band",
        "ALBUMARTIST": "The Test Band",
        "ALBUM": "Test Record",
        "DATE": "1974-03",
        "TRACKNUMBER": "2",
        "TRACKTOTAL": "3",
        "SHELFMARK": "T-1",
    }
    assert tags.pictures == ((3, "image/jpeg", cover.read_bytes()),)


def test_sealing_twice_gives_the_same_files_but_for_the_time_in_the_log(tmp_path: Path) -> None:
    take = write(tmp_path / "take.wav", noise(100_000))
    albums = []
    for name in ("once", "twice"):
        (tmp_path / name).mkdir()
        album = seal_album(order_for(take).model_copy(update={"sealed_at": name}), tmp_path / name)
        albums.append({file.name: file.sha256 for file in album.files if file.name not in ("sealing.log", SUMS_NAME)})
    assert albums[0] == albums[1]


def test_tracks_of_the_same_title_get_different_files(tmp_path: Path) -> None:
    take = write(tmp_path / "take.wav", noise(100_000))
    folder = tmp_path / "album"
    folder.mkdir()
    order = order_for(take, titles=("Reel", "REEL", "Reel")).model_copy(update={"file_pattern": "{track title}"})
    assert len({track.file.casefold() for track in seal_album(order, folder).tracks}) == 3


@pytest.mark.parametrize(
    ("change", "what"),
    [
        ({"release": Release(title="Test Record")}, "Album artist"),
        ({"release": Release()}, "Album artist; Title"),
        ({"sides": ()}, "no track to seal"),
    ],
)
def test_an_order_that_lacks_something_is_refused_before_a_byte_is_written(
    tmp_path: Path, change: dict[str, object], what: str
) -> None:
    take = write(tmp_path / "take.wav", noise(100_000))
    folder = tmp_path / "album"
    folder.mkdir()
    with pytest.raises(Refused, match=what):
        seal_album(order_for(take).model_copy(update=change), folder)
    assert list(folder.iterdir()) == []


def test_untitled_tracks_are_named_by_number(tmp_path: Path) -> None:
    take = write(tmp_path / "take.wav", noise(100_000))
    with pytest.raises(Refused, match="title of tracks 1, 3"):
        seal_album(order_for(take, titles=("", "Two", "")), tmp_path)


def test_a_lossy_take_is_never_sealed(tmp_path: Path) -> None:
    take = write(tmp_path / "take.ogg", noise(100_000) / 2.0**31, form="OGG", subtype="VORBIS")
    with pytest.raises(LossyForMaster, match="lossy recording"):
        seal_album(order_for(take), tmp_path)


def test_the_proof_finds_a_single_wrong_sample(tmp_path: Path) -> None:
    data = noise(5_000, bits=16)
    take = write(tmp_path / "take.wav", data, subtype="PCM_16")
    wrong = data.copy()
    wrong[1_234, 1] ^= 1 << 16
    with FileReader(write(tmp_path / "wrong.wav", wrong, subtype="PCM_16")) as reader:
        write_track(reader, 0, 5_000, WordLength(bits=16), tmp_path / "x.flac")
    with FileReader(take) as reader, pytest.raises(ProofFailed, match="sample 1234 of channel 2"):
        prove_track(tmp_path / "x.flac", reader, 0, 5_000, WordLength(bits=16))


def test_the_proof_finds_a_track_that_is_a_sample_short(tmp_path: Path) -> None:
    take = write(tmp_path / "take.wav", noise(5_000), subtype="PCM_16")
    with FileReader(take) as reader:
        write_track(reader, 0, 4_999, WordLength(bits=16), tmp_path / "x.flac")
        with pytest.raises(ProofFailed, match="4999 samples, the plan says 5000"):
            prove_track(tmp_path / "x.flac", reader, 0, 5_000, WordLength(bits=16))


@settings(max_examples=60)
@given(st.integers(1, 90_000), st.integers(0, 10_000), st.integers(1, 70_000), st.booleans())
def test_what_is_rendered_does_not_depend_on_the_block_size(
    block: int, start: int, length: int, dithered: bool
) -> None:
    rng = np.random.default_rng(8)
    reader = ArrayReader(rng.uniform(-1, 1, (90_000, 2)).astype(np.float32), 48_000, "f32")
    word = WordLength(bits=24, dithered=dithered)
    whole = np.concatenate(list(render(reader, start, start + length, word, block_samples=10**6)))
    np.testing.assert_array_equal(
        np.concatenate(list(render(reader, start, start + length, word, block_samples=block))), whole
    )


def test_32_bit_takes_keep_24_bits_exactly_and_are_dithered_only_when_they_hold_more() -> None:
    exact = noise(70_000, bits=24)
    assert word_length(ArrayReader(exact, 48_000, "s32")) == WordLength(bits=24)
    assert word_length(ArrayReader((exact / 2.0**31).astype(np.float32), 48_000, "f32")) == WordLength(bits=24)
    fine = exact.copy()
    fine[69_999, 0] |= 1
    assert word_length(ArrayReader(fine, 48_000, "s32")) == WordLength(bits=24, dithered=True)


def test_dither_is_triangular_and_leaves_an_error_of_a_quarter_step_squared() -> None:
    # Lipshitz et al. 1992: the error of rounding with triangular dither has variance 1/4 of a step squared, always.
    level = 0.3 / 8388608
    reader = ArrayReader(np.full((400_000, 1), level, np.float32), 48_000, "f32")
    out = np.concatenate(list(render(reader, 0, 400_000, WordLength(bits=24, dithered=True)))) / 256.0
    error = out - 0.3
    assert abs(error.mean()) < 0.005
    assert error.var() == pytest.approx(0.25, rel=0.02)


def test_verifying_finds_what_was_altered_lost_or_added(tmp_path: Path) -> None:
    take = write(tmp_path / "take.wav", noise(100_000))
    folder = tmp_path / "album"
    folder.mkdir()
    seal_album(order_for(take), folder)
    assert verify(folder).sound
    flac = folder / "02 Two.flac"
    content = bytearray(flac.read_bytes())
    content[-2_000] ^= 0x10
    flac.write_bytes(content)
    (folder / "album.m3u8").unlink()
    (folder / "stray.txt").write_text("x")
    found = {one.file: one for one in verify(folder).files}
    assert found["02 Two.flac"].verdict == "faulty"
    assert found["album.m3u8"].verdict == "faulty"
    assert "missing" in found["album.m3u8"].reasons[0]
    assert found["stray.txt"].verdict == "unproven"
    assert found["01 One.flac"].verdict == "sound"
    assert not verify(folder).sound
