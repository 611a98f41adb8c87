"""Checks of what single files say of themselves."""

from __future__ import annotations

import contextlib
import re
from collections.abc import Iterator

from inkwell_groove.core.errors import Refused
from inkwell_groove.core.files.derived import derive
from inkwell_groove.core.files.fields import BY_NAME
from inkwell_groove.core.matching.texts import folded
from inkwell_groove.core.survey.finding import Finding, House, Record, Release, finding
from inkwell_groove.core.wording.case import put_case

MISSING, WORDED = "missing ", "not worded"
# A number, something that parts it from the words, and words.
_NUMBER = re.compile(r"^\s*(\d{1,3})\s*(?:[.)_]|\s-|-\s|\s(?=-))[\s._-]*(?=\S*[^\W\d_])(.+)$")
_GENERIC = re.compile(
    r"^(?:(?:audio\s*)?track|title|titel|titre|titolo|piste|spur|pista|stück)\s*[-_#.]?\s*\d+$"
    r"|^(?:unknown|untitled|no|unbekannt(?:er|es)?)\s*(?:artist|album|title|track|interpret|titel|genre)?$",
    re.IGNORECASE,
)
_SAYING = ("title", "artist", "album")
_SORTS = {"artist": "artist_sort", "album_artist": "album_artist_sort", "composer": "composer_sort"}


def says_nothing(value: str) -> bool:
    """Whether a title or name is what programs put where they know none: "Track 3", "Unknown Artist"."""
    return bool(_GENERIC.match(value.strip()))


def label_of(name: str) -> str:
    """A field's label for itself, where the sheet's column heading is too short for that."""
    label = BY_NAME[name].label
    return f"{label} number" if name in ("track_number", "disc_number") else label


def missing(release: Release, house: House) -> Iterator[Finding]:
    """Fields that the house wants of every file, by field; told by the others or the file's name where they tell."""
    derived = derive(release.files, "album artists")
    for name in house.wanted:
        for one in release.files:
            if one[name] or one.problem:
                continue
            told = derived.get(one.key, {}) if name == "album_artist" else _by_name(one, name)
            label = label_of(name).lower()
            shown = f"its name says “{told[name]}”" if name in told and name != "album_artist" else ""
            yield finding(
                MISSING + name,
                [one],
                f"{label} is missing",
                evidence=shown,
                remedy={one.key: told} if name in told else None,
            )


def _by_name(one: Record, name: str) -> dict[str, str]:
    """A title or track number as the file's name has it."""
    stem = one.stem.replace("_", " ") if " " not in one.stem else one.stem
    found = _NUMBER.match(stem) or re.match(r"^(\d{1,3})\s+(.+)$", stem)
    if name == "track_number" and found:
        return {name: str(int(found[1]))}
    if name == "artist" and " - " in stem:
        words = re.sub(r"^\d{1,3}[\s._-]+", "", stem).split(" - ")[0].strip()
        return {name: words} if re.search(r"[^\W\d_]", words) else {}
    if name == "title":
        words = found[2] if found else stem
        words = words.rsplit(" - ", 1)[-1].strip(" -")
        if words and not _GENERIC.match(words):
            return {name: words}
    return {}


def worded(release: Release, house: House) -> Iterator[Finding]:
    """Texts that the house's wording rules would have otherwise: each rule works on what the one before made."""
    for one in release.files:
        values = {**one.fields, "name": one.stem}
        changed: dict[str, str] = {}
        with contextlib.suppress(Refused):  # a text that a rule cannot be carried out on is left as it is
            for rule in house.wording:
                changed |= {name: text for name, text in rule.apply({**values, **changed}).items() if name in BY_NAME}
        left = {name: text for name, text in changed.items() if text != one[name]}
        for name, text in left.items():
            yield finding(
                WORDED,
                [one],
                f"{BY_NAME[name].label.lower()} “{one[name]}” is not worded as the house wants it",
                evidence=f"“{text}”",
                remedy={one.key: {name: text}},
            )


def sort_names(release: Release, house: House) -> Iterator[Finding]:
    """Names that are filed otherwise than they are written, where no field says how."""
    derived = derive(release.files, "filed under")
    for name, sort in _SORTS.items():
        for value, files in release.by_value(name).items():
            if says_nothing(value):
                continue  # it names nobody
            lacking = [one for one in files if derived[one.key].get(sort, one[name]) != one[name]]
            if lacking:
                filed = derived[lacking[0].key][sort]
                yield finding(
                    "sort names",
                    lacking,
                    f"{BY_NAME[name].label.lower()} “{value}” has no name to file under",
                    evidence=f"“{filed}”",
                    remedy={one.key: {sort: derived[one.key][sort]} for one in lacking},
                )


def generic(release: Release, house: House) -> Iterator[Finding]:
    """Titles and names that say nothing: 'Track 3', 'Unknown Artist'."""
    for one in release.files:
        for name in _SAYING:
            if says_nothing(one[name]):
                told = _by_name(one, name)
                yield finding(
                    "says nothing",
                    [one],
                    f"{BY_NAME[name].label.lower()} is “{one[name]}”",
                    evidence=f"its name says “{told[name]}”" if told.get(name) else "",
                    remedy={one.key: told} if told.get(name) else None,
                )


def titles(release: Release, house: House) -> Iterator[Finding]:
    """Titles that hold what other fields are for: the track's number, its artist, its album."""
    for one in release.files:
        title = one["title"]
        if not title:
            continue
        held, rest, cells = [], title, dict[str, str]()
        number = _NUMBER.match(title.replace("_", " ") if " " not in title else title)
        if number and one["track_number"] in ("", str(int(number[1])), number[1]):
            held.append("its number")
            rest = number[2].strip()
            cells |= {} if one["track_number"] else {"track_number": str(int(number[1]))}
        for name, words in (("artist", "its artist"), ("album", "its album")):
            shorter = _without(rest, one[name])
            if shorter and not (name == "album" and one["work"]):
                held.append(words)
                rest = shorter
        if held:
            yield finding(
                "titles hold more",
                [one],
                f"the title holds {' and '.join(held)}",
                about=f"title|{title}",
                evidence=f"“{title}”",
                remedy={one.key: {**cells, "title": rest}},
            )


_PARTED = re.compile(r"\s+[-–—:]\s+|:\s+|_-_")


def _without(title: str, value: str) -> str:
    """The title without a part of it that is the value; empty where no part is, or nothing is left."""
    key = folded(value.replace("_", " "))
    parts = _PARTED.split(title)
    left = [part for part in parts if folded(part.replace("_", " ")) != key]
    if not key or len(left) == len(parts) or not left:
        return ""
    return ": ".join(left).strip()


_UNDERSCORES = "with underscores"


def writing(release: Release, house: House) -> Iterator[Finding]:
    """Titles and names in capitals throughout, without any, or with underscores where spaces belong."""
    for one in release.files:
        cells, kinds = dict[str, str](), list[str]()
        for name in (*_SAYING, "album_artist"):
            value = one[name]
            kind = _odd(value)
            if kind:
                kinds.append(f"{BY_NAME[name].label.lower()} {kind}")
                cells[name] = put_case(
                    value.replace("_", " ") if "_" in kind or "underscore" in kind else value, "title"
                )
        if kinds:
            about = "|".join(one[name] for name in cells)
            shown = ", ".join(f"“{one[name]}”" for name in cells)
            yield finding("writing", [one], ", ".join(kinds), about=about, evidence=shown, remedy={one.key: cells})


def _odd(value: str) -> str:
    letters = [char for char in value if char.isalpha()]
    words = re.findall(r"[^\W\d_]{2,}", value)
    if "_" in value and " " not in value and len(words) > 1:
        return _UNDERSCORES
    if len(letters) < 6 or len(words) < 2:
        return ""  # 'LP', 'NME', 'k.d.': names of one word are written as they like
    if value.upper() == value and value.lower() != value:
        return "in capitals"
    if value.lower() == value and value.upper() != value:
        return "without capitals"
    return ""
