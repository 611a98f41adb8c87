"""Finding entries by words and facets, held against looking at every entry in turn."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from rapidfuzz.distance import OSA

from inkwell_groove.core.search.index import Index
from inkwell_groove.core.search.segment import Entry, Query
from inkwell_groove.core.search.words import folded, words

FIELDS, FACETS = ("title", "artist", "release"), ("carrier", "decade")


def entry(key: str, title: str, artist: str = "", release: str = "", **facets: str) -> Entry:
    texts = {"title": title, "artist": artist, "release": release}
    return Entry(key, texts, facets, release or key, f"{folded(artist)}|{folded(release)}|{key}", len(key))


RECORD = {"carrier": "LP", "decade": "1970s"}
SHELF = [
    entry("1", "Over the Sluice: a March", "Marrowby Silver Band", "Lanterns on the Weir", **RECORD),
    entry("2", "Lamplighter's Round", "Marrowby Silver Band", "Lanterns on the Weir", **RECORD),
    entry("3", "Slack Water", "The Tollgate Sisters", "Harbour Lights", carrier="CD", decade="2000s"),
    entry("4", "Café à l'Écluse", "Odalys Brandt", "Harbour Lights", carrier="CD", decade="2000s"),
    entry("5", "Ebb", "Jon Maskell-Obi", "Four Tidal Preludes QHL 1107", carrier="cassette", decade="1990s"),
]


def index(entries: list[Entry] = SHELF) -> Index:
    made = Index(FIELDS, FACETS)
    made.build(entries)
    return made


@pytest.mark.parametrize(
    ("asked", "keys"),
    [
        ("sluice", ["1"]),
        ("SLUICE", ["1"]),
        ("sluise", ["1"]),  # a letter that is another
        ("slucie", ["1"]),  # two that changed places
        ("marowby silver", ["1", "2"]),  # one left out
        ("mar", ["1", "2"]),  # the beginning
        ("lamplighters", ["2"]),
        ("cafe ecluse", ["4"]),
        ("qhl-1107", ["5"]),
        ("QHL1107", ["5"]),
        ("1108", []),  # numbers are not forgiven
        ("ebb sluice", []),  # every word has to be there
        ("", ["1", "2", "3", "4", "5"]),
        ("harbour water", ["3"]),
    ],
)
def test_what_words_find(asked: str, keys: list[str]) -> None:
    assert sorted(index().find(Query(asked)).keys) == keys


def test_what_fits_better_comes_first_and_the_rest_in_its_order() -> None:
    made = index([*SHELF, entry("6", "Slacken", "Another")])
    assert made.find(Query("slack")).keys == ["3", "6"]
    assert made.find(Query()).keys[:2] == ["6", "5"], "by artist"


def test_one_field_only() -> None:
    assert index().find(Query("harbour", field="title")).keys == []
    assert index().find(Query("harbour", field="release")).total == 2


def test_facets_narrow_and_are_counted() -> None:
    found = index().find(Query("", facets={"carrier": ["LP", "CD"], "decade": ["2000s"]}))
    assert sorted(found.keys) == ["3", "4"]
    assert found.facets == {"carrier": {"CD": 2}, "decade": {"2000s": 2}}
    assert found.releases == 1
    assert index().find(Query(owners=np.array([2, 3]))).total == 0
    assert index().find(Query(owners=np.array([1]))).total == 5


def test_releases_with_what_was_found_of_each() -> None:
    total, some = index().releases(Query("the"), most=1)
    assert total == 2
    assert some == {"Lanterns on the Weir": ["2", "1"]} or some == {"Lanterns on the Weir": ["1", "2"]}
    assert list(index().releases(Query())[1]) == [
        "Four Tidal Preludes QHL 1107",
        "Lanterns on the Weir",
        "Harbour Lights",
    ]


def test_what_changed_takes_the_place_of_what_was() -> None:
    made = index()
    made.replace([entry("3", "High Water", "The Tollgate Sisters", "Harbour Lights", carrier="CD")], gone=["4"])
    assert made.find(Query("slack")).keys == []
    assert made.find(Query("high")).keys == ["3"]
    assert (len(made), made.find(Query()).total) == (4, 4)
    made.replace([], gone=["3"])
    assert made.find(Query("high")).total == 0
    assert made.releases(Query("harbour"))[0] == 0


def test_many_small_changes_want_it_built_anew() -> None:
    made = index()
    for number in range(3):
        made.replace([entry(f"new {number}", "Title")])
    assert made.wants_building


@given(st.lists(st.tuples(st.integers(0, 12), st.sampled_from(("Ebb", "Flood", "gone"))), max_size=80))
def test_however_it_came_to_be_it_finds_what_one_built_anew_does(changes: list[tuple[int, str]]) -> None:
    made, here = Index(FIELDS, FACETS), {f"old {number}": entry(f"old {number}", "Slack") for number in range(400)}
    made.build(list(here.values()))
    for number, title in changes:
        key = f"old {number}"
        if title == "gone":
            here.pop(key, None)
            made.replace([], [key])
        else:
            here[key] = entry(key, title)
            made.replace([here[key]])
    assert not made.wants_building
    assert len(made._segments) <= 2 + np.log2(len(changes) + 1)
    anew = Index(FIELDS, FACETS)
    anew.build(list(here.values()))
    for text in ("ebb", "flood", "slack", ""):
        found, expected = made.find(Query(text), most=500), anew.find(Query(text), most=500)
        assert (found.total, found.facets, sorted(found.keys)) == (
            expected.total,
            expected.facets,
            sorted(expected.keys),
        )


def test_nothing_at_all_is_searched_without_a_fault() -> None:
    made = Index(FIELDS, FACETS)
    assert made.find(Query("anything")).keys == []
    made.build([])
    assert made.find(Query("anything")).total == 0
    assert made.releases(Query()) == (0, {})


@given(st.text(max_size=40))
def test_any_text_can_be_asked_for(text: str) -> None:
    found = index().find(Query(text))
    assert found.total == len(found.keys)
    assert all(words(one) == [one] for one in words(text)), "words are words of their own"


def test_every_letter_is_folded_at_once_to_what_it_stays() -> None:
    assert words("Ǣre Ǿre Ϲ ᴬ") == ["aere", "ore", "σ", "a"]
    letters = (chr(code) for code in range(0x30000) if not 0xD800 <= code < 0xE000)
    assert [letter for letter in letters if any(words(one) != [one] for one in words(letter))] == []


_WORDS = st.sampled_from(["ebb", "ebbs", "water", "waters", "wader", "harbour", "harbor", "round", "12", "120", "a"])
_TITLES = st.lists(_WORDS, min_size=1, max_size=4).map(" ".join)


@given(st.lists(_TITLES, max_size=12), st.lists(_WORDS, max_size=3), st.integers(0, 12))
def test_the_same_is_found_as_by_looking_at_every_entry(titles: list[str], asked: list[str], cut: int) -> None:
    entries = [entry(str(number), title) for number, title in enumerate(titles)]
    made = Index(FIELDS, FACETS)
    made.build(entries[:cut])
    made.replace(entries[cut:])
    expected = {one.key for one in entries if all(_has(one.texts["title"].split(), word) for word in asked)}
    assert set(made.find(Query(" ".join(asked))).keys) == expected


def _has(held: list[str], word: str) -> bool:
    allowed = 0 if word[0].isdigit() or len(word) < 4 else 1 if len(word) < 8 else 2
    return any(one.startswith(word) or OSA.distance(one, word) <= allowed for one in held)
