"""A docket sealed again: what has not changed is taken over and proven, the rest is made; damage never stays."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import bagit
import pytest
from mutagen.flac import FLAC

from inkwell_groove.core.copies.order import CopyOrder
from inkwell_groove.core.sealing.keeping import Earlier, masters_key
from inkwell_groove.core.sealing.order import SealedAlbum, SealOrder
from inkwell_groove.core.sealing.package import seal_package
from inkwell_groove.core.sealing.profile import Masters, Profile
from tests.core.test_package import order_in

MP3, OPUS = CopyOrder(kind="MP3", kbit_s=128), CopyOrder(kind="Opus", kbit_s=64)
BEFORE = Profile(one_file=True, copies=(MP3,))


@pytest.fixture
def before(tmp_path: Path) -> tuple[SealOrder, Earlier]:
    order = order_in(tmp_path, BEFORE)
    folder = tmp_path / "before"
    folder.mkdir()
    return order, Earlier(folder, seal_package(order, folder), "2026-03-01T12:00:00")


def again(order: SealOrder, earlier: Earlier, tmp_path: Path) -> tuple[SealedAlbum, Path]:
    folder = tmp_path / "after"
    folder.mkdir()
    album = seal_package(order.model_copy(update={"sealed_at": "2027-01-01"}), folder, earlier=earlier)
    bagit.Bag(str(folder)).validate()
    assert {one.name for one in album.package} == {
        path.relative_to(folder).as_posix() for path in folder.rglob("*") if path.is_file()
    }
    return album, folder


def masters_of(folder: Path) -> dict[str, bytes]:
    return {path.name: path.read_bytes() for path in (folder / "data" / "masters").iterdir()}


def test_other_copies_are_made_from_masters_that_stay(before: tuple[SealOrder, Earlier], tmp_path: Path) -> None:
    order, earlier = before
    profile = BEFORE.model_copy(update={"copies": (OPUS, MP3)})
    album, folder = again(order.model_copy(update={"profile": profile}), earlier, tmp_path)
    assert album.kept == ("Masters", "Takes, as taken", "One file", "MP3 128")
    assert masters_of(folder) == masters_of(earlier.folder)
    assert album.tracks == earlier.album.tracks
    assert [part.name for part in album.parts] == ["Takes, as taken", "One file", "Opus 64", "MP3 128"]
    assert len(list((folder / "data" / "copies" / "Opus 64").glob("*.opus"))) == len(album.tracks)
    report = (folder / "data" / "report.html").read_text()
    assert "As sealed on 2026-03-01T12:00:00, and proven again: Masters, Takes, as taken, One file, MP3 128" in report
    levels = [text.count("<path") for text in (report, (earlier.folder / "data" / "report.html").read_text())]
    assert levels[0] == levels[1] > 0


def test_a_part_that_is_no_longer_asked_for_is_left_out(before: tuple[SealOrder, Earlier], tmp_path: Path) -> None:
    order, earlier = before
    album, folder = again(order.model_copy(update={"profile": Profile(untouched="none")}), earlier, tmp_path)
    assert album.kept == ("Masters",)
    assert album.parts == ()
    assert sorted(path.name for path in (folder / "data").iterdir()) == [
        "description.json",
        "dublin-core.xml",
        "masters",
        "plans",
        "report.html",
    ]


def test_another_title_makes_everything_anew(before: tuple[SealOrder, Earlier], tmp_path: Path) -> None:
    order, earlier = before
    release = order.release.model_copy(update={"title": "Another"})
    album, folder = again(order.model_copy(update={"release": release}), earlier, tmp_path)
    assert album.kept == ()
    assert FLAC(folder / "data" / "masters" / album.tracks[0].file)["ALBUM"] == ["Another"]


def test_a_damaged_master_is_made_anew_and_not_taken_over(before: tuple[SealOrder, Earlier], tmp_path: Path) -> None:
    order, earlier = before
    damaged = earlier.folder / "data" / "masters" / earlier.album.tracks[0].file
    data = bytearray(damaged.read_bytes())
    whole = bytes(data)
    data[len(data) // 2] ^= 1
    damaged.write_bytes(data)
    album, folder = again(order, earlier, tmp_path)
    assert "Masters" not in album.kept
    assert (folder / "data" / "masters" / damaged.name).read_bytes() == whole
    assert damaged.read_bytes() == data, "what was sealed earlier is not written to"


def test_a_package_that_is_gone_is_no_reason_not_to_seal(before: tuple[SealOrder, Earlier], tmp_path: Path) -> None:
    order, earlier = before
    album, _ = again(order, Earlier(tmp_path / "nowhere", earlier.album, earlier.sealed_at), tmp_path)
    assert album.kept == ()


def test_a_copy_that_is_gone_is_made_again(before: tuple[SealOrder, Earlier], tmp_path: Path) -> None:
    order, earlier = before
    gone = next((earlier.folder / "data" / "copies" / "MP3 128").glob("*.mp3"))
    gone.unlink()
    album, folder = again(order, earlier, tmp_path)
    assert album.kept == ("Masters", "Takes, as taken", "One file")
    assert (folder / "data" / "copies" / "MP3 128" / gone.name).is_file()


CHANGES: dict[str, Callable[[SealOrder], object]] = {
    "shelfmark": lambda order: "T-2",
    "release": lambda order: order.release.model_copy(update={"year": "1971"}),
    "file_pattern": lambda order: "{track title}",
    "cover": lambda order: None,
    "pictures": lambda order: (),
    "profile": lambda order: Profile(masters=Masters(level=8)),
    "sides": lambda order: tuple(one.model_copy(update={"transfer": ()}) for one in order.sides),
}


@pytest.mark.parametrize("name", CHANGES)
def test_whatever_masters_say_or_hold_is_part_of_their_key(name: str, tmp_path: Path) -> None:
    order = order_in(tmp_path, Profile())
    changed = order.model_copy(update={name: CHANGES[name](order)})
    assert masters_key(changed) != masters_key(order)


def test_when_by_whom_and_from_which_folder_is_not(tmp_path: Path) -> None:
    order = order_in(tmp_path, Profile())
    sides = tuple(one.model_copy(update={"take_path": "/elsewhere", "scan_path": "/there"}) for one in order.sides)
    moved = order.model_copy(update={"sides": sides, "sealed_at": "2030-01-01", "sealed_by": "another"})
    moved = moved.model_copy(update={"profile": Profile(copies=(OPUS,), untouched="FLAC")})
    assert masters_key(moved) == masters_key(order)
