"""What is proposed for a field, in what sources differ, and what is learnt."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkwell_groove.core.description import RELEASE_FIELDS, TRACK_FIELDS, field, joined, values_of
from inkwell_groove.core.errors import Refused
from inkwell_groove.core.matching.reconcile import MERGED, TYPED, Row, Rule, learnt, merged, row
from inkwell_groove.core.matching.texts import differing, differing_lists

TITLE, DATE, GENRES = (field(RELEASE_FIELDS, name) for name in ("title", "year", "genres"))


def of(name: str, said: dict[str, str], value: str = "", origin: str = "", rules: tuple[Rule, ...] = ()) -> Row:
    return row(field(RELEASE_FIELDS, name), "", value, origin, said, rules)


def test_what_was_typed_in_stands() -> None:
    found = of("title", {"a": "Other", "b": "Other"}, "Mine", TYPED)
    assert (found.proposed, found.proposed_from) == ("Mine", TYPED)
    assert of("title", {"a": "Other"}, "From before", "a").proposed == "Other", "what a source said may be replaced"


def test_most_sources_are_believed_in_the_fullest_writing() -> None:
    found = of("title", {"a": "TIDE", "b": "Elsewhere", "c": "Tidé"})
    assert (found.proposed, found.proposed_from) == ("Tidé", "c")
    assert found.standing == "disagree"
    assert {offer.source: offer.difference for offer in found.offers} == {"a": "accents", "b": "different", "c": "same"}


def test_the_most_exact_date_is_taken_where_dates_agree() -> None:
    found = of("year", {"a": "1974", "b": "1974-05-02", "c": "1974-05"})
    assert (found.proposed, found.proposed_from) == ("1974-05-02", "b")
    assert found.standing == "written differently"
    assert of("year", {"a": "1974", "b": "1975"}).standing == "disagree"


def test_lists_are_merged_and_an_instrument_is_not_lost() -> None:
    found = of("genres", {"a": "song; folk", "b": "Folk; march"})
    assert (found.proposed, found.proposed_from) == ("song; folk; march", MERGED)
    performers = field(TRACK_FIELDS, "performers")
    told = row(performers, "k", "", "", {"a": "Maren Pellow; Ada Ferriby", "b": "Maren Pellow (guitar)"})
    assert told.proposed == "Maren Pellow (guitar); Ada Ferriby"
    assert merged(["A (flute)", "A", "A (piano)"]) == "A (flute); A (piano)", "two instruments are two"


@pytest.mark.parametrize(
    ("one", "other", "expected"),
    [
        ("Weir Song", "Weir Song", "same"),
        ("Weir Song", "Weir  Song", "spacing"),
        ("Weir Song", "Weir song", "case"),
        ("Röpe", "Rope", "accents"),
        ("Rope & Tar", "Rope and Tar", "punctuation"),
        ("1974", "1974-05", "less exact"),
        ("LP", "LP, 33 1/3", "less exact"),
        ("1974-05", "1974-06", "different"),
        ("Rope", "Tar", "different"),
    ],
)
def test_writing_is_told_from_meaning(one: str, other: str, expected: str) -> None:
    assert differing(one, other) == expected
    assert differing(other, one) == expected


def test_lists_differ_by_what_is_in_them() -> None:
    assert differing_lists(["a", "b"], ["a", "b"]) == "same"
    assert differing_lists(["a", "b"], ["B", "A"]) == "punctuation"
    assert differing_lists(["a"], ["a", "b"]) == "less exact"
    assert differing_lists(["a", "c"], ["a", "b"]) == "different"


def test_a_source_that_is_taken_three_times_is_preferred_until_it_is_passed_over() -> None:
    rules: tuple[Rule, ...] = ()
    said = {"a": "song", "b": "pop"}
    for _ in range(2):
        rules = learnt(rules, "genres", "b", said)
    assert of("title", {"a": "One", "b": "Two"}, rules=rules).proposed == "One", "of another field nothing was learnt"
    assert of("genres", said, rules=rules).proposed_from == MERGED, "twice is not often enough"
    rules = learnt(rules, "genres", "b", said)
    found = of("genres", said, rules=rules)
    assert (found.proposed, found.why) == ("pop", "by rule: b, taken 3 of 3 times")
    for _ in range(2):
        rules = learnt(rules, "genres", "a", said)
    assert of("genres", said, rules=rules).proposed_from == MERGED
    fixed = Rule(field="genres", source="a", fixed=True)
    assert of("genres", said, rules=(*rules, fixed)).proposed_from == "a"


def test_nothing_is_learnt_where_sources_only_write_differently_or_agree() -> None:
    assert learnt((), "title", "a", {"a": "Tide", "b": "TIDE"}) == ()
    assert learnt((), "title", "a", {"a": "Tide"}) == ()


names = st.text(st.characters(whitelist_categories=["L"]), min_size=1, max_size=6)


@given(st.lists(st.lists(names, max_size=4), min_size=1, max_size=4))
def test_merging_loses_no_name_and_doubles_none(lists: list[list[str]]) -> None:
    result = values_of(merged([joined(one) for one in lists]))
    assert merged([joined(result)]) == joined(result), "merged once is merged"
    for one in (name for names in lists for name in names):
        assert any(differing(one, kept) != "different" for kept in result)


@pytest.mark.parametrize(
    ("name", "given_", "kept"),
    [
        ("genres", " march ;brass band;; march", "march; brass band"),
        ("barcode", "4 006381 333931", "4006381333931"),
        ("compilation", "Yes", "yes"),
        ("compilation", "no", ""),
        ("language", "ENG", "eng"),
    ],
)
def test_a_field_is_kept_in_one_way(name: str, given_: str, kept: str) -> None:
    assert field(RELEASE_FIELDS, name).accept(given_) == kept


@pytest.mark.parametrize(
    ("name", "value", "what"),
    [
        ("barcode", "4006381333932", "would have to be 1"),
        ("language", "English", "language's code"),
        ("live", "maybe", "neither"),
    ],
)
def test_a_field_refuses_and_names_itself(name: str, value: str, what: str) -> None:
    with pytest.raises(Refused, match=what) as caught:
        field(RELEASE_FIELDS, name).accept(value)
    assert caught.value.where == field(RELEASE_FIELDS, name).label


def test_tags_of_several_values_and_of_yes() -> None:
    assert GENRES.tagged("march; brass band") == ("march", "brass band")
    assert field(RELEASE_FIELDS, "compilation").tagged("yes") == ("1",)
    assert TITLE.tagged("a; b") == ("a; b",)
    assert DATE.tagged("") == ()
