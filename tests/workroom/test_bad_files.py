"""Folders as the world makes them: one bad file is named, and neither keeps the others out nor stops their writing."""

from __future__ import annotations

import os
import shutil
import struct
import warnings
import zipfile
from pathlib import Path
from typing import Any

import pytest

from inkwell_groove.core.errors import NotSound, ProofFailed, Refused
from inkwell_groove.core.files import writing
from inkwell_groove.core.files.audio_bytes import digests
from inkwell_groove.core.files.pictures import Embedded
from inkwell_groove.core.files.reading import read_file
from inkwell_groove.core.files.writing import Change, write
from inkwell_groove.store.media import MediaStore
from inkwell_groove.workroom.files.orders import Order, Result, read_lines, write_lines
from inkwell_groove.workroom.jobs.arguments import BringIn, OfStep
from inkwell_groove.workroom.jobs.bringing_in import bring_in
from inkwell_groove.workroom.jobs.files import write_files
from inkwell_groove.workroom.jobs.files_undo import take_back_files
from tests.core.files.samples import picture, write_sample
from tests.sounds import noise
from tests.sounds import write as write_sound
from tests.tasks import OwnTask
from tests.workroom.test_file_steps import below

LATIN = os.fsdecode(b"B\xe9la.flac")


def brought_in(folder: Path, place: Path, **more: Any) -> tuple[dict[str, Result], list[str]]:
    media = MediaStore(place / "media")
    arguments = BringIn(bundle_id=1, source=str(folder), in_place=False, **more)
    told = bring_in(arguments, OwnTask(media))
    found = [Result.model_validate_json(line) for line in read_lines(media.root / "bundles" / "1.found")]
    return {one.path: one for one in found}, told["told"]


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    """A folder with a good file, and one of each that made trouble."""
    path = tmp_path / "folder"
    path.mkdir()
    write_sample(path / "good.flac", "a.flac")
    long = write_sound(path / "cut.flac", noise(600_000, bits=16), 44_100, subtype="PCM_16", form="FLAC")
    long.write_bytes(long.read_bytes()[:-400_000])
    shutil.copy(path / "good.flac", path / LATIN)
    (path / ".hidden").mkdir()
    shutil.copy(path / "good.flac", path / ".hidden" / "a.flac")
    for name in (".one.flac", ".two.flac", ".three.flac", ".four.flac"):
        shutil.copy(path / "good.flac", path / name)
    deep = path.joinpath(*["d" * 200] * 5)
    deep.mkdir(parents=True)
    shutil.copy(path / "good.flac", deep / "deep.flac")
    (path / "link.flac").symlink_to(path / "good.flac")
    return path


def test_the_rest_of_a_folder_comes_in_and_what_does_not_is_told(folder: Path, tmp_path: Path) -> None:
    found, told = brought_in(folder, tmp_path)
    assert set(found) == {"good.flac", "cut.flac"}
    assert found["good.flac"].kind == "audio"
    cut = found["cut.flac"]
    assert cut.kind == "unreadable" and cut.problem is not None and cut.problem["remedy"] and cut.sha256
    lines = "\n".join(told)
    assert "1 files with a name that is not UTF-8: left out (B\\xe9la.flac)" in lines
    assert "4 files with a name that begins with a dot (hidden): left out (.four.flac, .one.flac" in lines
    assert "1 folders with a name that begins with a dot (hidden): left out (.hidden)" in lines
    assert "over 1000 characters: left out" in lines
    assert "1 links, devices and the like: left out (link.flac)" in lines


def test_a_fault_of_the_program_over_one_file_is_told_of_that_file(
    folder: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def read_or_break(path: Path) -> Any:
        if path.name == "good.flac":
            raise KeyError("what nobody thought of")
        return read_file(path)

    monkeypatch.setattr("inkwell_groove.workroom.jobs.bringing_in.read_file", read_or_break)
    found, _ = brought_in(folder, tmp_path)
    problem = found["good.flac"].problem
    assert problem is not None and "a fault in the program (KeyError" in problem["what"]


def test_a_damaged_or_endless_name_in_a_zip_leaves_the_others_alone(folder: Path, tmp_path: Path) -> None:
    path = tmp_path / "heap.zip"
    with zipfile.ZipFile(path, "w") as archive:
        archive.write(folder / "good.flac", "good.flac")
        archive.write(folder / "good.flac", "bad.flac")
        archive.write(folder / "good.flac", "n" * 300 + ".flac")
        at = archive.getinfo("bad.flac").header_offset + 2_000
    data = bytearray(path.read_bytes())
    data[at] ^= 1
    path.write_bytes(data)
    found, told = brought_in(path, tmp_path)
    assert set(found) == {"good.flac"}
    assert any("bad.flac: it is damaged in the archive" in line for line in told)
    assert any("a name of over 255 bytes" in line for line in told)


def test_of_two_parts_with_one_name_the_first_is_kept_and_that_is_told(folder: Path, tmp_path: Path) -> None:
    path = tmp_path / "twice.zip"
    with zipfile.ZipFile(path, "w") as archive, warnings.catch_warnings():
        warnings.simplefilter("ignore")
        archive.write(folder / "good.flac", "A/good.flac")
        archive.writestr("A/good.flac", b"another")
        archive.writestr("a/GOOD.txt", b"of another case")
        archive.writestr("A/GOOD.txt", b"another file")
        archive.writestr("A/good.flac/inside.txt", b"in a file")
    found, told = brought_in(path, tmp_path)
    assert found["A/good.flac"].kind == "audio"
    assert set(found) == {"A/good.flac", "a/GOOD.txt", "A/GOOD.txt"}, "names that differ by case are two"
    assert sum("the first was kept" in line for line in told) == 1
    assert any("A/good.flac/inside.txt is a file and a folder" in line for line in told)


def test_an_archive_made_to_fill_the_disk_is_refused_before_anything_is_unpacked(tmp_path: Path) -> None:
    path = tmp_path / "bomb.zip"
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("silence.wav", bytes(80_000_000))
    with pytest.raises(Refused, match="times as large"):
        brought_in(path, tmp_path)
    assert not list(tmp_path.rglob("silence.wav"))


def riff_without_size(path: Path) -> Path:
    """As recorders leave it that were stopped: the size of the whole is not known."""
    write_sample(path, "a.wav")
    data = bytearray(path.read_bytes())
    data[4:8] = struct.pack("<I", 0xFFFFFFFF)
    path.write_bytes(data)
    return path


def with_footer(path: Path) -> Path:
    """An MP3 whose tag ends with a footer (ID3v2.4.0 structure, 3.4)."""
    write_sample(path, "a.mp3")
    data = path.read_bytes()
    frame = b"TIT2" + bytes([0, 0, 0, 5]) + b"\0\0" + b"\x03Weir"
    size = bytes([0, 0, 0, len(frame)])
    tag = b"ID3\x04\x00\x10" + size + frame + b"3DI\x04\x00\x10" + size
    start = 10 + (data[6] << 21 | data[7] << 14 | data[8] << 7 | data[9]) if data[:3] == b"ID3" else 0
    path.write_bytes(tag + data[start:])
    return path


def test_one_file_that_cannot_be_written_leaves_the_others_written_and_nothing_behind(tmp_path: Path) -> None:
    folder = tmp_path / "files"
    folder.mkdir()
    for number in range(70):  # more than a batch
        shutil.copy(write_sample(tmp_path / "one.flac", "a.flac", seconds=0.1), folder / f"{number:02}.flac")
    bad = riff_without_size(folder / "05.wav")
    media = MediaStore(tmp_path / "media")
    orders = [
        Order(file_id=number, root=str(folder), path=path.name, fields={"comment": "x" * 9_000, "artist": "Ilse"})
        for number, path in enumerate(sorted(folder.iterdir()), start=1)
    ]
    before = below(folder)
    media.step(1).mkdir(parents=True)
    write_lines(media.step(1) / "order", orders)
    write_files(OfStep(step_id=1), OwnTask(media))
    results = {
        one.path: one for line in read_lines(media.step(1) / "results") if (one := Result.model_validate_json(line))
    }
    assert {path for path, one in results.items() if one.problem} == {bad.name}
    assert read_file(folder / "69.flac").fields["artist"] == "Ilse"
    assert below(folder)[bad.name] == before[bad.name]
    assert set(below(folder)) == set(before), "no half-made file is left"
    assert take_back_files(OfStep(step_id=1), OwnTask(media))["left"] == 0
    assert below(folder) == before


def test_an_mp3_whose_tag_has_a_footer_is_tagged_like_any_other(tmp_path: Path) -> None:
    path = with_footer(tmp_path / "a.mp3")
    assert read_file(path).fields["title"] == "Weir"
    before = digests(path)
    write(path, Change(fields={"title": "Lanterns"}))
    assert read_file(path).fields["title"] == "Lanterns"
    assert digests(path).audio == before.audio
    assert b"3DI" not in path.read_bytes()[:200]


def test_a_file_whose_check_fails_after_it_was_altered_is_put_back(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = write_sample(tmp_path / "a.mp3", "a.mp3")
    whole, asked = path.read_bytes(), []

    def digests_once(of: Path) -> Any:
        asked.append(of)
        if len(asked) > 1:
            raise NotSound("no sound is found in it", where=of.name)
        return digests(of)

    monkeypatch.setattr(writing, "digests", digests_once)
    for cover in ((), (Embedded(3, "image/jpeg", picture(1_500, 1_500)),)):  # in place, and as a new file
        asked.clear()
        with pytest.raises(ProofFailed, match="it was put back"):
            write(path, Change(fields={"title": "Weir"}, pictures=cover))
        assert path.read_bytes() == whole
        assert list(tmp_path.iterdir()) == [path]
