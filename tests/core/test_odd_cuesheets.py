"""Odd cue sheets, as older and careless programs leave them: read all the same, or refused at the right line."""

from __future__ import annotations

import pytest

from inkwell_groove.core.cuesheet import parse

TRACK = "  TRACK 01 AUDIO\n    INDEX 01 00:00:00\n"
FILE = 'FILE "a.wav" WAVE\n'
GOOD = FILE + TRACK


def two(second: str) -> str:
    return GOOD + "  TRACK 02 AUDIO\n" + second


# Name: the sheet, and (line, grave, part of what is said) of each fault.
ODD: dict[str, tuple[str | bytes, list[tuple[int, bool, str]]]] = {
    "a byte order mark": (b"\xef\xbb\xbf" + GOOD.encode(), []),
    "lines ending in LF alone": (GOOD, []),
    "lines ending in CR LF": (GOOD.replace("\n", "\r\n"), []),
    "lines ending in CR alone": (GOOD.replace("\n", "\r"), []),
    "no line end at the end": (GOOD.rstrip("\n"), []),
    "empty lines between": (GOOD.replace("\n", "\n\n"), []),
    "tabs for blanks": (GOOD.replace("  ", "\t"), []),
    "tabs between words": (GOOD.replace("TRACK 01 AUDIO", "TRACK\t01\tAUDIO"), []),
    "a first number above one": (GOOD.replace("TRACK 01", "TRACK 07"), []),
    "remarks anywhere": ("REM anything\n" + GOOD + "REM more\n", []),
    "a CD text file": ('CDTEXTFILE "a.cdt"\n' + GOOD, []),
    "Windows code page 1252": ('TITLE "Müller"\n'.encode("cp1252") + GOOD.encode(), [(1, False, "not UTF-8")]),
    "code page 1252 further down": (GOOD.encode() + 'TITLE "é"\n'.encode("cp1252"), [(4, False, "not UTF-8")]),
    "UTF-16, low byte first": (b"\xff\xfe" + GOOD.encode("utf-16-le"), [(1, False, "UTF-16")]),
    "UTF-16, high byte first": (b"\xfe\xff" + GOOD.encode("utf-16-be"), [(1, False, "UTF-16")]),
    "small letters": (GOOD.replace("INDEX", "index"), [(3, False, "small letters")]),
    "small letters in a kind": (GOOD.replace("AUDIO", "audio"), [(2, False, "small letters")]),
    "a small file type": (GOOD.replace("WAVE", "wave"), [(1, False, "not a file type")]),
    "FLAC as a file type": (GOOD.replace("WAVE", "FLAC"), [(1, False, "not a file type")]),
    "a file name without quotes": (GOOD.replace('"a.wav"', "my a.wav"), [(1, False, "no quotes")]),
    "a title without quotes": ("TITLE Slow and Low\n" + GOOD, [(1, False, "no quotes")]),
    "a title with a quote too few": ('TITLE "Slow\n' + GOOD, [(1, False, "no partner")]),
    "a title twice": ('TITLE "A"\nTITLE "B"\n' + GOOD, [(2, False, "a second TITLE")]),
    "a catalogue number of 12 digits": ("CATALOG 400638133393\n" + GOOD, [(1, False, "13 digits")]),
    "an ISRC that is none": (GOOD.replace("    INDEX", "    ISRC GB1\n    INDEX"), [(3, False, "not an ISRC")]),
    "an unknown flag": (GOOD.replace("    INDEX", "    FLAGS XYZ\n    INDEX"), [(3, False, "unknown flags")]),
    "an unknown command": ("COMPOSER x\n" + GOOD, [(1, False, "not a cue sheet command")]),
    "minutes of one digit": (two("    INDEX 01 3:00:00\n"), [(5, False, "not a time")]),
    "a track number of one digit": (GOOD.replace("TRACK 01", "TRACK 1"), [(2, False, "not a track number")]),
    "an index number of one digit": (GOOD.replace("INDEX 01", "INDEX 1"), [(3, False, "not an index number")]),
    "a data track": (GOOD.replace("AUDIO", "MODE1/2352"), [(2, False, "Only AUDIO")]),
    "a pre-gap below its index": (GOOD + "    PREGAP 00:02:00\n", [(4, False, "PREGAP comes after")]),
    "75 frames": (two("    INDEX 01 00:03:75\n"), [(5, True, "75 frames"), (0, True, "no INDEX 01")]),
    "60 seconds": (two("    INDEX 01 00:60:00\n"), [(5, True, "60 seconds"), (0, True, "no INDEX 01")]),
    "a time in decimals": (two("    INDEX 01 3.25\n"), [(5, True, "not a time"), (0, True, "no INDEX 01")]),
    "indexes that overlap": (two("    INDEX 00 00:05:00\n    INDEX 01 00:04:00\n"), [(6, True, "does not come after")]),
    "the same place twice": (two("    INDEX 01 00:00:00\n"), [(5, True, "does not come after")]),
    "an index left out": (two("    INDEX 01 00:03:00\n    INDEX 03 00:04:00\n"), [(6, True, "index 03 follows")]),
    "a first index of two": (GOOD.replace("INDEX 01", "INDEX 02"), [(3, True, "the first index is 02"), (0, True, "")]),
    "no index at all": (FILE + "  TRACK 01 AUDIO\n", [(0, True, "no INDEX 01")]),
    "a track before any file": (TRACK, [(1, True, "before any FILE")]),
    "an index before any track": (FILE + "INDEX 01 00:00:00\n" + TRACK, [(2, True, "before any TRACK")]),
    "a file that does not begin at 0": (GOOD.replace("00:00:00", "00:01:00"), [(3, True, "must be at 00:00:00")]),
    "a file opened twice": (two("    INDEX 01 00:03:00\n" + FILE), [(6, True, "opened twice")]),
    "a track number left out": (two("    INDEX 01 00:03:00\n").replace("02 ", "03 "), [(4, True, "track 03 follows")]),
    "a hundredth track": (GOOD + "  TRACK 100 AUDIO\n    INDEX 01 00:09:00\n", [(4, True, "not a track number"),
                                                                              (5, True, "index 01 follows")]),
    "a file line without a type": (GOOD.replace(" WAVE", ""), [(1, True, "1 values where 2"), (2, True, "before any")]),
    "a file line lacking a quote": (GOOD.replace('wav"', "wav"), [(1, True, "no partner"), (2, True, "before any")]),
    "nothing": ("", [(0, True, "no track in it")]),
    "another text": ("Dear Sir,\nyours\n", [(1, False, "not a cue"), (2, False, "not a cue"), (0, True, "no track")]),
}  # fmt: skip


@pytest.mark.parametrize("name", ODD)
def test_every_oddity_is_told_at_its_line(name: str) -> None:
    data, expected = ODD[name]
    sheet, faults = parse(data if isinstance(data, bytes) else data.encode())
    told = [(fault.line, fault.grave, str(fault)) for fault in faults]
    assert [one[:2] for one in told] == [one[:2] for one in expected], told
    for (_, _, said), (_, _, part) in zip(told, expected, strict=True):
        assert part in said
    if not any(grave for _, grave, _ in expected):
        assert sheet.tracks and sheet.tracks[0].indexes[0].frames == 0


def test_there_are_forty_of_them_and_more() -> None:
    assert len(ODD) >= 40


def test_a_file_that_is_not_there_is_told_at_its_line() -> None:
    _, faults = parse(GOOD.encode(), exists=lambda name: name != "a.wav")
    assert [(one.line, one.what) for one in faults] == [(1, "the file 'a.wav' is not beside the sheet")]


def test_over_99_tracks_are_told_where_they_begin() -> None:
    lines = [FILE.strip()]
    for number in range(1, 103):
        lines += [
            f"TRACK {number:02} AUDIO",
            f"INDEX 01 {number // 60:02}:{number % 60:02}:00" if number > 1 else "INDEX 01 00:00:00",
        ]
    sheet, faults = parse("\n".join(lines).encode())
    assert len(sheet.tracks) == 99
    assert faults[0].line == 2 * 99 + 2 and faults[0].grave
