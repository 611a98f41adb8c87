"""Filing patterns: names that every system takes, inside their folder, no two alike."""

from __future__ import annotations

import unicodedata
from pathlib import PurePosixPath, PureWindowsPath

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from inkwell_groove.core.errors import Refused
from inkwell_groove.core.filing import MAX_NAME_BYTES, file_names, fill, folder_path, safe_name
from tests.core.strategies import any_text
from tests.patience import examples

RUDE = st.sampled_from(
    [
        "..",
        ".",
        "/",
        "\\",
        "a/b",
        "../../etc/passwd",
        "C:\\x",
        "CON",
        "con.flac",
        "LPT1",
        "aux ",
        "x.",
        " x ",
        "",
        "~",
        "é",
        "e\u0301",
        "É",
        "ß",
        "SS",
        "ﬁ",
        "x" * 300,
        "é" * 200,
        "\u202egnp.exe",
        "a\x00b",
        "nul.txt.x",
        "İ",
        "🎷" * 80,
    ]
)
texts = any_text | RUDE


def _is_safe(name: str) -> None:
    assert name
    assert name not in (".", "..")
    assert len(name.encode()) <= MAX_NAME_BYTES
    assert not set(name) & set('<>:"/\\|?*\x7f')
    assert all(ord(char) >= 32 for char in name)
    assert name == name.strip(" ")
    assert not name.endswith(".")
    assert not PureWindowsPath(name).is_reserved()
    assert PurePosixPath("/base", name).parent == PurePosixPath("/base")
    assert PureWindowsPath("C:/base", name).parent == PureWindowsPath("C:/base")


@pytest.mark.slow
@settings(max_examples=examples(3_000))  # some 10,000 names
@given(
    st.lists(st.tuples(texts, texts), min_size=1, max_size=6),
    texts,
    st.sampled_from(["{number} {track title}", "{artist} - {track title}", "{track title}"]),
)
def test_names_never_leave_their_folder_never_collide_and_fit(
    tracks: list[tuple[str, str]], album: str, pattern: str
) -> None:
    values = [
        {"number": f"{n:02}", "track title": title, "artist": artist} for n, (title, artist) in enumerate(tracks, 1)
    ]
    names = file_names(pattern, values, ".flac", taken=("album.cue", "sealing.log"))
    for name in names:
        _is_safe(name)
        assert name.endswith(".flac")
    # macOS and Windows look at neither case nor composition.
    for fold in (str.casefold, str.lower, str.upper, lambda name: unicodedata.normalize("NFKD", name).casefold()):
        assert len({fold(name) for name in names}) == len(names)
    for folder in folder_path("{album}/{album} x", {"album": album}):
        _is_safe(folder)


@pytest.mark.slow
@settings(max_examples=examples(2_000))
@given(texts)
def test_a_safe_name_stays_as_it_is(text: str) -> None:
    name = safe_name(text)
    assert safe_name(name) == name


@pytest.mark.parametrize(
    ("text", "name"),
    [
        ("AC/DC", "AC-DC"),
        ("Who: Are You?", "Who - Are You"),
        ('"Heroes"', "'Heroes'"),
        ("...and so on...", "and so on"),
        ("CON", "_CON"),
        ("com1.live", "_com1.live"),
        ("Con brio", "Con brio"),
        ("", "untitled"),
        ("???", "untitled"),
    ],
)
def test_names_stay_readable(text: str, name: str) -> None:
    assert safe_name(text) == name


def test_an_empty_field_takes_the_punctuation_beside_it_along() -> None:
    assert fill("{year} {title}", {"year": "", "title": "Lanterns"}) == ["Lanterns"]
    assert fill("{title} - {year}", {"year": "", "title": "Lanterns"}) == ["Lanterns"]


def test_tracks_of_one_title_are_told_apart_by_a_number() -> None:
    values = [{"track title": title} for title in ("Reel", "reel", "Reel")]
    assert file_names("{track title}", values, ".flac") == ["Reel.flac", "reel (2).flac", "Reel (3).flac"]


def test_an_unknown_field_is_refused_with_the_ones_there_are() -> None:
    with pytest.raises(Refused, match="no field 'titel'") as refusal:
        fill("{titel}", {"title": "x", "year": "y"})
    assert refusal.value.remedy == "The fields are title, year"


@pytest.mark.parametrize("pattern", ["{title", "title}", "{a{title}}"])
def test_a_brace_without_partner_is_refused(pattern: str) -> None:
    with pytest.raises(Refused):
        fill(pattern, {"title": "x"})
