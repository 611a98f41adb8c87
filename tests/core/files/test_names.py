"""Names from tags and tags from names, and many files moved without one lost."""

from __future__ import annotations

import posixpath

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkwell_groove.core.errors import Refused
from inkwell_groove.core.files.fields import FIELDS
from inkwell_groove.core.files.moving import corrected_cue, corrected_playlist, going_along, plan_moves
from inkwell_groove.core.files.naming import Naming, read_name

TAGS = {
    "artist": "Tollgate/Sisters",
    "album": "Slack Water: Live",
    "date": "1968-05",
    "track_number": "3",
    "title": "Paper Oars?",
    "composer": "I. Vanterroe",
    "work": "Preludes",
}


@pytest.mark.parametrize(
    ("naming", "more", "wanted"),
    [
        ({}, {}, "Tollgate-Sisters/1968 Slack Water - Live/03 Paper Oars.flac"),
        ({}, {"compilation": "yes"}, "Compilations/Slack Water - Live/03 Tollgate-Sisters - Paper Oars.flac"),
        ({"compilations": ""}, {"compilation": "yes"}, "Various/1968 Slack Water - Live/03 Paper Oars.flac"),
        (
            {},
            {"disc_number": "2", "disc_total": "2"},
            "Tollgate-Sisters/1968 Slack Water - Live/Disc 2/03 Paper Oars.flac",
        ),
        ({}, {"disc_number": "1", "disc_total": "1"}, "Tollgate-Sisters/1968 Slack Water - Live/03 Paper Oars.flac"),
        ({"classical": "{composer}/{work}/{track_number} {title}"}, {}, "I. Vanterroe/Preludes/3 Paper Oars.flac"),
        ({}, {"album": "", "date": ""}, "Tollgate-Sisters/03 Paper Oars.flac"),
        (
            {"missing": "say so"},
            {"album": "", "date": ""},
            "Tollgate-Sisters/unknown date unknown album/03 Paper Oars.flac",
        ),
        ({"pattern": "{title:.5}"}, {}, "Paper.flac"),
        ({"pattern": "{track_number:>03}_{title}", "instead": "+"}, {"title": "a/b"}, "003_a+b.flac"),
        (
            {"most_characters": 20},
            {"title": "A very long title indeed"},
            "Tollgate-Sisters/1968 Slack Water - Li/03 A very long.flac",
        ),
    ],
)
def test_names_from_tags(naming: dict[str, str], more: dict[str, str], wanted: str) -> None:
    assert Naming(**naming).path_for({**TAGS, **more}, ".flac") == wanted  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("pattern", "path", "wanted"),
    [
        ("{artist} - {title}", "x/A - B - C.mp3", {"artist": "A", "title": "B - C"}),
        ("{track_number} {title}", "03 Reel.flac", {"track_number": "3", "title": "Reel"}),
        (
            "{artist}/{date} {album}/{track_number} {title}",
            "in/Band/1974 Lanterns/03 Reel.flac",
            {"artist": "Band", "date": "1974", "album": "Lanterns", "track_number": "3", "title": "Reel"},
        ),
        ("{nothing} - {title}", "xx - Reel.flac", {"title": "Reel"}),
        ("{track_number} {title}", "Reel.flac", None),
        ("{artist}/{title}", "Reel.flac", None),
        ("{title} - {title}", "A - B.flac", None),
    ],
)
def test_tags_from_names(pattern: str, path: str, wanted: dict[str, str] | None) -> None:
    assert read_name(pattern, path) == wanted


@pytest.mark.parametrize("pattern", ["{nonsense}", "{artist}{title}", "{title"])
def test_a_pattern_that_cannot_be_read_is_refused(pattern: str) -> None:
    with pytest.raises(Refused) as refused:
        read_name(pattern, "A - B.flac")
        Naming(pattern=pattern).path_for({}, ".flac")
    assert refused.value.remedy


values = st.dictionaries(st.sampled_from([field.name for field in FIELDS]), st.text(max_size=80))


@given(values, st.text(max_size=20), st.sampled_from(["say so", "leave out"]))
def test_paths_are_safe_whatever_the_tags(tags: dict[str, str], literal: str, missing: str) -> None:
    pattern = "{album_artist}/{album}/" + literal.replace("{", "").replace("}", "") + "{track_number:02} {title}"
    path = Naming(pattern=pattern, missing=missing).path_for(tags, ".flac")  # type: ignore[arg-type]
    assert not path.startswith("/")
    assert path.endswith(".flac")
    for part in path.split("/"):
        assert part not in ("", ".", "..")
        assert len(part.encode()) <= 255
        assert not set(part) & set('<>:"|?*\\\0\n')
        assert part == part.strip(" ")


words = st.text("abcdefgh XYZ", min_size=1, max_size=12).map(lambda text: " ".join(text.split())).filter(bool)


@given(artist=words, album=words, title=words, number=st.integers(1, 99))
def test_what_was_written_into_a_name_is_read_out_of_it(artist: str, album: str, title: str, number: int) -> None:
    pattern = "{artist}/{album}/{track_number:02} - {title}"
    tags = {"artist": artist, "album": album, "title": title, "track_number": str(number)}
    path = Naming(pattern=pattern, compilations="", disc_folder="").path_for(tags, ".flac")
    assert read_name(pattern, path) == tags


def test_files_change_places_and_names_of_one_spelling_are_told_apart() -> None:
    moves = plan_moves({1: "a.flac", 2: "b.flac", 3: "c.flac"}, {1: "b.flac", 2: "a.flac", 3: "A.FLAC"})
    assert [(move.new, move.told) for move in moves] == [
        ("b.flac", ""),
        ("a.flac", ""),
        ("A (2).FLAC", "'A.FLAC' is taken there already"),
    ]
    assert plan_moves({1: "reel.flac"}, {1: "Reel.flac"}) == plan_moves({1: "reel.flac"}, {1: "Reel.flac"}, others=[])
    assert plan_moves({1: "a"}, {1: "b"}, others=["B"])[0].new == "b (2)"


paths = st.lists(st.sampled_from(["a", "A", "b", "x/a", "x/A", "x/b", "ä", "a\u0308"]), min_size=1, max_size=8)


@given(paths, paths)
def test_no_two_files_ever_land_on_one_name(now: list[str], wanted: list[str]) -> None:
    here = dict(enumerate(dict.fromkeys(path.casefold() for path in now)))
    asked = {key: wanted[key % len(wanted)] for key in here if key % 3}
    after = here | {move.key: move.new for move in plan_moves(here, asked)}
    assert len({path.casefold() for path in after.values()}) == len(here)
    assert all(posixpath.dirname(after[key]) == posixpath.dirname(asked[key]) for key in asked)


def test_what_points_at_moved_files_is_corrected() -> None:
    moved = {"in/01 a.flac": "Band/Album/01 A.flac", "in/02 b.flac": "Band/Album/02 B.flac"}
    playlist = "#EXTM3U\r\n01 a.flac\r\n..\\in\\02 B.flac\r\nhttp://x/01 a.flac\r\nother.flac"
    assert corrected_playlist(playlist, moved, "in", "in") == (
        "#EXTM3U\r\n../Band/Album/01 A.flac\r\n..\\Band\\Album\\02 B.flac\r\nhttp://x/01 a.flac\r\nother.flac"
    )
    cue = 'REM x\nFILE "01 a.flac" WAVE\n  TRACK 01 AUDIO\n'
    assert corrected_cue(cue, moved, "in", "in") == 'REM x\nFILE "../Band/Album/01 A.flac" WAVE\n  TRACK 01 AUDIO\n'


def test_a_list_that_moved_still_leads_to_what_stayed() -> None:
    moved = {"in/01 a.flac": "out/01 A.flac", "in/list.m3u": "out/list.m3u"}
    assert corrected_playlist("01 a.flac\n02 b.flac\n", moved, "in", "out") == "01 A.flac\n../in/02 b.flac\n"
    assert corrected_cue('FILE "02 b.flac" WAVE\n', moved, "in", "out") == 'FILE "../in/02 b.flac" WAVE\n'


BESIDE = ["A/cover.jpg", "A/scans/back.png", "A/CD1/rip.log", "A/CD2/rip.log", "notes.txt", "B/cover.jpg"]
SOUND = ["A/CD1/1.flac", "A/CD1/2.flac", "A/CD2/1.flac", "B/1.flac"]


@pytest.mark.parametrize(
    ("moves", "along"),
    [
        # One of a folder's two files: nothing goes along.
        ({"A/CD1/1.flac": "New/1.flac"}, {}),
        # A folder as a whole, renamed: what lies in it goes, what lies above it stays.
        (
            {"A/CD1/1.flac": "A/Disc 1/1 x.flac", "A/CD1/2.flac": "A/Disc 1/2.flac"},
            {"A/CD1/rip.log": "A/Disc 1/rip.log"},
        ),
        # Both folders of an album, in its new folder: its cover and its scans go too.
        (
            {one: one.replace("A/", "Band/Album/", 1) for one in SOUND[:3]},
            {one: one.replace("A/", "Band/Album/", 1) for one in BESIDE[:4]},
        ),
        # Two folders laid together: each one's papers go; for what lies above both nobody can say.
        (
            {"A/CD1/1.flac": "A/1-1.flac", "A/CD1/2.flac": "A/1-2.flac", "A/CD2/1.flac": "A/2-1.flac"},
            {"A/CD1/rip.log": "A/rip.log", "A/CD2/rip.log": "A/rip.log"},
        ),
        # Everything one folder deeper.
        ({one: f"Box/{one}" for one in SOUND}, {one: f"Box/{one}" for one in BESIDE}),
        # To two folders: nobody can say where the cover goes.
        ({"A/CD1/1.flac": "X/1.flac", "A/CD1/2.flac": "Y/1.flac"}, {}),
        # A new name in the same folder.
        ({"B/1.flac": "B/01 Ebb.flac"}, {}),
    ],
)
def test_what_lies_beside_sound_goes_where_all_of_it_goes(moves: dict[str, str], along: dict[str, str]) -> None:
    staying = [one for one in SOUND if one not in moves]
    assert going_along(moves, staying, BESIDE) == along


def test_what_lies_in_the_folder_that_sound_moves_into_stays() -> None:
    assert going_along({"1.flac": "Album/1.flac"}, [], ["cover.jpg", "Album/booklet.pdf"]) == {
        "cover.jpg": "Album/cover.jpg"
    }


@given(st.dictionaries(st.sampled_from(SOUND), st.sampled_from(["A/x", "C/x", "C/CD1/x", "x"])))
def test_nothing_goes_along_with_a_folder_of_which_some_sound_stays(moves: dict[str, str]) -> None:
    staying = [one for one in SOUND if one not in moves]
    for old in going_along(moves, staying, BESIDE):
        folder = posixpath.dirname(old)
        while folder and not any(one.startswith(f"{folder}/") for one in SOUND):
            folder = posixpath.dirname(folder)
        assert not any(one.startswith(f"{folder}/") for one in staying) and folder


@pytest.mark.parametrize("elsewhere", ["/in/01 a.flac", "https://radio.example/in/01 a.flac", "../01 a.flac"])
def test_what_points_outside_the_folder_stays_as_it_is(elsewhere: str) -> None:
    """An absolute path names another file than a relative one with the same letters."""
    moved = {"in/01 a.flac": "Band/01 A.flac"}
    assert corrected_playlist(f"{elsewhere}\n", moved, "in", "in") == f"{elsewhere}\n"
    assert corrected_cue(f'FILE "{elsewhere}" WAVE\n', moved, "in", "in") == f'FILE "{elsewhere}" WAVE\n'
