"""Barcodes, catalogue numbers and ISRCs, as people write them."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from inkwell_groove.core.errors import Refused
from inkwell_groove.core.numbers import barcode, catalogue_key, catalogue_likeness, ean_check_digit, isrc


@pytest.mark.parametrize(
    ("digits", "check"),
    [
        ("629104150021", "3"),  # GS1's own worked example of an EAN-13 (from memory)
        ("03600029145", "2"),  # the worked example of UPC-A in handbooks (from memory)
        ("978030640615", "7"),  # the EAN of ISBN 0-306-40615-2, ISO 2108's worked example (from memory)
        ("7351353", "7"),  # an EAN-8, of GS1's manual (from memory)
    ],
)
def test_check_digits_are_those_of_the_worked_examples(digits: str, check: str) -> None:
    assert ean_check_digit(digits) == check


@pytest.mark.parametrize("text", ["4006381333931", "4 006381 333931", "4006381-333931", " 40063813.33931 "])
def test_a_barcode_is_read_however_it_is_written(text: str) -> None:
    assert barcode(text) == "4006381333931"


def test_a_upc_is_an_ean_with_a_nought_before_it() -> None:
    assert barcode("036000291452") == "0036000291452"


@pytest.mark.slow
@given(st.text("0123456789", min_size=12, max_size=12), st.integers(0, 11), st.integers(1, 9))
def test_any_one_wrong_digit_is_noticed(digits: str, place: int, by: int) -> None:
    code = digits + ean_check_digit(digits)
    assert barcode(code) == code
    wrong = code[:place] + str((int(code[place]) + by) % 10) + code[place + 1 :]
    with pytest.raises(Refused, match="would have to be"):
        barcode(wrong)


@pytest.mark.parametrize("text", ["", "12345", "40063813339310", "400638133393X", "٤٠٠٦٣٨١٣٣٣٩٣١"])
def test_what_is_no_barcode_is_refused(text: str) -> None:
    with pytest.raises(Refused, match="is no barcode"):
        barcode(text)
    with pytest.raises(Refused, match="7 to 17 digits"):
        ean_check_digit(text[:3])


@pytest.mark.parametrize("text", ["GBFTL9801001", "gb-ftl-98-01001", "ISRC GB FTL 98 01001"])
def test_an_isrc_is_read_however_it_is_written(text: str) -> None:
    assert isrc(text) == "GBFTL9801001"


@pytest.mark.parametrize("text", ["", "GBFTL98010", "G1FTL9801001", "GBFTL98O1001"])
def test_what_is_no_isrc_is_refused(text: str) -> None:
    with pytest.raises(Refused, match="is not an ISRC"):
        isrc(text)


@pytest.mark.parametrize("text", ["QHL 1107", "QHL-1107", "qhl1107", "QHL.1107", "QHL 01107", " Q.H.L. 1107 "])
def test_a_catalogue_number_is_the_same_however_it_is_written(text: str) -> None:
    assert catalogue_key(text) == "QHL1107"
    assert catalogue_likeness(text, "QHL 1107") == 1.0


@pytest.mark.parametrize(
    ("one", "other", "likeness"),
    [
        ("1107", "QHL 1107", 0.9),  # the figures alone, off the label
        ("QHL 1107", "QHL 1107 A", 0.9),  # with its side
        ("QHL 1107", "QHL 1107-2", 0.9),  # with its disc
        ("QHL 1107", "QHL 11072", 0.9),  # which cannot be told from a disc written close
        ("QHL 1107", "QHS 1107", 0.0),  # another series
        ("QHL 1107", "QHL 1170", 0.0),
        ("44", "QHS 44", 0.0),  # too few figures to mean it
        ("", "QHL 1107", 0.0),
        ("7", "7", 1.0),
    ],
)
def test_catalogue_numbers_are_like_in_degrees(one: str, other: str, likeness: float) -> None:
    assert catalogue_likeness(one, other) == catalogue_likeness(other, one) == likeness
