"""Texts as words to find them by."""

from __future__ import annotations

import re
import unicodedata

_WORD = re.compile(r"[^\W\d_]+|\d+")
# Letters that no decomposition takes apart.
_APART = str.maketrans({"æ": "ae", "œ": "oe", "ø": "o", "đ": "d", "ł": "l", "ð": "d", "þ": "th", "ı": "i"})
_MARKS = re.compile(r"[\u0300-\u036f]")
_JOINED = re.compile(r"(?<=\w)['’](?=\w)")


def folded(text: str) -> str:
    """Without case, accents and apostrophes: Café, cafe and CAFÉ are one."""
    if text.isascii():
        return _JOINED.sub("", text.casefold())
    # Taken apart before and after the case goes: some letters have a capital within them, others come out of one.
    plain = unicodedata.normalize("NFKD", unicodedata.normalize("NFKD", text).casefold())
    return _JOINED.sub("", _MARKS.sub("", plain).casefold().translate(_APART))


def words(text: str) -> list[str]:
    """Runs of letters and runs of digits, folded: "QHL-1107" is qhl and 1107. A number has no noughts before it."""
    return [one.lstrip("0") or "0" if one[0].isdigit() else one for one in _WORD.findall(folded(text))]
