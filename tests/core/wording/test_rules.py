"""Wording rules, step by step and as a whole."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import TypeAdapter, ValidationError

from inkwell_groove.core.errors import Refused
from inkwell_groove.core.wording.rules import Step, WordingRule

STEP: TypeAdapter[Any] = TypeAdapter(Step)


def after(text: str, *steps: dict[str, Any], **others: str) -> str:
    rule = WordingRule(fields=("title",), steps=tuple(STEP.validate_python(step) for step in steps))
    return rule.apply({"title": text, **others}).get("title", text)


@pytest.mark.parametrize(
    ("step", "text", "wanted"),
    [
        ({"do": "replace", "find": "Qu", "by": "Kw"}, "Quay quay", "Kway quay"),
        (
            {"do": "replace", "find": "reel", "by": "jig", "how": "word", "match_case": False},
            "Reel reeling",
            "jig reeling",
        ),
        ({"do": "replace", "find": r"(\w+), (\w+)", "by": r"\2 \1", "how": "expression"}, "Duckett, E", "E Duckett"),
        ({"do": "replace", "find": r"(?P<a>\d)-(?P<b>\d)", "by": r"\g<b>/\g<a>", "how": "expression"}, "1-2", "2/1"),
        ({"do": "space"}, "  a \t b ", "a b"),
        ({"do": "underscores"}, "slack_water__reel", "slack water reel"),
        ({"do": "brackets"}, "Reel (live) [1974]", "Reel"),
        ({"do": "brackets", "holding": "live"}, "Reel (live (again)) [1974]", "Reel [1974]"),
        ({"do": "leading number"}, "03 - Reel", "Reel"),
        ({"do": "leading number"}, "A2. Reel", "Reel"),
        ({"do": "leading number"}, "1-04 Reel", "Reel"),
        ({"do": "leading number"}, "99 Lanterns", "99 Lanterns"),
        ({"do": "leading number"}, "1974", "1974"),
        ({"do": "shorten", "words": [{"long": "Number", "short": "No."}]}, "Prelude number 4", "Prelude No. 4"),
        ({"do": "unicode"}, "U\u0308ber", "Über"),
        ({"do": "unicode", "plain_quotes": True}, "‘Reel’", "'Reel'"),
        ({"do": "around", "before": "(", "after": ")"}, "Reel", "(Reel)"),
    ],
)
def test_a_step(step: dict[str, Any], text: str, wanted: str) -> None:
    assert after(text, step) == wanted


@pytest.mark.parametrize(
    ("text", "wanted"),
    [
        ("The Tollgate Sisters - Slack Water", "Slack Water"),
        ("slack water (the tollgate sisters)", "slack water"),
        ("Slack Water – The Tollgate Sisters", "Slack Water"),
        ("The Tollgate Sisters", "The Tollgate Sisters"),
        ("The Tollgate Sisters - ", "The Tollgate Sisters - "),
        ("The Tollgate Sistersong", "The Tollgate Sistersong"),
    ],
)
def test_another_fields_text_goes_with_its_punctuation(text: str, wanted: str) -> None:
    assert after(text, {"do": "without", "of": "artist"}, artist="The Tollgate Sisters") == wanted


def test_a_whole_rule_puts_a_rippers_title_right() -> None:
    steps = [
        {"do": "underscores"},
        {"do": "leading number"},
        {"do": "without", "of": "artist"},
        {"do": "brackets", "holding": "remaster"},
        {"do": "case", "to": "title"},
    ]
    title = after("03_-_the_tollgate_sisters_-_slack_water_(remastered)", *steps, artist="The Tollgate Sisters")
    assert title == "Slack Water"


def test_several_values_go_one_by_one_and_a_pattern_fills_a_field() -> None:
    rule = WordingRule(fields=("artist",), steps=(STEP.validate_python({"do": "case", "to": "title"}),))
    assert rule.apply({"artist": "jon maskell; ilse vanterroe"}) == {"artist": "Jon Maskell; Ilse Vanterroe"}
    rule = WordingRule(
        fields=("album_artist",), steps=(STEP.validate_python({"do": "pattern", "pattern": "{artist} & Co"}),)
    )
    assert rule.apply({"artist": "A"}) == {"album_artist": "A & Co"}


@pytest.mark.parametrize(
    ("find", "text"), [("(", "x"), ("[a-", "x"), (r"(?:(?:a*)*)*\1b", "x"), (r"(a|aa)+$(?<=c)", "a" * 60 + "b")]
)
def test_an_expression_that_is_none_or_never_ends_is_refused(find: str, text: str) -> None:
    try:
        assert after(text, {"do": "replace", "find": find, "by": "", "how": "expression"}) == text
    except Refused as refused:
        assert refused.remedy


def test_a_rule_that_blows_up_or_says_nonsense_is_refused() -> None:
    grow = {"do": "replace", "find": "a", "by": "a" * 400}
    with pytest.raises(Refused, match="grows"):
        after("a" * 20, grow, grow)
    with pytest.raises(ValidationError):
        STEP.validate_python({"do": "explode"})


plain = st.text(max_size=30)


@given(
    st.lists(
        st.one_of(
            st.fixed_dictionaries({"do": st.just("replace"), "find": st.text(min_size=1, max_size=5), "by": plain}),
            st.sampled_from(
                [
                    {"do": "space"},
                    {"do": "underscores"},
                    {"do": "brackets"},
                    {"do": "leading number"},
                    {"do": "without", "of": "artist"},
                    {"do": "case", "to": "title"},
                    {"do": "unicode", "form": "NFKC"},
                ]
            ),
        ),
        min_size=1,
        max_size=4,
    ),
    plain,
    plain,
)
def test_any_rule_on_any_text_ends_and_is_the_same_each_time(
    steps: list[dict[str, Any]], text: str, artist: str
) -> None:
    try:
        assert after(text, *steps, artist=artist) == after(text, *steps, artist=artist)
    except Refused as refused:
        assert refused.what
