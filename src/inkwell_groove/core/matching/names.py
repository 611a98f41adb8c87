"""How a name is filed: articles and forenames go behind, by rules that say which they followed.

For people the last word leads, with the particles that belong to it in its language; for groups a leading article goes
behind. Both are common practice of catalogues; what a language does with its particles is a table here, and a name
that says already how it is filed (with a comma) is left alone.
"""

from __future__ import annotations

import re
from typing import Literal

from inkwell_groove.core.description import clean_text

ARTICLES = {
    "en": ("the", "a", "an"),
    "fr": ("le", "la", "les", "un", "une", "l'"),
    "de": ("der", "die", "das", "ein", "eine"),
    "it": ("il", "lo", "la", "i", "gli", "le", "un", "uno", "una", "l'"),
}
# Particles that lead the filing name: French articles and contractions do, German and Dutch "von" and "van" do not.
_LEADING = {
    "le",
    "la",
    "les",
    "du",
    "des",
    "l'",
    "d'",
    "o'",
    "mc",
    "mac",
    "st",
    "de la",
    "della",
    "dello",
    "degli",
    "del",
}
_FOLLOWING = {"von", "van", "der", "den", "ten", "ter", "zu", "zum", "zur", "af", "av", "de", "da", "dos", "y", "e"}
_SUFFIX = re.compile(r"(jr|sr|jnr|snr|[ivx]{2,4}|[1-9](st|nd|rd|th))\.?", re.IGNORECASE)


def filed(name: str, kind: Literal["person", "group"], *, language: str = "en") -> str:
    """The name as it is filed: 'Brandt, Odalys', 'Tollgate Sisters, The'."""
    name = clean_text(name)
    if "," in name or (" " not in name and "'" not in name):
        return name
    return _group(name, language) if kind == "group" else _person(name)


def _group(name: str, language: str) -> str:
    for article in ARTICLES.get(language, ARTICLES["en"]):
        if article.endswith("'"):
            if name.casefold().startswith(article) and len(name) > len(article):
                rest = name[len(article) :]
                return f"{rest[0].upper()}{rest[1:]}, {name[: len(article)]}"
        elif name.casefold().startswith(f"{article} "):
            return f"{name[len(article) + 1 :]}, {name[: len(article)]}"
    return name


def _person(name: str) -> str:
    words = name.split()
    suffix = ""
    if len(words) > 2 and _SUFFIX.fullmatch(words[-1]):
        suffix = f", {words.pop()}"
    lead = len(words) - 1
    if lead > 1 and " ".join(words[lead - 2 : lead]).casefold() in _LEADING:
        lead -= 2
    elif lead > 0 and words[lead - 1].casefold().rstrip(".") in _LEADING:
        lead -= 1
    first = words[:lead]
    following: list[str] = []
    while len(first) > 1 and first[-1].casefold() in _FOLLOWING:
        following.insert(0, first.pop())
    forenames = " ".join([*first, *following])
    return f"{' '.join(words[lead:])}, {forenames}{suffix}" if forenames else f"{name}"
