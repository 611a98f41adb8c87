"""Which entries of different sources are the same pressing."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from inkwell_groove.core.matching.grouping import grouped
from inkwell_groove.core.matching.release import SourceRelease
from tests.core.matching.test_score import release


def entry(source: str, name: str, **changes: object) -> SourceRelease:
    return release(name, source=source, address=f"{source}/{name}", **changes)


def names(*releases: SourceRelease) -> list[list[str]]:
    return [[one.address for one in group] for group in grouped(releases)]


def test_numbers_that_agree_make_one_pressing_of_two_sources_entries() -> None:
    one, other = entry("a", "1"), entry("b", "2", catalogue_numbers=("qhl-1107",), matrix="")
    assert names(one, other) == [["a/1", "b/2"]]


def test_what_disagrees_parts_them() -> None:
    one = entry("a", "1")
    for changes in ({"country": "NO"}, {"date": "1976"}, {"catalogue_numbers": ("LGR 207",)}):
        assert names(one, entry("b", "2", **changes)) == [["a/1"], ["b/2"]]
    assert names(one, entry("b", "2", date="1974-05")) == [["a/1", "b/2"]], "a more exact date does not disagree"


def test_two_entries_of_one_source_are_two_pressings() -> None:
    assert names(entry("a", "1"), entry("a", "2")) == [["a/1"], ["a/2"]]


def test_a_link_is_believed_whatever_else_is_said_and_leads_through_a_third() -> None:
    first = entry("a", "1")
    second = entry("b", "2", links=("a/1",), catalogue_numbers=("X 1",), country="NO")
    third = entry("c", "3", links=("a/1",), catalogue_numbers=(), barcode="")
    assert names(second, third, first) == [["b/2", "c/3", "a/1"]]


@given(
    st.lists(st.tuples(st.sampled_from("abc"), st.integers(0, 3), st.sampled_from(["1974", "1975", ""])), max_size=8)
)
def test_every_entry_is_in_one_group_that_has_no_source_twice(entries: list[tuple[str, int, str]]) -> None:
    releases = [entry(source, f"{place}", date=date) for place, (source, _, date) in enumerate(entries)]
    groups = grouped(releases)
    assert sorted(one.address for group in groups for one in group) == sorted(one.address for one in releases)
    for group in groups:
        assert len({one.source for one in group}) == len(group)
