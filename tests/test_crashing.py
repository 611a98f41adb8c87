"""Tests of the tool that kills a process at a named point."""

from __future__ import annotations

import os
from pathlib import Path

import pytest
from sqlalchemy import create_engine, text

from inkwell_groove.core.audio.bytesource import ByteSource
from tests.crashing import every_kill, killed_at


def test_every_point_is_named_and_what_comes_after_it_does_not_happen(tmp_path: Path) -> None:
    def work() -> None:
        (tmp_path / "a").rename(tmp_path / "b")
        (tmp_path / "b").unlink()

    def anew() -> None:
        for name in ("a", "b"):
            (tmp_path / name).unlink(missing_ok=True)
        (tmp_path / "a").write_text("here")

    left = {str(point): [path.name for path in tmp_path.iterdir()] for point in every_kill(work, anew)}
    assert left == {
        "0, before rename of a": ["a"],
        "1, after rename of a": ["b"],
        "2, before unlink of b": ["b"],
        "3, after unlink of b": [],
    }


def test_a_commit_is_a_point_and_what_was_not_committed_is_gone(tmp_path: Path) -> None:
    url = f"sqlite:///{tmp_path / 'rows'}"

    def work() -> None:
        engine = create_engine(url)
        for value in (1, 2):
            with engine.begin() as connection:
                connection.execute(text("INSERT INTO one VALUES (:value)"), {"value": value})

    def anew() -> None:
        with create_engine(url).begin() as connection:
            connection.execute(text("DROP TABLE IF EXISTS one"))
            connection.execute(text("CREATE TABLE one (value INTEGER)"))

    def rows() -> list[int]:
        with create_engine(url).connect() as connection:
            return list(connection.scalars(text("SELECT value FROM one")))

    left = [(point.name, rows()) for point in every_kill(work, anew) if "commit" in point.name]
    assert left == [("before commit", []), ("after commit", [1]), ("before commit", [1]), ("after commit", [1, 2])]


def test_a_sync_is_a_point(tmp_path: Path) -> None:
    def work() -> None:
        with (tmp_path / "a").open("wb") as file:
            file.write(b"here")
            file.flush()
            os.fsync(file.fileno())

    assert [point.name for point in every_kill(work, lambda: None)] == ["before fsync"]


def test_work_that_raises_is_no_kill(tmp_path: Path) -> None:
    def work() -> None:
        raise ValueError("broken")

    with pytest.raises(AssertionError, match="the work failed before point 3"):
        killed_at(work, 3)
    assert killed_at(lambda: ByteSource, 0) is None
