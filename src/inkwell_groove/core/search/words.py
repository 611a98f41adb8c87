"""Texts as words to find them by."""

from __future__ import annotations

import re

from inkwell_groove.core.folding import case_folded

_WORD = re.compile(r"[^\W\d_]+|\d+")
_JOINED = re.compile(r"(?<=\w)['’](?=\w)")


def folded(text: str) -> str:
    """The text without case, accents and apostrophes inside words."""
    return _JOINED.sub("", case_folded(text))


def words(text: str) -> list[str]:
    """Runs of letters and runs of digits, folded: "QHL-1107" is qhl and 1107. A number has no noughts before it."""
    return [one.lstrip("0") or "0" if one[0].isdigit() else one for one in _WORD.findall(folded(text))]
