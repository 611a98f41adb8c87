"""Titles and names compared: what differs only in writing is told from what differs.

Likeness of words in any order is rapidfuzz's token sort ratio over folded text: without accents, case, punctuation,
leading articles, and with "&" as "and".
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Sequence
from functools import lru_cache
from typing import Literal

from rapidfuzz import fuzz

from inkwell_groove.core.folding import case_folded
from inkwell_groove.core.matching.names import ARTICLES

Difference = Literal["same", "spacing", "case", "accents", "punctuation", "less exact", "different"]
_ALL_ARTICLES = {one for articles in ARTICLES.values() for one in articles if not one.endswith("'")}
_AND = {"&": "and", "+": "and", "und": "and", "et": "and", "y": "and", "e": "and"}


@lru_cache(maxsize=16_384)
def folded(text: str) -> str:
    """What is left of a title for comparing: 'The Pilot's Coat & Hat' is 'pilots coat and hat'."""
    words = re.sub(r"['’`´]", "", case_folded(text))
    parts = [_AND.get(part, part) for part in re.findall(r"[\w]+|[&+]", words)]
    if len(parts) > 1 and parts[0] in _ALL_ARTICLES:
        parts = parts[1:]
    return " ".join(parts)


def likeness(one: str, other: str) -> float:
    """From 0 to 1: 1 where they are the same but for writing. Two texts of which one is empty have 0."""
    a, b = folded(one), folded(other)
    if not a or not b:
        return 0.0
    if a == b:
        return 1.0
    straight, sorted_ = fuzz.ratio(a, b), fuzz.token_sort_ratio(a, b)
    # Short titles differ by a letter and are others; a long one is the same title misspelt.
    return float(min(0.99, max(straight, 0.97 * sorted_) / 100))


def differing(one: str, other: str) -> Difference:
    """In what two values of a field differ, the least first."""
    if one == other:
        return "same"
    if " ".join(one.split()) == " ".join(other.split()):
        return "spacing"
    if _is_date(one) and _is_date(other):
        return "less exact" if one.startswith(other) or other.startswith(one) else "different"
    one, other = (unicodedata.normalize("NFC", " ".join(text.split())) for text in (one, other))
    if one == other:
        return "spacing"
    if one.casefold() == other.casefold():
        return "case"
    if case_folded(one) == case_folded(other):
        return "accents"
    a, b = folded(one), folded(other)
    if a and a == b:
        return "punctuation"
    if a and b and (f"{a} ".startswith(f"{b} ") or f"{b} ".startswith(f"{a} ")):
        return "less exact"  # one goes on where the other ends
    return "different"


def differing_lists(one: Sequence[str], other: Sequence[str]) -> Difference:
    """The same for lists, whose order is nothing: one that holds the other is more exact than it."""
    if tuple(one) == tuple(other):
        return "same"
    if len(one) == len(other) == 1:
        return differing(one[0], other[0])
    a, b = ({folded(value) or value for value in values} for values in (one, other))
    if a == b:
        return "punctuation"
    return "less exact" if a <= b or b <= a else "different"


def _is_date(text: str) -> bool:
    return re.fullmatch(r"\d{4}(-\d{2}){0,2}", text, re.ASCII) is not None
