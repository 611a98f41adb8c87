"""Files below a folder: no link leads elsewhere, before or while they are used."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from inkwell_groove.core.errors import Refused
from inkwell_groove.core.files.beneath import check, held, opened
from inkwell_groove.core.files.moving import FileIdentity, Renaming, rename_all


@pytest.fixture
def root(tmp_path: Path) -> Path:
    """A root with a file in a folder, and beside the root what nobody may see."""
    (tmp_path / "root" / "a" / "b").mkdir(parents=True)
    (tmp_path / "root" / "a" / "b" / "one.flac").write_bytes(b"ours")
    (tmp_path / "outside" / "b").mkdir(parents=True)
    (tmp_path / "outside" / "b" / "one.flac").write_bytes(b"theirs")
    return tmp_path / "root"


def read(root: Path, inside: str) -> bytes:
    with os.fdopen(opened(root, inside), "rb") as file:
        return file.read()


def test_a_file_without_links_on_its_way_is_read(root: Path) -> None:
    assert read(root, "a/b/one.flac") == b"ours"
    check(root, "a/b/one.flac")
    check(root, "a/b/not there.flac")
    check(root, "nor/this/folder.flac")


@pytest.mark.parametrize("linked", ["a", "a/b", "a/b/one.flac"])
def test_a_link_anywhere_on_the_way_is_refused(root: Path, linked: str) -> None:
    (root / linked).rename(root.parent / "before")
    outside = root.parent / "outside"
    (root / linked).symlink_to({"a": outside, "a/b": outside / "b"}.get(linked, outside / "b" / "one.flac"))
    for use in (read, check):
        with pytest.raises(Refused, match="is a link, and links are not followed"):
            use(root, "a/b/one.flac")


@pytest.mark.parametrize("inside", ["../outside/b/one.flac", "/etc/hostname", "", "a/../../outside/b/one.flac"])
def test_a_way_out_of_the_root_is_refused(root: Path, inside: str) -> None:
    with pytest.raises(Refused, match="does not lie below"):
        read(root, inside)


def test_what_is_no_file_is_refused(root: Path) -> None:
    os.mkfifo(root / "pipe")
    for inside in ("pipe", "a"):
        with pytest.raises(Refused, match="no ordinary file"):
            read(root, inside)


def test_a_link_that_is_put_in_place_while_a_path_is_held_leads_nowhere_else(root: Path) -> None:
    with held(root, "a/b/two.flac") as path:
        (root / "a" / "b").rename(root / "a" / "moved")
        (root / "a" / "b").symlink_to(root.parent / "outside" / "b")
        path.write_bytes(b"written")
    assert (root / "a" / "moved" / "two.flac").read_bytes() == b"written"
    assert not (root.parent / "outside" / "b" / "two.flac").exists()


def test_no_descriptor_is_left_open(root: Path) -> None:
    before = len(list(Path("/proc/self/fd").iterdir()))
    (root / "link").symlink_to(root.parent / "outside")
    for _ in range(20):
        read(root, "a/b/one.flac")
        with pytest.raises(Refused):
            read(root, "link/b/one.flac")
    assert len(list(Path("/proc/self/fd").iterdir())) == before


@pytest.mark.parametrize("new", ["linked/one.flac", "linked/deeper/one.flac"])
def test_nothing_is_moved_through_a_linked_folder(root: Path, new: str) -> None:
    (root / "linked").symlink_to(root.parent / "outside")
    source = root / "a" / "b" / "one.flac"
    other = root / "a" / "two.flac"
    other.write_bytes(b"too")
    moves = [
        Renaming(root, "a/two.flac", "three.flac", FileIdentity.of(other), "1-2"),
        Renaming(root, "a/b/one.flac", new, FileIdentity.of(source), "1-1"),
    ]
    with pytest.raises(Refused, match="is a link"):
        rename_all(moves)
    assert source.read_bytes() == b"ours" and other.read_bytes() == b"too"
    assert sorted(path.name for path in (root.parent / "outside").rglob("*")) == ["b", "one.flac"]
