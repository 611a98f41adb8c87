"""What a register's answer says of a read: agreement, another pressing, another place, and answers that cannot be."""

from __future__ import annotations

from typing import Any

import pytest
from pydantic import ValidationError

from inkwell_groove.core.disc.witnesses import Known, Pressing, Witness, compare, sum_text, wanted_sums

A, B, C, D = ("a" * 16, "b" * 16, "c" * 16, "d" * 16)


def pressing(reads: int, **tracks: list[Any]) -> dict[str, Any]:
    """A pressing of so many reads; for each track "t1" its sums as (sum, reads) or (sum, reads, wholes)."""
    held = {
        int(name[1:]): [{"sum": one[0], "reads": one[1], "wholes": one[2] if len(one) > 2 else {}} for one in sums]
        for name, sums in tracks.items()
    }
    return {"reads": reads, "tracks": held}


def known(*pressings: dict[str, Any]) -> Known:
    return Known.model_validate({"pressings": pressings})


def test_the_own_pressing_is_the_one_that_agrees_most_not_the_one_read_most() -> None:
    register = known(pressing(50, t1=[(A, 50)], t2=[(C, 50)]), pressing(3, t1=[(A, 3)], t2=[(B, 3)]))
    found = compare(register, {1: A, 2: B}, {})
    assert [(found[n].answer, found[n].reads, found[n].of) for n in (1, 2)] == [("agrees", 3, 3), ("agrees", 3, 3)]


def test_of_pressings_that_agree_alike_the_one_read_more_is_the_own() -> None:
    register = known(pressing(2, t1=[(A, 2)]), pressing(9, t1=[(A, 9)]))
    assert compare(register, {1: A}, {})[1].reads == 9


def test_a_track_may_agree_with_another_pressing_than_the_others() -> None:
    register = known(pressing(5, t1=[(A, 5)], t2=[(B, 5)], t3=[(C, 5)]), pressing(4, t3=[(D, 4)]))
    found = compare(register, {1: A, 2: B, 3: D}, {})
    assert found[3].answer == "agrees with another pressing"
    assert (found[3].reads, found[3].of, found[3].confirms) == (4, 4, True)


def test_the_first_pressing_may_lack_a_track_that_another_has() -> None:
    """Agreeing where the own pressing says nothing is agreeing with another."""
    register = known(pressing(5, t1=[(A, 5)], t2=[(B, 5)]), pressing(2, t3=[(C, 2)]))
    assert compare(register, {1: A, 2: B, 3: C}, {})[3].answer == "agrees with another pressing"


def test_disagreement_counts_the_reads_of_all_pressings_that_have_the_track() -> None:
    register = known(pressing(5, t1=[(A, 3), (B, 2)]), pressing(4, t1=[(C, 4)]), pressing(7, t2=[(A, 7)]))
    found = compare(register, {1: D}, {})[1]
    assert (found.answer, found.of, found.confirms) == ("disagrees", 9, False)


def test_a_track_of_which_nothing_is_known_is_unknown() -> None:
    assert compare(known(pressing(5, t1=[(A, 5)])), {2: A}, {})[2].answer == "unknown"
    assert compare(known(), {1: A}, {})[1].answer == "unknown"


def test_the_whole_track_agrees_only_where_that_very_whole_was_read() -> None:
    register = known(pressing(5, t1=[(A, 5, {B: 2, C: 3})]))
    assert compare(register, {1: A}, {1: C})[1].whole
    assert not compare(register, {1: A}, {1: D})[1].whole
    assert not compare(register, {1: A}, {})[1].whole


def test_every_sum_of_a_track_is_wanted_with_the_reads_of_its_strongest_pressing() -> None:
    register = known(pressing(9, t1=[(A, 6), (B, 3)]), pressing(4, t1=[(A, 4)]))
    assert wanted_sums(register, 1) == {int(A, 16): (6, 9), int(B, 16): (3, 9)}
    assert wanted_sums(register, 2) == {}


@pytest.mark.parametrize(
    ("witness", "words"),
    [
        (Witness(answer="agrees", reads=3, of=4), "agrees with 3 of 4 earlier reads"),
        (
            Witness(answer="agrees with another pressing", reads=3, of=4),
            "agrees with 3 of 4 reads of another pressing",
        ),
        (
            Witness(answer="agrees beside its place", reads=2, of=5, beside_samples=30),
            "2 of 5 reads have the same 30 samples later",
        ),
        (
            Witness(answer="agrees beside its place", reads=2, of=5, beside_samples=-12),
            "2 of 5 reads have the same 12 samples earlier",
        ),
        (Witness(answer="disagrees", of=6), "disagrees with all 6 earlier reads"),
        (Witness(answer="unknown"), "not in the register"),
        (Witness(), "the register was not asked"),
    ],
)
def test_an_answer_in_words(witness: Witness, words: str) -> None:
    assert witness.words() == words


@pytest.mark.parametrize(
    ("answer", "why"),
    [
        (pressing(5, t1=[(A, 4), (B, 2)]), "more reads than the pressing's 5"),
        (pressing(5, t1=[(A, 2), (A, 2)]), "some twice"),
        (pressing(5, t100=[(A, 2)]), "no track 100"),
        (pressing(99, t1=[(f"{n:016x}", 1) for n in range(51)]), "too many"),
    ],
)
def test_an_answer_that_cannot_be_true_is_not_believed(answer: dict[str, Any], why: str) -> None:
    with pytest.raises(ValidationError, match=why):
        Pressing.model_validate(answer)


def test_the_hidden_opening_is_track_0_and_all_reads_of_a_pressing_may_agree() -> None:
    assert Pressing.model_validate(pressing(5, t0=[(A, 5)])).reads == 5


def test_a_sum_is_written_with_all_its_digits() -> None:
    assert sum_text(255) == "00000000000000ff"
