"""Paths as rows, orders and journals keep them: they lead to the same file after the archive has moved."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkwell_groove.core.errors import Missing
from inkwell_groove.store.roots import Roots

parts = st.text(st.characters(exclude_characters="/\0", exclude_categories=("Cs",)), min_size=1, max_size=12).filter(
    lambda text: text not in (".", "..")
)


@given(st.lists(parts, max_size=4), st.sampled_from(["/srv/archive", "/srv/files", "/srv/archive/second"]))
def test_any_path_below_a_root_is_found_again_where_the_roots_lie_now(inside: list[str], root: str) -> None:
    here = {"media": "/srv/archive", "files": "/srv/files", "second": "/srv/archive/second"}
    there = {name: Path("/mnt/other") / name for name in here}
    path = Path(root, *inside)
    name = Roots({key: Path(one) for key, one in here.items()}).name_of(path)
    assert "/srv" not in name
    root_name = next(key for key, one in here.items() if one == root)
    assert Roots(there).path_of(name) == there[root_name].joinpath(*inside) or inside[:1] == ["second"]
    assert Roots({key: Path(one) for key, one in here.items()}).path_of(name) == path


def test_a_root_that_is_a_link_is_known_by_both_of_its_ways(tmp_path: Path) -> None:
    (tmp_path / "disk").mkdir()
    (tmp_path / "files").symlink_to(tmp_path / "disk")
    roots = Roots({"files": tmp_path / "files"})
    assert roots.name_of(tmp_path / "files" / "a.flac") == "files:a.flac"
    assert roots.name_of((tmp_path / "files" / "a.flac").resolve()) == "files:a.flac"


def test_a_root_that_this_machine_does_not_know_is_named_with_its_setting() -> None:
    with pytest.raises(Missing, match="INKWELL_SECOND_ROOT"):
        Roots({"media": Path("/srv")}).path_of("second:WH-1/0001")


@pytest.mark.parametrize("name", ["media:../etc/passwd", "media:/etc/passwd", "media:a/../../b"])
def test_no_name_leads_out_of_its_root(name: str) -> None:
    with pytest.raises(ValueError, match="leads out"):
        Roots({"media": Path("/srv")}).path_of(name)


def test_a_path_outside_all_roots_is_written_whole() -> None:
    roots = Roots({"media": Path("/srv")})
    assert roots.path_of(roots.name_of(Path("/elsewhere/a.flac"))) == Path("/elsewhere/a.flac")
