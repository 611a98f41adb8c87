"""How names are filed, and which differences between texts are only in the writing."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkwell_groove.core.matching.names import filed
from inkwell_groove.core.matching.texts import differing, folded, likeness


@pytest.mark.parametrize(
    ("name", "kind", "expected"),
    [
        ("Odalys Brandt", "person", "Brandt, Odalys"),
        ("Jon Maskell-Obi", "person", "Maskell-Obi, Jon"),
        ("Ilse von der Vanterroe", "person", "Vanterroe, Ilse von der"),
        ("Pell de la Marre", "person", "de la Marre, Pell"),
        ("Jory du Lac", "person", "du Lac, Jory"),
        ("Cutler van Bay", "person", "Bay, Cutler van"),
        ("Ephraim Duckett Jr.", "person", "Duckett, Ephraim, Jr."),
        ("Mossgate", "person", "Mossgate"),
        ("Brandt, Odalys", "person", "Brandt, Odalys"),
        ("The Tollgate Sisters", "group", "Tollgate Sisters, The"),
        ("Marrowby Silver Band", "group", "Marrowby Silver Band"),
        ("A Band of Clerks", "group", "Band of Clerks, A"),
        ("Theodora's Boat", "group", "Theodora's Boat"),
    ],
)
def test_a_name_is_filed_by_its_leading_word(name: str, kind: str, expected: str) -> None:
    assert filed(name, kind) == expected  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("name", "language", "expected"),
    [
        ("Les Marins", "fr", "Marins, Les"),
        ("L'équipage", "fr", "Équipage, L'"),
        ("Die Fährleute", "de", "Fährleute, Die"),
        ("Die Fährleute", "en", "Die Fährleute"),
        ("Gli Ormeggi", "it", "Ormeggi, Gli"),
    ],
)
def test_articles_are_those_of_the_language(name: str, language: str, expected: str) -> None:
    assert filed(name, "group", language=language) == expected


@given(st.text(max_size=60), st.sampled_from(["person", "group"]))
def test_filing_loses_no_word(name: str, kind: str) -> None:
    words = sorted(filed(name, kind).replace(",", " ").split())  # type: ignore[arg-type]
    from inkwell_groove.core.description import clean_text

    assert [word.casefold() for word in words] == [
        word.casefold() for word in sorted(clean_text(name).replace(",", " ").split())
    ] or "'" in name


@pytest.mark.parametrize(
    ("one", "other"),
    [
        ("The Pilot's Coat", "Pilots coat"),
        ("Gannet Rock & Quay", "Gannet Rock and Quay"),
        ("Fährmann", "FAHRMANN"),
        ("Low Water Waltz!", "Low-Water Waltz"),
        ("Straße am Hafen", "strasse am hafen"),
    ],
)
def test_writing_alone_makes_no_difference(one: str, other: str) -> None:
    assert folded(one) == folded(other) and likeness(one, other) == 1.0


def test_misspelling_and_order_cost_a_little_and_other_titles_much() -> None:
    assert 0.85 < likeness("Lanterns on the Weir", "Lanterns on teh Wier") < 1.0
    assert 0.9 < likeness("Brandt Odalys Trio", "Odalys Brandt Trio") < 1.0
    assert likeness("Lanterns on the Weir", "Bellows Reel") < 0.5
    assert likeness("", "") == likeness("x", "") == 0.0


@given(st.text(max_size=40), st.text(max_size=40))
def test_likeness_is_the_same_both_ways_and_one_only_for_the_same(one: str, other: str) -> None:
    found = likeness(one, other)
    assert found == likeness(other, one) and 0.0 <= found <= 1.0
    assert (found == 1.0) == (folded(one) == folded(other) != "")


@pytest.mark.parametrize(
    ("one", "other", "difference"),
    [
        ("Slack Water", "Slack Water", "same"),
        ("Slack  Water ", "Slack Water", "spacing"),
        ("slack water", "Slack Water", "case"),
        ("Fahrmann", "Fährmann", "accents"),
        ("Pilot's Coat", "Pilots Coat", "punctuation"),
        ("The Pilot", "Pilot", "punctuation"),
        ("1974", "1974-03", "less exact"),
        ("1974-03", "1974-04", "different"),
        ("Slack Water", "Paper Oars", "different"),
    ],
)
def test_differences_are_named(one: str, other: str, difference: str) -> None:
    assert differing(one, other) == differing(other, one) == difference
