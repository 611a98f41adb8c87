"""Text without accents and case: the one folding that matching, searching and ASCII text rest on."""

from __future__ import annotations

import re
import unicodedata

# Letters that no decomposition takes apart.
_SMALL = {"æ": "ae", "œ": "oe", "ø": "o", "đ": "d", "ł": "l", "ð": "d", "þ": "th", "ı": "i"}
_APART = str.maketrans(
    {**_SMALL, **{letter.upper(): plain.upper() for letter, plain in _SMALL.items() if letter != "ı"}}
)
_ACCENTS = re.compile(r"[\u0300-\u036f]")  # others are vowels and voicing, without which words become other words


def without_accents(text: str) -> str:
    """The text with its base letters alone, in the case it has."""
    if text.isascii():
        return text
    plain = _ACCENTS.sub("", unicodedata.normalize("NFKD", text)).translate(_APART)
    return unicodedata.normalize("NFC", plain)


def case_folded(text: str) -> str:
    """The text without accents and case: Café, cafe and CAFÉ are one."""
    if text.isascii():
        return text.casefold()
    # Twice: some letters have a capital within them, others come out of one.
    return without_accents(without_accents(text).casefold()).casefold()
