"""`groove seal`, `copies`, `apart` and `verify` on plain folders."""

from __future__ import annotations

import json
from pathlib import Path

import bagit
import numpy as np
import pytest
import soundfile

from tests.cli.inside import groove_inside
from tests.core.copies.test_copies import masters_in
from tests.sounds import noise, write


@pytest.fixture(scope="module")
def album(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("album")
    masters_in(folder, 44_100, "PCM_16", seconds=1.5)
    return folder


@pytest.mark.slow
def test_a_folder_is_sealed_verified_and_taken_apart_again(album: Path, tmp_path: Path) -> None:
    bag = tmp_path / "bag"
    told = json.loads(
        groove_inside(
            "seal", album, "--out", bag, "--one-file", "--copies", "MP3:128", "--copies", "FLAC:16", "--json"
        ).stdout
    )
    assert [one["verdict"] for one in told["masters"]] == ["sound"] * 3
    bagit.Bag(str(bag)).validate()
    assert {path.name for path in (bag / "data" / "copies" / "MP3 128").iterdir()} == {
        "01 Track.mp3",
        "02 Track.mp3",
        "03 Track.mp3",
        "album.m3u8",
    }
    flac = next(one for one in told["copies"] if one["label"] == "FLAC 16 bit")
    assert {one["verdict"] for one in flac["copies"]} == {"identical"}
    assert groove_inside("verify", bag).returncode == 0
    whole = next((bag / "data" / "one file").iterdir())
    parted = tmp_path / "parted"
    assert groove_inside("apart", whole, "--out", parted).returncode == 0
    for master in sorted(album.iterdir()):
        np.testing.assert_array_equal(soundfile.read(parted / master.name)[0], soundfile.read(master)[0])
    again = groove_inside("apart", whole, "--out", parted)
    assert again.returncode == 1 and "something in it already" in again.stderr
    (bag / "data" / "masters" / "02 Track.flac").write_bytes(b"fLaC")
    broken = groove_inside("verify", bag)
    assert broken.returncode == 1 and "1 faulty: data/masters/02 Track.flac" in broken.stderr


@pytest.mark.slow
def test_copies_of_a_folder(album: Path, tmp_path: Path) -> None:
    out = tmp_path / "out"
    made = groove_inside("copies", album, "--out", out, "--format", "opus", "--lufs", "-23", "--json")
    assert made.returncode == 0, made.stderr
    told = json.loads(made.stdout)
    assert told["lufs"] == pytest.approx(-23.0, abs=0.1) and len(list(out.glob("*.opus"))) == 3


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (("seal", "{album}", "--out", "{full}"), "something in it already"),
        (("seal", "{album}/nowhere", "--out", "{new}"), "no such file or folder"),
        (("seal", "{empty}", "--out", "{new}"), "nothing to seal"),
        (("seal", "{album}", "--out", "{new}", "--copies", "MP5"), "no format 'MP5'"),
        (("seal", "{album}", "--out", "{new}", "--copies", "MP3:191"), "constant rate"),
        (("seal", "{wav}", "--out", "{new}", "--one-file"), "FLAC masters only"),
        (("seal", "{percent}", "--out", "{new}"), "a percent sign"),
        (("seal", "{lossy}", "--out", "{new}"), "it is lossy"),
        (("copies", "{lossy}", "--out", "{new}"), "made of lossless files"),
        (("copies", "{album}", "--out", "{new}", "--format", "WMA"), "no format 'WMA'"),
        (("copies", "{album}", "--out", "{new}", "--format", "ALAC", "--kbit", "192"), "lossless"),
        (("apart", "{wav}", "--out", "{new}"), "no FLAC file"),
    ],
)
def test_what_cannot_be_is_said_in_one_line_and_nothing_is_written(
    arguments: tuple[str, ...], words: str, album: Path, tmp_path: Path
) -> None:
    (tmp_path / "empty").mkdir()
    (tmp_path / "full").mkdir()
    (tmp_path / "full" / "mine").write_text("mine")
    write(tmp_path / "a.wav", noise(1_000, bits=16), 44_100, subtype="PCM_16")
    soundfile.write(tmp_path / "a.ogg", np.zeros((1_000, 2)), 44_100, format="OGG", subtype="VORBIS")
    places = {
        "album": album,
        "empty": tmp_path / "empty",
        "full": tmp_path / "full",
        "new": tmp_path / "new",
        "percent": write(tmp_path / "100 %.wav", noise(1_000, bits=16), 44_100, subtype="PCM_16"),
        "wav": tmp_path / "a.wav",
        "lossy": tmp_path / "a.ogg",
    }
    refused = groove_inside(*(one.format(**places) for one in arguments))
    assert refused.returncode == 1 and words in refused.stderr, refused.stderr
    assert refused.stderr.count("\n") == 1
    assert not list(tmp_path.rglob("*.flac"))
