"""`groove file`: says where files would go, and moves them when told to."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from inkwell_groove.core.files.writing import Change, write
from tests.cli.inside import groove_inside
from tests.core.files.samples import write_sample


@pytest.mark.slow
def test_names_are_shown_first_and_moved_when_told_to(tmp_path: Path) -> None:
    for name, title in (("x.flac", "Slack Water"), ("y.flac", "slack water")):
        write_sample(tmp_path / name, "a.flac", seconds=0.2)
        write(tmp_path / name, Change({"title": title, "artist": "The Tollgate Sisters"}))
    files = sorted(tmp_path.glob("*.flac"))
    shown = groove_inside("file", "{artist}/{title}", *files, "--into", tmp_path, "--json")
    assert shown.returncode == 0, shown.stderr
    planned = json.loads(shown.stdout)
    assert planned["applied"] is False
    assert [one["new"] for one in planned["files"]] == [
        "The Tollgate Sisters/Slack Water.flac",
        "The Tollgate Sisters/slack water (2).flac",
    ]
    assert all(one.exists() for one in files)
    assert groove_inside("file", "{artist}/{title}", *files, "--into", tmp_path, "--apply").returncode == 0
    assert sorted(path.name for path in (tmp_path / "The Tollgate Sisters").iterdir()) == [
        "Slack Water.flac",
        "slack water (2).flac",
    ]


@pytest.mark.slow
def test_what_cannot_be_is_said_in_a_line(tmp_path: Path) -> None:
    refused = groove_inside("file", "{nonsense}", tmp_path / "nowhere.flac")
    assert refused.returncode == 1
    assert "there is no such file" in refused.stderr
    write_sample(tmp_path / "x.flac", "a.flac", seconds=0.2)
    refused = groove_inside("file", "{nonsense}", tmp_path / "x.flac")
    assert refused.returncode == 1
    assert "there is no field 'nonsense'" in refused.stderr
