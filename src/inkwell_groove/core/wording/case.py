"""Capitals and small letters, as a language has them in titles and sentences.

What is written with a shape of its own stays: "LP" and "iPod" within an ordinary text, words on the list to be kept,
Roman numerals, initials, "Mc". A text in capitals throughout says nothing of that, so there all is put small first.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import Literal

from inkwell_groove.core.wording.languages import HABITS, Habits, Language

Case = Literal["sentence", "title", "upper", "lower"]
_TOKEN = re.compile(r"[^\W_]+(?:['’][^\W_]+)*(?:\.[^\W_]+)*\.?", re.UNICODE)
_ROMAN = re.compile(r"(?=[mdclxvi])m{0,3}(cm|cd|d?c{0,3})(xc|xl|l?x{0,3})(ix|iv|v?i{0,3})", re.IGNORECASE)
_INITIALS = re.compile(r"(?:[^\W\d_]\.)+[^\W\d_]?\.?", re.UNICODE)
_ALWAYS_SMALL = {"feat.", "feat", "ft.", "featuring", "vs.", "vs"}
_ABBREVIATED = re.compile(r"(?:^|\W)(?:feat|ft|vs|no|nr|op|st|mr|mrs|dr|vol|pt|[^\W\d_])\.\s+$", re.IGNORECASE)
_ENDS_SENTENCE = re.compile(r"[.!?:]\s+[\"'“”‘’«»(\[]*$|^[\"'“”‘’«»(\[\s¡¿]*$|[–—]\s+$|[(\[]$")
_CLOSES = re.compile(r"\s*[:)\](\[]|\s+[-–—]\s")
_ELIDED = re.compile(r"^([dl]|qu|s|n|c|j|m|t|all|dell|nell|sull|dall|un)(['’])(.+)$", re.IGNORECASE)
_IRISH = re.compile(r"^(o)(['’])(.{2,})$", re.IGNORECASE)


def put_case(
    text: str, case: Case, language: Language = "en", *, keep: Iterable[str] = (), small: Iterable[str] = ()
) -> str:
    """The text with its capitals put right.

    `keep` are words as they are to be written wherever they come; `small` are more words that stay small in titles.
    """
    if case == "upper":
        return text.upper()
    if case == "lower":
        return text.lower()
    habits = HABITS[language]
    kept = {word.casefold(): word for word in keep}
    small_words = habits.small | {word.casefold() for word in small}
    shouted = text.upper() == text and any(len(one) > 1 for one in re.findall(r"[^\W\d_]+", text))
    each_word = case == "title" and habits.each_word
    tokens = list(_TOKEN.finditer(text))
    out, at = [], 0
    for number, token in enumerate(tokens):
        out.append(text[at : token.start()])
        ahead = text[: token.start()]
        opens = bool(_ENDS_SENTENCE.search(ahead)) and not _ABBREVIATED.search(ahead)
        closes = number == len(tokens) - 1 or bool(_CLOSES.match(text[token.end() :]))
        out.append(
            _word(
                token[0],
                habits,
                kept,
                small_words,
                shouted=shouted,
                each_word=each_word,
                opens=opens,
                closes=closes,
                joined=ahead.endswith("-"),
                noun=habits.nouns,
            )
        )
        at = token.end()
    out.append(text[at:])
    return "".join(out)


def is_roman(word: str) -> bool:
    """Whether a word is a Roman numeral as they are written today: IV, not IIII."""
    return bool(word) and _ROMAN.fullmatch(word) is not None


def _word(
    word: str,
    habits: Habits,
    kept: dict[str, str],
    small: frozenset[str],
    *,
    shouted: bool,
    each_word: bool,
    opens: bool,
    closes: bool,
    joined: bool,
    noun: bool,
) -> str:
    low = word.lower()
    bare = low.rstrip(".")
    if low in kept or bare in kept:
        return kept[low] if low in kept else kept[bare] + word[len(bare) :]
    if low in _ALWAYS_SMALL and not opens:
        return low
    if _INITIALS.fullmatch(word) and (len(word) > 2 or word.endswith(".")):
        return word.upper()
    if _numeral(word, bare, habits, shouted=shouted, opens=opens):
        return word.upper()
    if not shouted and _has_shape(word):
        return word
    if low.startswith("mc") and len(bare) > 3 and low[2].isalpha() and (shouted or each_word or word[:1].isupper()):
        return "Mc" + low[2:].capitalize()
    if low == "i" and each_word:
        return "I"
    if (elided := _ELIDED.match(low)) and not each_word:
        inner = (
            elided[3][:1].upper() + elided[3][1:] if word[len(elided[1]) + 1 :][:1].isupper() and noun else elided[3]
        )
        return (elided[1].capitalize() if opens else elided[1]) + elided[2] + inner
    if (irish := _IRISH.match(low)) and each_word:
        return "O" + irish[2] + irish[3].capitalize()
    if opens:
        return _capital(low)
    if noun and not shouted:
        # Capitals in it are nouns, and stay; small words stay as they were.
        return _capital(low) if word[:1].isupper() and low not in small else low
    if each_word:
        return low if bare in small and not closes and not joined else _capital(low)
    return low


def _numeral(word: str, bare: str, habits: Habits, *, shouted: bool, opens: bool) -> bool:
    if not is_roman(bare) or (len(bare) == 1 and (shouted or not word[:1].isupper() or (opens and bare != "i"))):
        return False
    if len(bare) == 1:
        return bare in "ivx" and word.isupper()
    written_so = word.rstrip(".").isupper() and not shouted
    return written_so or bare not in habits.not_numerals


def _has_shape(word: str) -> bool:
    """Capitals elsewhere than at the front, or throughout: written so on purpose."""
    letters = [char for char in word if char.isalpha()]
    return any(char.isupper() for char in letters[1:])


def _capital(word: str) -> str:
    return word[:1].upper() + word[1:]
