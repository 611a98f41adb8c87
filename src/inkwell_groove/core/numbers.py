"""The numbers by which a release is known: barcode, catalogue number, ISRC; each as people write it, made alike."""

from __future__ import annotations

import re

from inkwell_groove.core.errors import Refused

_ISRC = re.compile(r"([A-Z]{2})([A-Z0-9]{3})(\d{2})(\d{5})", re.ASCII)


def ean_check_digit(digits: str) -> str:
    """The check digit after the digits of an EAN or UPC, without it (GS1 General Specifications, 7.9).

    Weights are 3 and 1 in turn from the right; the sum is filled up to the next ten. Raises Refused for other signs.
    """
    if not re.fullmatch(r"\d{7,17}", digits, re.ASCII):
        raise Refused(f"'{digits}' has something else than 7 to 17 digits", where="barcode", remedy="Write its digits")
    total = sum(int(digit) * (3 if place % 2 == 0 else 1) for place, digit in enumerate(reversed(digits)))
    return str(-total % 10)


def barcode(text: str) -> str:
    """A barcode as 13 digits: an EAN-13, or a UPC-A of 12 with a nought before it, blanks and dashes taken out.

    Raises Refused, saying which digit would be right, where the check digit is wrong.
    """
    digits = re.sub(r"[\s\-–.]", "", text)
    if not re.fullmatch(r"\d{12,13}", digits, re.ASCII):
        raise Refused(
            f"'{text}' has {len(digits)} signs and is no barcode", where="barcode", remedy="Write its 12 or 13 digits"
        )
    expected = ean_check_digit(digits[:-1])
    if digits[-1] != expected:
        raise Refused(
            f"the last digit of {digits} would have to be {expected}",
            where="barcode",
            remedy="Look at the digits again: one was misread, or two changed places",
        )
    return digits.zfill(13)


def isrc(text: str) -> str:
    """An ISRC as its 12 signs, dashes and blanks taken out (ISO 3901: country, registrant, year, designation)."""
    signs = re.sub(r"[\s\-–]", "", text).upper().removeprefix("ISRC")
    if not _ISRC.fullmatch(signs):
        raise Refused(f"'{text}' is not an ISRC", where="ISRC", remedy="Write it as GB-FTL-98-01001")
    return signs


def catalogue_key(text: str) -> str:
    """A catalogue number without what people write differently: blanks, dashes, stops, case, leading noughts."""
    signs = re.findall(r"[^\W\d_]+|\d+", text.upper())
    return "".join(sign.lstrip("0") or "0" if sign.isdigit() else sign for sign in signs)


def catalogue_likeness(wanted: str, found: str) -> float:
    """How like two catalogue numbers are: 1 the same, 0.9 but for a prefix of letters or a suffix, 0 otherwise.

    A prefix is left out by whoever reads only the figures off a label; a suffix tells the side, disc or format.
    """
    one, other = catalogue_key(wanted), catalogue_key(found)
    if not one or not other:
        return 0.0
    if one == other:
        return 1.0
    shorter, longer = sorted((one, other), key=len)
    figures = re.sub(r"\D", "", shorter)
    if len(figures) < 3:
        return 0.0  # too few to mean the same without their letters
    if shorter.isdigit() and re.fullmatch(r"\D*" + shorter, longer):
        return 0.9
    if longer.startswith(shorter) and re.fullmatch(r"[A-Z]{1,3}\d?|\D?\d", longer[len(shorter) :]):
        return 0.9
    return 0.0
