"""A wording rule: steps, in order, on chosen fields."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Mapping
from typing import Annotated, Any, Literal

import regex
from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.errors import Refused
from inkwell_groove.core.filing import fill
from inkwell_groove.core.wording.case import Case, put_case
from inkwell_groove.core.wording.languages import Language

_MOST_OUT = 4_000
_EXPRESSION_S = 1.0  # on one text; some expressions never end
_LEFT_OVER = " \t-–—_:;,./|~"
_BRACKETS = {
    kind: regex.compile(expression)  # with the brackets within brackets
    for kind, expression in {
        "round": r"\((?:[^()]++|(?R))*+\)",
        "square": r"\[(?:[^\[\]]++|(?R))*+\]",
        "curly": r"\{(?:[^{}]++|(?R))*+\}",
    }.items()
}
# Words of a title may be numbers: only what a number at the front looks like when a ripper put it there.
_LEADING_NUMBER = re.compile(
    r"^\s*(?:\d{1,2}-\d{1,2}\s+|[A-Za-z]?\d{1,3}\s*[-–._)\]]+\s*|\[\d{1,3}\]\s*|0\d{1,2}\s+)(?=\S)"
)


class _Step(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class Replace(_Step):
    """A text replaced: as it stands, as a whole word, or as a regular expression, whose groups `by` may use as \\1."""

    do: Literal["replace"] = "replace"
    find: str = Field(min_length=1, max_length=500)
    by: str = Field(default="", max_length=500)
    how: Literal["text", "word", "expression"] = "text"
    match_case: bool = True

    def apply(self, text: str, _: Mapping[str, str]) -> str:
        flags = re.UNICODE | (re.UNICODE if self.match_case else re.IGNORECASE)
        if self.how == "text" and self.match_case:
            return text.replace(self.find, self.by)
        if self.how == "expression":
            try:
                return str(regex.sub(self.find, self.by, text, flags=int(flags), timeout=_EXPRESSION_S))
            except TimeoutError as cause:
                raise Refused(
                    "this expression takes too long", where=self.find, remedy="Repeat no part that is itself repeated"
                ) from cause
            except (regex.error, IndexError, RecursionError) as cause:
                raise Refused(
                    f"this is no regular expression ({cause})",
                    where=self.find,
                    remedy="Write a full stop as \\., a bracket as \\(",
                ) from cause
        found = re.escape(self.find)
        if self.how == "word":
            found = rf"(?<!\w){found}(?!\w)"
        return re.sub(found, lambda _: self.by, text, flags=flags)


class PutCase(_Step):
    """Capitals and small letters."""

    do: Literal["case"] = "case"
    to: Case = "title"
    language: Language = "en"
    keep: tuple[str, ...] = Field(default=(), description="Words as they are to be written wherever they come.")
    small: tuple[str, ...] = Field(default=(), description="More words that stay small within a title.")

    def apply(self, text: str, _: Mapping[str, str]) -> str:
        return put_case(text, self.to, self.language, keep=self.keep, small=self.small)


class Space(_Step):
    """Ends trimmed, runs of white space made one space."""

    do: Literal["space"] = "space"

    def apply(self, text: str, _: Mapping[str, str]) -> str:
        return " ".join(text.split())


class Underscores(_Step):
    """Underscores made spaces; percent signs of web addresses are left alone."""

    do: Literal["underscores"] = "underscores"

    def apply(self, text: str, _: Mapping[str, str]) -> str:
        return " ".join(text.replace("_", " ").split())


class Brackets(_Step):
    """Brackets taken out with what is in them; with `holding` only those in which that word stands."""

    do: Literal["brackets"] = "brackets"
    kinds: tuple[Literal["round", "square", "curly"], ...] = ("round", "square", "curly")
    holding: str = Field(default="", max_length=200)

    def apply(self, text: str, _: Mapping[str, str]) -> str:
        out = text
        for kind in self.kinds:
            out = _BRACKETS[kind].sub(self._left, out)
        return " ".join(out.split()) if out != text else text

    def _left(self, found: regex.Match[str]) -> str:
        return "" if self.holding.casefold() in found[0].casefold() else found[0]


class LeadingNumber(_Step):
    """A track number in front of a title taken off: "03 - Reel", "A2. Reel", "[04] Reel"; not "99 Lanterns"."""

    do: Literal["leading number"] = "leading number"

    def apply(self, text: str, _: Mapping[str, str]) -> str:
        return _LEADING_NUMBER.sub("", text)


class WithoutName(_Step):
    """Another field's text taken off the front or the end, with the punctuation that is left over."""

    do: Literal["without"] = "without"
    of: str = Field(description="The field whose text is taken off: artist, album ...")

    def apply(self, text: str, values: Mapping[str, str]) -> str:
        name = values.get(self.of, "").strip()
        if not name or len(name) >= len(text.strip()):
            return text
        plain = text.strip()
        for pattern in (rf"^{re.escape(name)}\s*[-–—:_|~,.]+\s*", rf"\s*[-–—:_|~,(\[]+\s*{re.escape(name)}\s*[)\]]?$"):
            shorter = re.sub(pattern, "", plain, flags=re.IGNORECASE)
            if shorter != plain and shorter.strip(_LEFT_OVER):
                return shorter.strip(_LEFT_OVER.replace(".", ""))
        return text


class ShortWord(_Step):
    """A long word, or several, and the short one."""

    long: str = Field(min_length=1, max_length=200)
    short: str = Field(default="", max_length=200)


class Shorten(_Step):
    """Long words made short ones, whole words only: "Number" to "No."."""

    do: Literal["shorten"] = "shorten"
    words: tuple[ShortWord, ...] = Field(min_length=1)

    def apply(self, text: str, _: Mapping[str, str]) -> str:
        short = {one.long.casefold(): one.short for one in self.words}
        wanted = "|".join(re.escape(long) for long in sorted(short, key=len, reverse=True))
        return re.sub(rf"(?<!\w)(?:{wanted})(?!\w)", lambda one: short[one[0].casefold()], text, flags=re.IGNORECASE)


class Normalise(_Step):
    """Unicode in one form; NFC unless another is asked for (UAX 15). With `plain_quotes` typewriter quotes."""

    do: Literal["unicode"] = "unicode"
    form: Literal["NFC", "NFD", "NFKC", "NFKD"] = "NFC"
    plain_quotes: bool = False

    def apply(self, text: str, _: Mapping[str, str]) -> str:
        out = unicodedata.normalize(self.form, text)
        return out.translate(_QUOTES) if self.plain_quotes else out


class FromPattern(_Step):
    """The field set from others: "{album_artist} - {album}". Left as it is where nothing comes of it."""

    do: Literal["pattern"] = "pattern"
    pattern: str = Field(min_length=1, max_length=500)

    def apply(self, text: str, values: Mapping[str, str]) -> str:
        return " ".join("/".join(fill(self.pattern, values)).split()) or text


class Around(_Step):
    """Text put in front and behind, where there is something to put it to."""

    do: Literal["around"] = "around"
    before: str = Field(default="", max_length=500)
    after: str = Field(default="", max_length=500)

    def apply(self, text: str, _: Mapping[str, str]) -> str:
        return f"{self.before}{text}{self.after}" if text else text


_QUOTES = str.maketrans({"‘": "'", "’": "'", "“": '"', "”": '"', "„": '"', "«": '"', "»": '"', "–": "-", "—": "-"})
Step = Annotated[
    Replace
    | PutCase
    | Space
    | Underscores
    | Brackets
    | LeadingNumber
    | WithoutName
    | Shorten
    | Normalise
    | FromPattern
    | Around,
    Field(discriminator="do"),
]


class WordingRule(BaseModel):
    """Steps on fields."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: str = Field(default="", max_length=100)
    fields: tuple[str, ...] = Field(min_length=1)
    steps: tuple[Step, ...] = Field(min_length=1, max_length=30)

    def apply(self, values: Mapping[str, str]) -> dict[str, str]:
        """What the rule changes of a file's values: the new texts by field. A field of several values goes one by one.

        Raises Refused for a step that cannot be carried out, naming it.
        """
        changed = {}
        everything = _Values(values)
        for name in self.fields:
            old = values.get(name, "")
            new = (
                "; ".join(self._text(one, everything) for one in old.split("; ")) if old else self._text("", everything)
            )
            if new != old:
                changed[name] = new
        return changed

    def _text(self, text: str, values: Mapping[str, str]) -> str:
        for step in self.steps:
            if text or isinstance(step, FromPattern):
                text = step.apply(text, values)
            if len(text) > _MOST_OUT:
                raise Refused(
                    f"the text grows to {len(text)} characters", where=f"step '{step.do}'", remedy="Mend the rule"
                )
        return text


class _Values(dict[str, str]):
    """A field that a file lacks is empty, not unknown; which names there are is checked where a rule is made."""

    def __missing__(self, key: str) -> str:
        return ""

    def __contains__(self, key: Any) -> bool:
        return True
