"""Whole packages: valid bags whose every file is proven, taken apart again bit for bit; damage found and named."""

from __future__ import annotations

import hashlib
import json
import random
import shutil
import struct
import subprocess
from collections.abc import Iterable
from pathlib import Path
from xml.etree import ElementTree as ET

import bagit
import numpy as np
import pytest
import soundfile
from mutagen.flac import FLAC

from inkwell_groove.core.artwork import examine
from inkwell_groove.core.audio import bext, riff
from inkwell_groove.core.audio.flacfile import read_streaminfo
from inkwell_groove.core.audio.probe import probe
from inkwell_groove.core.copies.encode import encode
from inkwell_groove.core.copies.order import CopyOrder
from inkwell_groove.core.errors import ProofFailed, Refused
from inkwell_groove.core.fixity import check_folder
from inkwell_groove.core.sealing.apart import take_apart
from inkwell_groove.core.sealing.bag import listed
from inkwell_groove.core.sealing.keeping import Earlier
from inkwell_groove.core.sealing.order import PictureOrder, SealedAlbum, SealOrder
from inkwell_groove.core.sealing.package import part_folders, seal_package
from inkwell_groove.core.sealing.profile import Masters, Profile
from inkwell_groove.core.sealing.verify import verify
from inkwell_groove.demo.sleeve import lanterns_cover
from tests.core.test_sealing import order_for
from tests.sounds import noise, write

FULL = Profile(
    one_file=True,
    untouched="BWF",
    copies=(CopyOrder(kind="MP3", kbit_s=128, most_art_px=300), CopyOrder(kind="FLAC", bits=16, most_rate_hz=44_100)),
)


def order_in(folder: Path, profile: Profile, *, rate_hz: int = 48_000, bits: int = 24) -> SealOrder:
    """A docket of one side with a cover and a second picture."""
    data = noise(100_000, bits=bits)
    take = write(folder / "take.flac", data, rate_hz, subtype=f"PCM_{bits}", form="FLAC")
    cover = folder / "cover.jpg"
    cover.write_bytes(lanterns_cover())
    order = order_for(take, cover=cover)
    side = order.sides[0]
    plan = side.plan.model_copy(update={"take_sha256": hashlib.sha256(take.read_bytes()).hexdigest()})
    side = side.model_copy(update={"plan": plan, "take_format": probe(take), "transfer": (("chain", "A deck, flat"),)})
    back = folder / "back.jpg"
    back.write_bytes(lanterns_cover())
    picture = PictureOrder(path=str(back), facts=examine(back.read_bytes(), name="b"), role="back")
    return order.model_copy(update={"sides": (side,), "profile": profile, "pictures": (picture,)})


def sealed(folder: Path, profile: Profile = FULL, **how: int) -> tuple[SealOrder, SealedAlbum, Path]:
    order = order_in(folder, profile, **how)
    package = folder / "package"
    package.mkdir()
    return order, seal_package(order, package), package


@pytest.fixture(scope="module")
def full(tmp_path_factory: pytest.TempPathFactory) -> tuple[SealOrder, SealedAlbum, Path]:
    return sealed(tmp_path_factory.mktemp("full"))


def test_a_copy_that_is_not_exact_is_named_and_marked_and_the_masters_are_sealed(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def encode_too_much(path: Path, sound: Iterable[np.ndarray], order: CopyOrder, **form: int) -> None:
        blocks = list(sound)
        encode(path, [*blocks, blocks[-1][-2:]] if order.kind == "MP3" else blocks, order, **form)

    monkeypatch.setattr("inkwell_groove.core.copies.album.encode", encode_too_much)
    order, album, package = sealed(tmp_path)
    bagit.Bag(str(package)).validate()
    assert {track.verdict for track in album.tracks} == {"identical"}
    parts = {part.name: part for part in album.parts}
    assert parts["FLAC 16 bit, 44.1 kHz at most"].faults == ()
    mp3 = parts["MP3 128"].faults
    assert len(mp3) == len(album.tracks)
    assert mp3[0].startswith(f"{Path(album.tracks[0].file).stem}.mp3: it decodes to ")
    assert "MP3 128: NOT PROVEN: " in (package / "data" / "report.html").read_text()

    # Sealed again, what was not proven is made anew.
    monkeypatch.undo()
    again = tmp_path / "again"
    again.mkdir()
    made = seal_package(order, again, earlier=Earlier(package, album, order.sealed_at))
    assert "MP3 128" not in made.kept and "FLAC 16 bit, 44.1 kHz at most" in made.kept
    assert all(part.faults == () for part in made.parts)


def test_any_title_makes_a_bag_that_other_tools_find_whole(tmp_path: Path) -> None:
    """The library and `sha256sum` take %25 in a manifest for the name itself."""
    order = order_in(tmp_path, FULL)
    side = order.sides[0]
    titles = ("100% Weir", "50%25 off%0A", "line\u2028 separator \\ back")
    described = tuple(
        one.model_copy(update={"title": title}) for one, title in zip(side.descriptions, titles, strict=True)
    )
    release = order.release.model_copy(update={"title": "5 % Slack\nWater"})
    order = order.model_copy(
        update={
            "sides": (side.model_copy(update={"descriptions": described}),),
            "release": release,
            "shelfmark": "WH-5%",
        }
    )
    package = tmp_path / "package"
    package.mkdir()
    album = seal_package(order, package)
    assert [track.title for track in album.tracks] == list(titles), "what is told of them is to the letter"
    assert "100％ Weir" in album.tracks[0].file
    bagit.Bag(str(package)).validate()
    for manifest in ("manifest-sha256.txt", "tagmanifest-sha256.txt"):
        subprocess.run(["sha256sum", "--check", "--strict", "--quiet", manifest], cwd=package, check=True)


def test_copies_that_cannot_be_made_are_named_and_leave_nothing(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def refuse(path: Path, *_: object, **__: object) -> None:
        path.write_bytes(b"half of it")
        raise Refused("the encoder does not take it", where=path.name)

    monkeypatch.setattr("inkwell_groove.core.copies.album.encode", refuse)
    _, album, package = sealed(tmp_path)
    bagit.Bag(str(package)).validate()
    assert all("not made: " in part.faults[0] for part in album.parts if part.folder.startswith("copies/"))
    assert not (package / "data" / "copies").exists() or not any((package / "data" / "copies").rglob("*.*"))
    assert set(part_folders(album)) == {"Masters", "Takes, BWF", "One file"}


def test_a_package_is_a_bag_and_says_so_by_its_library(full: tuple[SealOrder, SealedAlbum, Path]) -> None:
    _, album, package = full
    bag = bagit.Bag(str(package))
    bag.validate()
    assert bag.info["External-Identifier"] == "T-1"
    there = {path.relative_to(package).as_posix() for path in package.rglob("*") if path.is_file()}
    assert {one.name for one in album.package} == there
    for one in album.package:
        assert hashlib.sha256((package / one.name).read_bytes()).hexdigest() == one.sha256
    assert {part.name for part in album.parts} == {"Takes, BWF", "One file", "MP3 128", "FLAC 16 bit, 44.1 kHz at most"}
    subprocess.run(["sha256sum", "-c", "--quiet", "manifest-sha256.txt"], cwd=package, check=True)


def test_every_flac_passes_the_reference_decoder(full: tuple[SealOrder, SealedAlbum, Path]) -> None:
    files = sorted(full[2].rglob("*.flac"))
    assert len(files) == 3 + 1 + 3
    for file in files:
        subprocess.run(["flac", "-t", "-s", str(file)], check=True, capture_output=True)


def test_the_take_is_kept_whole_as_a_broadcast_wave(full: tuple[SealOrder, SealedAlbum, Path]) -> None:
    """The chunks are walked here by the layout of EBU Tech 3285, apart from our own reader."""
    order, _, package = full
    file = next((package / "data" / "untouched").iterdir())
    raw = file.read_bytes()
    assert raw[:4] == b"RIFF" and raw[8:12] == b"WAVE"
    at, chunks = 12, {}
    while at + 8 <= len(raw):
        kind, length = struct.unpack_from("<4sI", raw, at)
        chunks[kind] = raw[at + 8 : at + 8 + length]
        at += 8 + length + (length & 1)
    description = chunks[b"bext"][:256].rstrip(b"\0").decode("ascii")
    assert description == "T-1, Side A: Test Record"
    assert b"chain A deck; flat" in chunks[b"bext"][602:]
    take, _ = soundfile.read(order.sides[0].take_path, dtype="int32")
    np.testing.assert_array_equal(soundfile.read(file, dtype="int32")[0], take)


@pytest.mark.parametrize("untouched", ["as taken", "FLAC", "BWF"])
def test_a_take_that_is_damaged_is_not_sealed_as_if_it_were_whole(untouched: str, tmp_path: Path) -> None:
    order = order_in(tmp_path, Profile(untouched=untouched))  # type: ignore[arg-type]
    side = order.sides[0]
    plan = side.plan.model_copy(update={"take_sha256": "ab" * 32})
    order = order.model_copy(update={"sides": (side.model_copy(update={"plan": plan}),)})
    (tmp_path / "package").mkdir()
    with pytest.raises(ProofFailed, match="it was altered"):
        seal_package(order, tmp_path / "package")


def test_one_file_holds_everything_once_and_is_taken_apart_to_what_it_was_made_of(
    full: tuple[SealOrder, SealedAlbum, Path], tmp_path: Path
) -> None:
    order, album, package = full
    masters = package / "data" / "masters"
    whole = next((package / "data" / "one file").glob("*.flac"))
    file = FLAC(whole)
    assert [picture.type for picture in file.pictures] == [3], "the same picture twice is kept once"
    sheet = subprocess.run(
        ["metaflac", "--export-cuesheet-to=-", str(whole)], check=True, capture_output=True, text=True
    ).stdout
    assert sheet.count("TRACK") == 3
    apart = take_apart(whole, tmp_path)
    assert apart.cuts_from == "CUESHEET block"
    for track in album.tracks:
        one, two = masters / track.file, tmp_path / track.file
        np.testing.assert_array_equal(soundfile.read(one, dtype="int32")[0], soundfile.read(two, dtype="int32")[0])
        mine, made = FLAC(one), FLAC(two)
        gains = {"replaygain_track_gain", "replaygain_track_peak", "replaygain_album_gain", "replaygain_album_peak"}
        kept = {key: value for key, value in (mine.tags or {}).items() if key.casefold() not in gains}
        assert dict(made.tags or {}) == kept
    for paper in ("album.cue", "sealing.log"):
        assert (tmp_path / paper).read_bytes() == (masters / paper).read_bytes(), paper
    assert order.release.title in (tmp_path / "album.cue").read_text()


@pytest.mark.parametrize("kept", ["tag", "block", "beside"])
def test_a_file_that_others_made_is_taken_apart_by_its_cue_sheet(kept: str, tmp_path: Path) -> None:
    """One whose only cue sheet is text in its tags, one with only the block, one with a sheet beside it."""
    data = noise(44_100 * 6, bits=16)
    path = write(tmp_path / "whole.flac", data, 44_100, subtype="PCM_16", form="FLAC")
    text = (
        'PERFORMER "Somebody"\nTITLE "Old Transfer"\nFILE "whole.wav" WAVE\n'
        '  TRACK 01 AUDIO\n    TITLE "One/First"\n    INDEX 00 00:00:00\n    INDEX 01 00:01:00\n'
        '  TRACK 02 AUDIO\n    TITLE "Two"\n    PERFORMER "Guest"\n    INDEX 00 00:02:50\n    INDEX 01 00:03:10\n'
    )
    file = FLAC(path)
    file["album"] = "Old Transfer"
    file["genre"] = "Field recording"
    if kept == "tag":
        file["cuesheet"] = text
    file.save()
    if kept == "beside":
        path.with_suffix(".cue").write_text(text)
    if kept == "block":
        (tmp_path / "s.cue").write_text(text)
        subprocess.run(["metaflac", f"--import-cuesheet-from={tmp_path / 's.cue'}", str(path)], check=True)
    out = tmp_path / "out"
    out.mkdir()
    apart = take_apart(path, out)
    assert apart.cuts_from == {"tag": "CUESHEET tag", "block": "CUESHEET block", "beside": "whole.cue"}[kept]
    cut = 3 * 44_100 + 10 * 588
    assert [(one.number, one.start_sample, one.end_sample) for one in apart.tracks] == [
        (0, 0, 44_100),
        (1, 44_100, cut),
        (2, cut, len(data)),
    ]
    whole = np.concatenate([soundfile.read(out / one.file, dtype="int32")[0] for one in apart.tracks])
    np.testing.assert_array_equal(whole, data)
    if kept != "block":
        assert [one.file for one in apart.tracks] == ["00 Hidden opening.flac", "01 One-First.flac", "02 Two.flac"]
        assert FLAC(out / "02 Two.flac")["artist"] == ["Guest"]
    assert FLAC(out / apart.tracks[1].file)["genre"] == ["Field recording"]


def test_what_says_nothing_of_its_cuts_or_lies_about_them_is_refused(tmp_path: Path) -> None:
    path = write(tmp_path / "bare.flac", noise(44_100, bits=16), 44_100, subtype="PCM_16", form="FLAC")
    out = tmp_path / "out"
    out.mkdir()
    with pytest.raises(Refused, match="says where to cut"):
        take_apart(path, out)
    path.with_suffix(".cue").write_text(
        'FILE "bare.flac" WAVE\n TRACK 01 AUDIO\n INDEX 01 00:00:00\n TRACK 02 AUDIO\n INDEX 01 09:00:00\n'
    )
    with pytest.raises(Refused, match="belongs to another file"):
        take_apart(path, out)
    assert list(out.iterdir()) == []


def test_papers_tell_other_people_and_the_cupboard(full: tuple[SealOrder, SealedAlbum, Path]) -> None:
    _, album, package = full
    told = json.loads((package / "data" / "description.json").read_text())
    assert told["release"]["title"] == "Test Record" and len(told["sides"][0]["tracks"]) == 3
    root = ET.fromstring((package / "data" / "dublin-core.xml").read_text())
    title = root.find("{http://purl.org/dc/elements/1.1/}title")
    assert title is not None and title.text == "Test Record"
    page = (package / "data" / "report.html").read_text()
    for track in album.tracks:
        assert track.md5 in page and track.title in page
    assert page.count("<svg") == 2 and "A deck, flat" in page and "http" not in page.split("</style>")[1]
    assert all(one.sha256 in page for one in album.package if one.name.startswith("data/masters"))


@pytest.mark.parametrize(
    ("masters", "rate_hz", "bits"),
    [
        (Masters(form="WAV"), 48_000, 24),
        (Masters(form="AIFF", bits=16), 48_000, 16),
        (Masters(form="FLAC", bits=16, rate_hz=44_100, level=8), 44_100, 16),
        (Masters(form="FLAC", bits=24), 48_000, 24),
    ],
)
def test_masters_may_have_another_form(masters: Masters, rate_hz: int, bits: int, tmp_path: Path) -> None:
    order, album, package = sealed(tmp_path, Profile(masters=masters, untouched="none"))
    take, _ = soundfile.read(order.sides[0].take_path)
    folder = package / "data" / "masters"
    joined = []
    for track in album.tracks:
        sound, rate = soundfile.read(folder / track.file)
        assert rate == rate_hz == track.file_rate_hz and soundfile.info(folder / track.file).subtype == f"PCM_{bits}"
        joined.append(sound)
    whole = np.concatenate(joined)
    expected = take[1_000:99_001]
    assert abs(len(whole) - len(expected) * rate_hz / 48_000) <= 1
    if rate_hz == 48_000 and bits == 24:
        np.testing.assert_array_equal(whole, expected)
    elif rate_hz == 48_000:
        # Rectangular rounding and triangular dither of two steps: never further than a step and a half.
        assert np.abs(whole - expected).max() <= 1.5 / 32_768 + 1e-9
        assert np.std(whole - expected) * 32_768 == pytest.approx((1 / 12 + 2 / 12) ** 0.5, rel=0.03)
    log = (folder / "sealing.log").read_text()
    assert ("triangular dither" in log) == (masters.bits == 16)
    assert ("converted to 44100 Hz" in log) == (masters.rate_hz is not None)
    assert verify(package).sound


@pytest.mark.slow
def test_a_thousand_flipped_bits_are_all_found_and_in_flac_named_to_the_frame(
    full: tuple[SealOrder, SealedAlbum, Path], tmp_path: Path
) -> None:
    package = tmp_path / "package"
    shutil.copytree(full[2], package)
    expected = listed(package) | {
        "tagmanifest-sha256.txt": next(one.sha256 for one in full[1].package if one.name == "tagmanifest-sha256.txt")
    }
    names = sorted(expected)
    sizes = [(package / name).stat().st_size for name in names]
    chance = random.Random(20_26)
    frames = {name: _frames(package / name) for name in names if name.endswith(".flac")}
    in_sound = 0
    for _ in range(1_000):
        name = chance.choices(names, sizes)[0]
        path = package / name
        at, bit = chance.randrange(path.stat().st_size), chance.randrange(8)
        good = path.read_bytes()
        bad = bytearray(good)
        bad[at] ^= 1 << bit
        path.write_bytes(bad)
        only = {name: expected[name]}
        found = list(check_folder(package, only, aside=set(names) - {name}))
        assert [(one.file, one.state) for one in found] == [(name, "damaged")]
        if name in frames:
            which = [number for number, (start, end) in enumerate(frames[name]) if start <= at < end]
            if which:
                in_sound += 1
                assert f"damaged in frame {which[0]} (" in found[0].words, (name, at, found[0].words)
            else:
                assert "headers" in found[0].words
        path.write_bytes(good)
    assert in_sound > 300
    assert all(one.state == "sound" for one in check_folder(package, expected))


def _frames(path: Path) -> list[tuple[int, int]]:
    """Where each frame lies, by a library that is not ours: FFmpeg's parser, packet by packet."""
    import av

    with path.open("rb") as stream:
        start = read_streaminfo(stream, size=path.stat().st_size, name=path.name).audio_offset
    found = []
    with av.open(str(path)) as container:
        for packet in container.demux(container.streams.audio[0]):
            if packet.size:
                found.append((start, start + packet.size))
                start += packet.size
    assert found[-1][1] == path.stat().st_size
    return found


def test_missing_moved_and_unknown_files_are_told_apart(
    full: tuple[SealOrder, SealedAlbum, Path], tmp_path: Path
) -> None:
    package = tmp_path / "package"
    shutil.copytree(full[2], package)
    expected = listed(package)
    masters = package / "data" / "masters"
    (masters / "01 One.flac").rename(package / "data" / "elsewhere.flac")
    (masters / "02 Two.flac").unlink()
    (package / "data" / "stranger.txt").write_text("?")
    found = {one.file: one for one in check_folder(package, expected, aside=["tagmanifest-sha256.txt"])}
    states = {name: one.state for name, one in found.items() if one.state != "sound"}
    assert states == {
        "data/masters/01 One.flac": "moved",
        "data/masters/02 Two.flac": "missing",
        "data/stranger.txt": "unknown",
    }
    assert found["data/masters/01 One.flac"].now_at == "data/elsewhere.flac"
    told = verify(package)
    assert not told.sound


def test_our_bext_reads_back_by_our_own_reader_too(full: tuple[SealOrder, SealedAlbum, Path]) -> None:
    file = next((full[2] / "data" / "untouched").iterdir())
    with file.open("rb") as stream:
        chunk = riff.read_chunk(stream, b"bext", size=file.stat().st_size, name=file.name)
    assert chunk is not None and bext.parse(chunk).description.startswith("T-1, Side A")
