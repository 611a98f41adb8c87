"""Cue sheets: what is written is read back, and every fault is found and told."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from inkwell_groove.core.cuesheet import CueIndex, CueSheet, CueTrack, cue_text, parse, render
from inkwell_groove.core.errors import Refused
from tests.core.strategies import any_text, cue_sheets
from tests.patience import examples

GOOD = """REM DATE 1974
PERFORMER "The Test Band"
TITLE "Test Record"
FILE "01 One.flac" WAVE
  TRACK 01 AUDIO
    TITLE "One"
    INDEX 01 00:00:00
  TRACK 02 AUDIO
    TITLE "Two"
    INDEX 00 03:10:12
FILE "02 Two.flac" WAVE
    INDEX 01 00:00:00
"""


@pytest.mark.slow
@settings(max_examples=examples(10_000))
@given(cue_sheets())
def test_a_written_sheet_reads_back_the_same_without_a_fault(sheet: CueSheet) -> None:
    parsed, faults = parse(render(sheet).encode())
    assert faults == ()
    assert parsed == sheet


@pytest.mark.slow
@settings(max_examples=examples(2_000))
@given(any_text)
def test_any_text_can_be_made_fit_for_a_sheet_on_one_line(text: str) -> None:
    fit = cue_text(text)
    assert '"' not in fit
    assert len(f"x{fit}x".splitlines()) == 1
    assert cue_text(fit) == fit


@pytest.mark.slow
@settings(max_examples=examples(2_000))
@given(st.binary(max_size=300) | any_text.map(str.encode))
def test_rubbish_is_answered_with_faults_and_never_breaks_the_parser(data: bytes) -> None:
    _, faults = parse(data)
    assert faults
    assert all(fault.what for fault in faults)


@settings(max_examples=examples(500))
@given(cue_sheets(), st.data())
def test_a_sheet_with_a_line_cut_out_still_parses_to_something(sheet: CueSheet, data: st.DataObject) -> None:
    lines = render(sheet).splitlines()
    gone = data.draw(st.integers(0, len(lines) - 1))
    parsed, _ = parse("\n".join(lines[:gone] + lines[gone + 1 :]).encode())
    assert len(parsed.tracks) >= len(sheet.tracks) - 1


def test_a_gap_kept_in_the_file_before_stands_there_as_index_00() -> None:
    sheet, faults = parse(GOOD.encode())
    assert not faults
    assert sheet.tracks[1].indexes == (
        CueIndex(number=0, file="01 One.flac", frames=(3 * 60 + 10) * 75 + 12),
        CueIndex(number=1, file="02 Two.flac", frames=0),
    )


@pytest.mark.parametrize(
    ("before", "after", "line", "what"),
    [
        ("INDEX 00 03:10:12", "INDEX 00 03:10:75", 10, "has 75 frames"),
        ("INDEX 00 03:10:12", "INDEX 00 03:60:00", 10, "has 60 seconds"),
        ("INDEX 00 03:10:12", "INDEX 00 3:10:12", 10, "not a time as mm:ss:ff"),
        ("INDEX 00 03:10:12", "INDEX 00 00:00:00", 10, "does not come after the index before it"),
        ("INDEX 00 03:10:12", "INDEX 02 03:10:12", 10, "the first index is 02"),
        ("TRACK 02", "TRACK 03", 8, "track 03 follows where 02 belongs"),
        ("TRACK 02 AUDIO", "TRACK 02 MODE1/2352", 8, "a track of kind 'MODE1/2352'"),
        ('TITLE "Two"', 'TITLE "Two', 9, "a quotation mark has no partner"),
        ('TITLE "Two"', 'TITEL "Two"', 9, "'TITEL' is not a cue sheet command"),
        ('TITLE "Two"', "ISRC TOO-SHORT", 9, "'TOO-SHORT' is not an ISRC"),
        ('TITLE "Two"', "FLAGS XYZ", 9, "unknown flags 'XYZ'"),
        ('TITLE "Two"', 'TITLE "Two"\n    TITLE "Three"', 10, "a second TITLE for track 02"),
        ('FILE "02 Two.flac" WAVE', 'FILE "02 Two.flac" FLAC', 11, "'FLAC' is not a file type"),
        ('FILE "02 Two.flac" WAVE', 'FILE "01 One.flac" WAVE', 11, "is opened twice"),
        ("REM DATE 1974", "CATALOG 123", 1, "has not 13 digits"),
        (
            "    INDEX 01 00:00:00\n  TRACK 02",
            "    INDEX 01 00:00:01\n  TRACK 02",
            7,
            "the first index of a file is at 00:00:01",
        ),
        ("    INDEX 01 00:00:00\n  TRACK 02", "  TRACK 02", 7, "track 01 has no INDEX 01"),
    ],
)
def test_a_fault_is_found_on_its_line(before: str, after: str, line: int, what: str) -> None:
    assert before in GOOD
    _, faults = parse(GOOD.replace(before, after, 1).encode())
    assert any(fault.line == line and what in fault.what for fault in faults), [str(fault) for fault in faults]


def test_latin_1_text_is_refused_with_its_line() -> None:
    _, faults = parse(GOOD.replace("Two", "Zwölf").encode("latin-1"))
    assert faults[0].line == 9
    assert "UTF-8" in faults[0].what


def test_of_flags_only_the_known_ones_are_kept() -> None:
    sheet, faults = parse(GOOD.replace('TITLE "Two"', "FLAGS DCP XYZ PRE", 1).encode())
    assert [fault.what for fault in faults] == ["unknown flags 'XYZ'"]
    assert sheet.tracks[1].flags == ("DCP", "PRE")


def test_an_empty_sheet_has_a_fault() -> None:
    _, faults = parse(b"")
    assert str(faults[0]) == "there is no track in it. A cue sheet has at least one FILE and one TRACK."


def test_a_file_name_with_a_quotation_mark_is_refused_when_writing() -> None:
    track = CueTrack(number=1, indexes=(CueIndex(number=1, file='a"b.flac', frames=0),))
    with pytest.raises(Refused, match="cannot be quoted"):
        render(CueSheet(tracks=(track,)))
