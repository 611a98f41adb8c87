"""The survey: every planted fault is found by its own check, and nothing is found in what is as it should be."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import replace
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkwell_groove.core.files.naming import Naming
from inkwell_groove.core.survey.duplicates import same_sound
from inkwell_groove.core.survey.finding import Finding, House, Record
from inkwell_groove.core.survey.names import Use, spellings
from inkwell_groove.core.survey.survey import CHECKS, by_release, survey
from inkwell_groove.demo.inventing import invent

FRONT = {
    "role": "front",
    "mime": "image/jpeg",
    "width_px": 1_000,
    "height_px": 1_000,
    "size_bytes": 200_000,
    "sha256": "f" * 64,
}
FACTS: dict[str, Any] = {
    "format": "FLAC",
    "silent_tail_s": 0.5,
    "pictures": [FRONT],
    "others": [("REPLAYGAIN_TRACK_GAIN", "-3.20 dB")],
}
MEASURED = {"loud": {"lufs": -15.0, "true_peak_dbtp": -1.0}, "blocks": {"lowest": -150, "counts": [1_000]}}
TITLES = ("Over the Sluice", "Ferry Home", "The Eel Catcher's Walk", "Quarry Sunday", "Rope and Tar")


def album(count: int = 5, *, folder: str = "1/Silver Band", name: str = "Lanterns", first: int = 1) -> list[Record]:
    return [
        Record(
            first + at,
            f"{folder}/{at + 1:02} {TITLES[at]}.flac",
            {
                "title": TITLES[at],
                "artist": "Marrowby Silver Band",
                "artist_sort": "Marrowby Silver Band",
                "album": name,
                "album_artist": "Marrowby Silver Band",
                "album_artist_sort": "Marrowby Silver Band",
                "track_number": str(at + 1),
                "track_total": str(count),
                "date": "1974",
                "genre": "Brass",
            },
            FACTS,
        )
        for at in range(count)
    ]


BESIDE = {"1/Silver Band/cover.jpg": "f" * 64}


def said(one: Record, **fields: str) -> Record:
    return replace(one, fields={**one.fields, **fields})


def known(one: Record, **facts: Any) -> Record:
    return replace(one, facts={**one.facts, **facts})


def found(records: Iterable[Record], beside: dict[str, str] | None = None, house: House | None = None) -> list[Finding]:
    return list(survey(list(records), BESIDE if beside is None else beside, house or House()))


def test_nothing_is_found_in_an_album_that_is_as_it_should_be() -> None:
    assert found(album()) == []


Plant = Callable[[list[Record]], list[Record]]


def first(change: Callable[[Record], Record]) -> Plant:
    return lambda files: [change(files[0]), *files[1:]]


def every(change: Callable[[Record], Record]) -> Plant:
    return lambda files: [change(one) for one in files]


PLANTED: dict[str, tuple[Plant, set[str]]] = {
    "no title": (first(lambda one: said(one, title="")), {"missing title"}),
    "no date anywhere": (every(lambda one: said(one, date="")), {"missing date"}),
    "no album artist": (every(lambda one: said(one, album_artist="", album_artist_sort="")), {"missing album_artist"}),
    "no track number": (first(lambda one: said(one, track_number="")), {"missing track_number"}),
    "generic title": (first(lambda one: said(one, title="Track 3")), {"says nothing"}),
    "nobody": (every(lambda one: said(one, artist="Unknown Artist")), {"says nothing", "clash of artist"}),
    "number in title": (first(lambda one: said(one, title="01. Over the Sluice")), {"titles hold more"}),
    "artist in title": (first(lambda one: said(one, title="Marrowby Silver Band - Over the Sluice")),
                        {"titles hold more"}),
    "album in title": (first(lambda one: said(one, title="Lanterns: Over the Sluice")), {"titles hold more"}),
    "capitals": (first(lambda one: said(one, title="OVER THE SLUICE")), {"writing"}),
    "small": (first(lambda one: said(one, title="over the sluice")), {"writing"}),
    "underscores": (first(lambda one: said(one, title="Over_the_Sluice")), {"writing"}),
    "sort name": (every(lambda one: said(one, artist_sort="", artist="The Band", album_artist="The Band",
                                         album_artist_sort="Band, The")), {"sort names"}),
    "other year": (first(lambda one: said(one, date="1975")), {"clash of date"}),
    "other genre": (first(lambda one: said(one, genre="Folk")), {"clash of genre"}),
    "other album": (first(lambda one: said(one, album="Lantern")), {"clash of album"}),
    "other album artist": (first(lambda one: said(one, album_artist="Somebody", album_artist_sort="Somebody")),
                           {"clash of album_artist", "clash of artist"}),
    "other artist": (first(lambda one: said(one, artist="Somebody", artist_sort="Somebody")), {"clash of artist"}),
    "disc in album": (every(lambda one: said(one, album="Lanterns (CD 1)")), {"discs in names"}),
    "doubled": (lambda files: [*files[:-1], said(files[-1], track_number="4")],
                {"numbers doubled"}),
    "left out": (lambda files: [files[0], files[1], *files[3:]], {"numbers left out"}),
    "above total": (every(lambda one: said(one, track_total="4")), {"numbers above total"}),
    "order": (lambda files: [said(files[0], track_number="2"), said(files[1], track_number="1"), *files[2:]],
              {"numbers out of order"}),
    "no front": (first(lambda one: known(one, pictures=[])), {"picture not embedded"}),
    "small front": (every(lambda one: known(one, pictures=[FRONT | {"width_px": 120, "height_px": 120}])),
                    {"picture too small"}),
    "large front": (every(lambda one: known(one, pictures=[FRONT | {"width_px": 4_000, "height_px": 4_000}])),
                    {"pictures too large"}),
    "long front": (every(lambda one: known(one, pictures=[FRONT | {"height_px": 800}])), {"pictures not square"}),
    "another front": (first(lambda one: known(one, pictures=[FRONT | {"sha256": "e" * 64}])),
                      {"pictures clash", "pictures differ"}),
    "silence": (first(lambda one: known(one, silent_tail_s=20.0)), {"silence at the end"}),
    "silence before": (first(lambda one: known(one, silent_head_s=12.5)), {"silence at the beginning"}),
    "loudness": (every(lambda one: known(one, others=[])), {"loudness not measured"}),
    "measured loudness": (every(lambda one: known(one, others=[], loudness=MEASURED)), {"loudness not measured"}),
    "broken": (first(lambda one: Record(one.key, one.path, {}, {}, "it is cut short")), {"unreadable"}),
}  # fmt: skip


@pytest.mark.parametrize("name", PLANTED)
def test_a_planted_fault_is_found_by_its_check_and_by_no_other(name: str) -> None:
    plant, checks = PLANTED[name]
    assert {one.check for one in found(plant(album()))} == checks
    assert checks <= CHECKS.keys()


def test_without_any_picture_that_alone_is_said() -> None:
    bare = [known(one, pictures=[]) for one in album()]
    assert {one.check for one in found(bare, beside={})} == {"no picture"}
    assert {one.check for one in found(album(), beside={})} == {"picture not beside"}


@pytest.mark.parametrize("name", [name for name, (_, checks) in PLANTED.items() if len(checks) == 1])
def test_a_remedy_takes_its_finding_away_and_brings_no_other(name: str) -> None:
    plant, _ = PLANTED[name]
    files = plant(album())
    before = found(files)
    cells = {key: held for one in before for key, held in one.remedy.items()}
    if not cells or any(held.keys() & {"silence", "path"} for held in cells.values()):
        return
    mended = [said(one, **cells.get(one.key, {})) for one in files]
    assert {one.check for one in found(mended)} <= {"sort names"} | {one.check for one in before if not one.remedy}


def test_files_that_are_not_filed_by_the_pattern_are_found_once_there_is_one() -> None:
    naming = Naming(pattern="{album_artist}/{album}/{track_number:02} {title}")
    moved = [one for one in found(album(), house=House(naming=naming)) if one.check == "not filed"]
    assert len(moved) == 5
    assert moved[0].remedy == {1: {"path": "Marrowby Silver Band/Lanterns/01 Over the Sluice.flac"}}
    filed = album(folder="1/Marrowby Silver Band/Lanterns")
    beside = {"1/Marrowby Silver Band/Lanterns/cover.jpg": "f" * 64}
    assert found(filed, beside, House(naming=naming)) == []


def test_invented_releases_that_are_well_described_have_no_findings() -> None:
    """Names and titles of three hundred releases that were never meant for this."""
    records = []
    for number, (release, *_) in enumerate(invent(300, 77)):
        tracks = [track for medium in release.media for track in medium.tracks]
        artist = release.credits[0].name
        for at, track in enumerate(tracks, start=1):
            fields = {"title": track.title, "artist": artist, "artist_sort": "x", "album": release.title}
            fields |= {"date": "1970", "album_artist": artist, "album_artist_sort": "x", "track_number": str(at)}
            records.append(Record(1_000 * number + at, f"1/{number}/{at:02} {track.title}.flac", fields, FACTS))
    beside = {f"1/{number}/cover.jpg": "f" * 64 for number in range(300)}
    assert [(one.check, one.words) for one in found(records, beside)] == []


def test_a_heap_is_no_release() -> None:
    heap = [
        Record(at, f"1/heap/{artist} - {title}.mp3", {"title": title, "artist": artist}, FACTS)
        for at, (artist, title) in enumerate((("One", "A Song"), ("Two", "Other Song"), ("Three", "Third Song")))
    ]
    assert [len(group) for group in by_release(heap)] == [1, 1, 1]
    two = album() + [said(one, album="Another") for one in album(3, first=10)]
    assert sorted(len(group) for group in by_release(two)) == [3, 5]
    discs = album(folder="1/Box/CD1") + album(folder="1/Box/CD2", first=10)
    assert [len(group) for group in by_release(discs)] == [10]


def test_of_files_with_one_sound_the_best_described_is_kept() -> None:
    one, copy = album(1)[0], replace(album(1)[0], key=9, path="1/Silver Band/Copy of 01 Over the Sluice.flac")
    told = same_sound([copy, one])
    assert told.files == (1, 9)
    assert "the other's name says that it is a copy" in told.words
    bare = Record(5, "1/Silver Band/00.flac", {"title": "Over the Sluice"}, FACTS)
    assert same_sound([bare, copy]).files == (9, 5)
    assert "better described" in same_sound([bare, copy]).words
    assert same_sound([one, copy]).about == same_sound([copy, one]).about


# Invented names; which of them are the same is what anybody would say.
SAME = [
    ("The Tollgate Sisters", "Tollgate Sisters"),
    ("The Tollgate Sisters", "THE TOLLGATE SISTERS"),
    ("Jón Maskell-Obi", "Jon Maskell Obi"),
    ("Gull & Crane", "Gull and Crane"),
    ("Marrowby Silver Band", "Marrowby Silver Bnad"),
    ("Ephraim Duckett", "Ephraim Ducket"),
]
OTHERS = [
    ("Quartet No. 1", "Quartet No. 2"),
    ("The Rooks", "The Rocks"),
    ("Ann Teller", "Dan Keller"),
    ("Marrowby Silver Band", "Marrowby Brass Band"),
]


@pytest.mark.parametrize(("usual", "other"), SAME)
def test_spellings_of_a_name_point_to_the_usual_one(usual: str, other: str) -> None:
    told = list(spellings([Use("artist", usual, 30), Use("album_artist", usual, 10), Use("artist", other, 2)]))
    assert [(one.value, one.usual, one.usual_files) for one in told] == [(other, usual, 40)]
    assert told[0].finding([7]).remedy == {7: {"artist": usual}}


@pytest.mark.parametrize(("one", "other"), OTHERS)
def test_names_of_others_are_left_apart(one: str, other: str) -> None:
    assert list(spellings([Use("artist", one, 30), Use("artist", other, 2)])) == []


def test_capitals_throughout_are_not_offered_where_anybody_writes_it_otherwise() -> None:
    told = list(spellings([Use("artist", "THE TOLLGATE SISTERS", 8), Use("artist", "The Tollgate Sisters", 4)]))
    assert [(one.value, one.usual) for one in told] == [("THE TOLLGATE SISTERS", "The Tollgate Sisters")]


@given(st.dictionaries(st.text(min_size=1, max_size=20), st.integers(1, 50), max_size=30))
def test_no_spelling_is_both_usual_and_not(counts: dict[str, int]) -> None:
    told = list(spellings([Use("artist", value, files) for value, files in counts.items()]))
    assert not {one.value for one in told} & {one.usual for one in told}
    assert all(one.usual in counts for one in told)
