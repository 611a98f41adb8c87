"""Roles, names and passwords."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkwell_groove.core.accounts import (
    MIN_PASSWORD,
    ROLES,
    accept_name,
    accept_password,
    lesser,
    look_of,
    may,
    name_key,
)
from inkwell_groove.core.errors import Refused


def test_each_role_may_do_what_the_ones_before_it_may() -> None:
    assert [[may(role, needed) for needed in ROLES] for role in ROLES] == [
        [True, False, False],
        [True, True, False],
        [True, True, True],
    ]


@pytest.mark.parametrize("name", ["Ilse Vanterroe", "J. Maskell-Obi", "O'Dell", "李明", "ab"])
def test_names_of_people_are_accepted(name: str) -> None:
    assert accept_name(f"  {name} ") == name


@pytest.mark.parametrize("name", ["", "a", "-x-", "<script>", "x" * 61, "a\x00b;", "name@"])
def test_what_is_no_name_is_refused(name: str) -> None:
    with pytest.raises(Refused):
        accept_name(name)


def test_a_password_is_long_and_not_the_name() -> None:
    assert accept_password("slack water at the ferry", name="Ilse") == "slack water at the ferry"
    for poor in ("short", "x" * 40, "a" * 257, "Ilse Vanterroe1", "x" * (MIN_PASSWORD - 1)):
        with pytest.raises(Refused):
            accept_password(poor, name="Ilse Vanterroe")


@pytest.mark.parametrize(
    "name",
    [
        "Ilse V\u0430nterroe",  # a Cyrillic letter among Latin ones
        "\u0399lse Vanterroe",  # a Greek one
        "Ilse\u200b Vanterroe",  # a space without width
        "Ilse\u2060Vanterroe",
        "\u202eeslI",
    ],
)
def test_a_name_that_passes_for_another_is_refused(name: str) -> None:
    with pytest.raises(Refused):
        accept_name(name)


def test_a_name_is_kept_in_one_form() -> None:
    assert accept_name("\uff29\uff4c\uff53\uff45 Vanterroe") == "Ilse Vanterroe", "full width (Unicode TR15, NFKC)"
    assert accept_name("Jose\u0301") == "Jos\u00e9"


def test_two_spellings_of_one_name_have_one_key_and_nothing_else_has() -> None:
    one = {name_key(name) for name in ("Jos\u00e9 Strau\u00df", "JOSE\u0301 STRAUSS", "  jos\u00e9  strauss ")}
    assert len(one) == 1
    for other in ("Jose Strauss", "Jos\u00e9 Strau\u200bss", "Jos\u00e9\u2060 Strauss", "Jos\u0435 Strauss"):
        assert name_key(other) not in one


@given(st.text(max_size=40))
def test_a_key_is_its_own_key(name: str) -> None:
    assert name_key(name_key(name)) == name_key(name)


@pytest.mark.parametrize(
    ("one", "other"),
    [("Ilse", "I1se"), ("Moreau", "Mor\u00e9au"), ("Pope", "\u0420\u043e\u0440\u0435"), ("Olaf", "0laf")],
)
def test_names_that_look_alike_are_known(one: str, other: str) -> None:
    assert look_of(one) == look_of(other)
    assert name_key(one) != name_key(other)


def test_names_that_look_different_are_different() -> None:
    assert len({look_of(name) for name in ("Ilse", "Elsa", "Jon", "Tam", "\u674e\u660e", "Rosa")}) == 6


def test_the_lesser_of_two_roles() -> None:
    assert lesser("keeper", "reader") == lesser("reader", "keeper") == "reader"
    assert lesser("archivist", "keeper") == "archivist"
