"""Names from tags, and tags from names: one pattern serves both ways."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.errors import Refused
from inkwell_groove.core.files.fields import BY_NAME
from inkwell_groove.core.filing import fill, safe_name

_FIELD = re.compile(r"\{([^{}]*)\}")
_NUMBERS = ("track_number", "track_total", "disc_number", "disc_total")
NOTHING = "nothing"  # a field of a pattern that is read over: {nothing}
VARIOUS = "Various"


class Naming(BaseModel):
    """How files are filed: a pattern without suffix, `/` between folders, and what is done where it does not fit."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: str = Field(default="", max_length=100)
    pattern: str = Field(
        default="{album_artist}/{date:.4} {album}/{track_number:02} {title}", min_length=1, max_length=500
    )
    compilations: str = Field(
        default="Compilations/{album}/{track_number:02} {artist} - {title}",
        max_length=500,
        description="For compilations; empty to file them like the others.",
    )
    classical: str = Field(
        default="", max_length=500, description="For what has a composer and a work; empty to file it like the others."
    )
    disc_folder: str = Field(
        default="Disc {disc_number}", max_length=100, description="A folder for each of several discs; empty for none."
    )
    missing: Literal["leave out", "say so"] = Field(
        default="leave out", description="A field that is empty: left out of the name, or 'unknown album' and the like."
    )
    instead: str = Field(default="-", max_length=3, description="What stands for characters no name may hold.")
    most_characters: int = Field(default=120, ge=10, le=250, description="How long one name may be, suffix included.")

    def path_for(self, values: Mapping[str, str], suffix: str) -> str:
        """The path a file shall have, from the folder brought in. Raises Refused for an unknown field."""
        known = dict.fromkeys(BY_NAME, "") | dict(values)
        if not known["album_artist"]:
            known["album_artist"] = VARIOUS if known["compilation"] else known["artist"]
        pattern = self._pattern_for(known)
        if self.missing == "say so":
            unknown = {name for name in _names(pattern) if name in BY_NAME and not known[name]}
            known |= {name: f"unknown {BY_NAME[name].label.lower()}" for name in unknown}
            # A format is for values: it would cut these words short.
            pattern = _FIELD.sub(
                lambda one: f"{{{name}}}" if (name := _name_of(one[1])) in unknown else one[0], pattern
            )
        known = {name: text.replace("/", self.instead).replace("\\", self.instead) for name, text in known.items()}
        parts = [part for part in fill(pattern, known) if part]
        folders, file = parts[:-1], parts[-1] if parts else ""
        if self.disc_folder and known["disc_number"] and known["disc_total"] not in ("", "1"):
            folders += [part for part in fill(self.disc_folder, known) if part]
        names = [self._name(one, "") for one in folders] + [self._name(file, suffix)]
        return "/".join(names)

    def _pattern_for(self, values: Mapping[str, str]) -> str:
        if self.classical and values["composer"] and values["work"]:
            return self.classical
        return self.compilations if self.compilations and values["compilation"] else self.pattern

    def _name(self, text: str, suffix: str) -> str:
        room = self.most_characters - len(suffix)
        return safe_name(text[:room], suffix=suffix, keep_percent=True)


def read_name(pattern: str, path: str) -> dict[str, str] | None:
    """The fields that a path tells by a pattern; None where it does not fit. Suffixes are no part of a pattern.

    A pattern of three parts is laid on the file and the two folders above it. A field named twice must say the same
    twice; {nothing} is read over. Raises Refused for an unknown field, or two fields with nothing between them.
    """
    parts = pattern.strip("/").split("/")
    stem = re.sub(r"\.[A-Za-z0-9]{2,5}$", "", path)
    names = stem.split("/")
    if len(names) < len(parts):
        return None
    found: dict[str, str] = {}
    for part, name in zip(parts, names[-len(parts) :], strict=True):
        match = re.fullmatch(_expression(part, pattern), name)
        if match is None:
            return None
        keys = [key for key in _names(part) if key != NOTHING]
        for key, text in zip(keys, (one for one in match.groups() if one is not None), strict=True):
            value = text.strip()
            if key in _NUMBERS:
                value = value.lstrip("0") or "0"
            if found.setdefault(key, value) != value:
                return None
    return {key: value for key, value in found.items() if value}


def _expression(part: str, pattern: str) -> str:
    pieces = _FIELD.split(part)
    out = ""
    for index, piece in enumerate(pieces):
        if index % 2 == 0:
            if 0 < index < len(pieces) - 1 and not piece:
                raise Refused(
                    "two fields with nothing between them cannot be told apart",
                    where=f"pattern '{pattern}'",
                    remedy="Put a space or a dash between them",
                )
            out += re.sub(r"(\\ )+", r"\\s+", re.escape(piece))
            continue
        name = _name_of(piece)
        if name != NOTHING and name not in BY_NAME:
            raise Refused(
                f"there is no field '{name}'",
                where=f"pattern '{pattern}'",
                remedy=f"The fields are {', '.join(BY_NAME)}, and {NOTHING} for what is read over",
            )
        inner = r"\d+" if name in _NUMBERS else r".+?"
        out += f"(?:{inner})" if name == NOTHING else f"({inner})"
    return out


def _names(pattern: str) -> list[str]:
    return [_name_of(piece) for piece in _FIELD.findall(pattern)]


def _name_of(piece: str) -> str:
    return piece.partition(":")[0].strip().replace(" ", "_")
