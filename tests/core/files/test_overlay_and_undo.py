"""A file altered in memory is altered as on the disk, and every way back leads back."""

from __future__ import annotations

import io
import shutil
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from inkwell_groove.core.errors import Refused
from inkwell_groove.core.files.overlay import Overlay, TooMuch
from inkwell_groove.core.files.undo import Undo, between, overwrite, take_back
from inkwell_groove.store.journal import NAME, Journal

CONTENTS = bytes(range(256)) * 50
acts = st.lists(
    st.one_of(
        st.tuples(st.just("write"), st.integers(0, 15_000), st.binary(min_size=1, max_size=6_000)),
        st.tuples(st.just("truncate"), st.integers(0, 15_000), st.just(b"")),
        st.tuples(st.just("read"), st.integers(0, 15_000), st.just(b"")),
    ),
    max_size=8,
)


@pytest.fixture(scope="module")
def original(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("overlay") / "file"
    path.write_bytes(CONTENTS)
    return path


@given(acts)
def test_an_overlay_is_a_file(original: Path, acts: list[tuple[str, int, bytes]]) -> None:
    plain = io.BytesIO(CONTENTS)
    with Overlay(original) as overlay:
        for act, at, data in acts:
            plain.seek(at)
            overlay.seek(at)
            if act == "write":
                assert overlay.write(data) == plain.write(data)
            elif act == "truncate":
                if at <= len(plain.getvalue()):  # a BytesIO does not grow by that
                    plain.truncate(at)
                    overlay.truncate(at)
            else:
                assert overlay.read(700) == plain.read(700)
        overlay.seek(0)
        assert overlay.read() == plain.getvalue()
        changes = overlay.changes()
        size, old_size = overlay.size, overlay.old_size
    assert original.read_bytes() == CONTENTS
    beside = original.with_name("beside")
    shutil.copyfile(original, beside)
    overwrite(beside, [(at, new) for at, _, new in changes if new], size)
    assert beside.read_bytes() == plain.getvalue()
    take_back(beside, Undo(True, old_size, tuple((at, old) for at, old, _ in changes if old)))
    assert beside.read_bytes() == CONTENTS


@given(acts, st.integers(0, 6))
def test_a_file_written_only_in_part_is_mended(original: Path, acts: list[tuple[str, int, bytes]], part: int) -> None:
    with Overlay(original) as overlay:
        for act, at, data in acts:
            overlay.seek(at)
            if act == "write":
                overlay.write(data)
        changes, old_size = overlay.changes(), overlay.old_size
    beside = original.with_name("torn")
    shutil.copyfile(original, beside)
    torn = [(at, new) for at, _, new in changes if new][:part]
    overwrite(beside, torn, max([old_size, *(at + len(new) for at, new in torn)]))
    take_back(beside, Undo(True, old_size, tuple((at, old) for at, old, _ in changes if old)))
    assert beside.read_bytes() == CONTENTS


def test_what_is_too_much_is_said_before_memory_is_full(original: Path) -> None:
    with Overlay(original, most_bytes=8_192) as overlay, pytest.raises(TooMuch):
        overlay.write(bytes(20_000))
    assert original.read_bytes() == CONTENTS


@settings(max_examples=60)
@given(st.binary(max_size=3_000), st.binary(max_size=3_000), st.binary(max_size=300))
def test_between_two_files_any_way_back_leads_back(
    tmp_path_factory: pytest.TempPathFactory, old: bytes, new: bytes, shared: bytes
) -> None:
    folder = tmp_path_factory.mktemp("between")
    before, after = folder / "before", folder / "after"
    before.write_bytes(shared + old + shared)
    after.write_bytes(shared + new + shared)
    undo = between(before, after)
    assert undo.held_bytes <= len(shared + old + shared)
    journal = Journal(folder / "journal")
    take_back(after, journal.undo(journal.kept(undo, "file 1")))
    assert after.read_bytes() == before.read_bytes()


def test_a_file_that_is_too_short_to_be_taken_back_is_kept(tmp_path: Path) -> None:
    path = tmp_path / "short"
    path.write_bytes(b"x")
    with pytest.raises(Refused, match="shorter"):
        take_back(path, Undo(False, 100, ((50, b"y"),)))
    assert path.read_bytes() == b"x"


def test_a_journal_reads_back_whole_lines_only_and_keeps_much_beside(tmp_path: Path) -> None:
    journal = Journal(tmp_path / "journal")
    much = Undo(False, 200_000, ((3, bytes(range(256)) * 700),))
    journal.add([{"kind": "will", "file": 1, "path": "ä\ud800", "undo": journal.kept(much, "file 1")}])
    with (tmp_path / "journal" / NAME).open("ab") as file:
        file.write(b'{"kind": "wil')  # the machine stopped
    (line,) = journal.lines()
    assert line["path"] == "ä\ud800"
    assert journal.undo(line["undo"]) == much
    assert (tmp_path / "journal" / NAME).stat().st_size < 1_000
