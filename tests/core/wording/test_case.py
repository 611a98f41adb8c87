"""Capitals by language. The examples are common practice: how libraries and labels of each language write titles."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkwell_groove.core.wording.case import Case, is_roman, put_case
from inkwell_groove.core.wording.languages import LANGUAGES, Language


@pytest.mark.parametrize(
    ("text", "case", "language", "wanted"),
    [
        ("lanterns on the weir", "title", "en", "Lanterns on the Weir"),
        ("THE LADY OF THE LAMP", "title", "en", "The Lady of the Lamp"),
        ("walking up to", "title", "en", "Walking up To"),
        ("slow-moving water (an ode)", "title", "en", "Slow-Moving Water (An Ode)"),
        ("what a day: the end of it", "title", "en", "What a Day: The End of It"),
        ("symphony no. iv in d minor", "title", "en", "Symphony No. IV in D Minor"),
        ("in the mix", "title", "en", "In the Mix"),
        ("first boat over (reprise)", "title", "en", "First Boat Over (Reprise)"),
        ("j.s. and mcdonald feat. the weir o'hara", "title", "en", "J.S. and McDonald feat. the Weir O'Hara"),
        ("songs from the LP", "title", "en", "Songs from the LP"),
        ("what i don't know", "title", "en", "What I Don't Know"),
        ("GOODBYE. AND HELLO", "sentence", "en", "Goodbye. And hello"),
        ("LES FEUILLES MORTES DE L'ÉTÉ", "title", "fr", "Les feuilles mortes de l'été"),
        ("l'eau dormante", "title", "fr", "L'eau dormante"),
        ("acte ii, scène iii", "title", "fr", "Acte II, scène III"),
        ("dix chansons", "title", "fr", "Dix chansons"),
        ("die Laternen am Wehr", "title", "de", "Die Laternen am Wehr"),
        ("DIE LATERNEN AM WEHR", "title", "de", "Die Laternen am Wehr"),
        ("LA BARCA DI CARTA", "title", "it", "La barca di carta"),
        ("sonata iv per l'acqua", "title", "it", "Sonata IV per l'acqua"),
        ("Über Wasser", "upper", "de", "ÜBER WASSER"),
        ("Über Wasser", "lower", "de", "über wasser"),
    ],
)
def test_titles_as_each_language_writes_them(text: str, case: Case, language: Language, wanted: str) -> None:
    assert put_case(text, case, language) == wanted


def test_words_to_be_kept_are_kept() -> None:
    assert (
        put_case("THE QHL BAND OF MARROWBY", "sentence", "en", keep=("QHL", "Marrowby")) == "The QHL band of Marrowby"
    )
    assert put_case("reel vs. jig", "title", "en", small=("jig",)) == "Reel vs. Jig"


@pytest.mark.parametrize("word", ["I", "iv", "IX", "xiv", "XL", "MCMLXXIV"])
def test_numerals_are_known(word: str) -> None:
    assert is_roman(word)


@pytest.mark.parametrize("word", ["", "IIII", "IC", "VX", "IIX", "reel"])
def test_what_only_looks_like_one_is_not(word: str) -> None:
    assert not is_roman(word)


@given(st.text(max_size=60), st.sampled_from(["sentence", "title"]), st.sampled_from(list(LANGUAGES)))
def test_case_changes_nothing_but_case(text: str, case: Case, language: Language) -> None:
    assert put_case(text, case, language).casefold() == text.casefold() or any(ord(char) > 127 for char in text)


@given(st.text("abcdef .'()-:", max_size=40), st.sampled_from(list(LANGUAGES)))
def test_doing_it_twice_is_doing_it_once(text: str, language: Language) -> None:
    once = put_case(text, "sentence", language)
    assert put_case(once, "sentence", language) == once
