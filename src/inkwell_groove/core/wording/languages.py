"""What each language does with capitals in a title (common practice of its libraries and publishers)."""

from __future__ import annotations

from typing import Literal, NamedTuple

Language = Literal["en", "fr", "de", "it"]


class Habits(NamedTuple):
    """`each_word`: titles have capitals throughout, but for the small words. `nouns`: capitals within are kept, since
    they tell nouns, which nobody can tell from a list. `not_numerals`: words that could be read as Roman numerals."""

    each_word: bool
    nouns: bool
    small: frozenset[str]
    not_numerals: frozenset[str]


def _words(text: str) -> frozenset[str]:
    return frozenset(text.split())


HABITS: dict[Language, Habits] = {
    "en": Habits(
        True, False,
        _words("a an the and but or nor for of in on at to by from with as into onto over upon via per off up down"),
        _words("mix mild dim did mid lid vim civic"),
    ),
    "fr": Habits(
        False, False,
        _words("le la les l' un une des du de d' et ou où à au aux en dans par pour sur sous avec sans que qui"),
        _words("dix mil mi ci vil il di"),
    ),
    "de": Habits(
        True, True,
        _words("der die das des dem den ein eine einer eines einem einen und oder aber in im an am auf aus bei beim "
               "mit nach von vom vor zu zum zur über unter für ohne um durch gegen"),
        _words("mild mi di"),
    ),
    "it": Habits(
        False, False,
        _words("il lo la i gli le l' un uno una di del dello della dei degli delle d' a al allo alla ai agli alle "
               "da dal dalla in nel nella con su sul sulla per tra fra e ed o"),
        _words("di mi vi ci li i mille dici vidi"),
    ),
}  # fmt: skip
LANGUAGES: dict[Language, str] = {"en": "English", "fr": "French", "de": "German", "it": "Italian"}
