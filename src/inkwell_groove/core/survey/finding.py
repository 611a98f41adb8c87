"""What a check looks at, and what it finds."""

from __future__ import annotations

import posixpath
import re
from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.files.art import ArtRule
from inkwell_groove.core.files.derived import DISC_FOLDER, Described
from inkwell_groove.core.files.naming import Naming
from inkwell_groove.core.wording.rules import WordingRule

Group = Literal["fields", "releases", "names", "pictures", "sound", "files", "sealed"]
Action = Literal["", "pictures"]


@dataclass(frozen=True)
class Record(Described):
    """A file of the collection. Its `path` begins with the folder that was brought in, so no two are alike.

    `facts` is what reading it told (see `files.reading.FileTags`), `problem` why it could not be read.
    """

    facts: Mapping[str, Any] = field(default_factory=dict)
    problem: str = ""

    @property
    def stem(self) -> str:
        return posixpath.splitext(posixpath.basename(self.path))[0]

    @property
    def release_folder(self) -> str:
        """Where the release lies: a disc's own folder is part of the one above it."""
        return DISC_FOLDER.sub("", self.folder)


class Finding(BaseModel):
    """One thing that is wrong.

    `about` tells it from all others of its check, and stays what it is while nothing it speaks of changes: a finding
    that was dismissed is known again by it. `remedy` are the cells that put it right, by file; where `instead_of` is
    given they stand for that name among the several of a field. `action` is a remedy that is no cell.
    """

    model_config = ConfigDict(frozen=True)

    check: str
    about: str
    place: str = Field(default="", description="The folder of the release; empty for what concerns the collection.")
    files: tuple[int, ...]
    words: str
    evidence: str = ""
    remedy: dict[int, dict[str, str]] = {}
    instead_of: str = ""
    action: Action = ""


class TagRule(BaseModel):
    """What a house wants of the tags: fields that every file has, and wording rules that none breaks."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    wanted: tuple[str, ...] = ("title", "artist", "album", "album_artist", "track_number", "date")
    wording: tuple[str, ...] = Field(default=(), description="Names of saved wording rules, in order.")
    silence_s: float = Field(default=10.0, ge=1, le=600, description="Longer silence at an end is told.")


class House(BaseModel):
    """What the house wants of every file."""

    model_config = ConfigDict(frozen=True)

    wanted: tuple[str, ...] = TagRule().wanted
    art: ArtRule = ArtRule()
    naming: Naming | None = None
    wording: tuple[WordingRule, ...] = ()
    silence_s: float = 10.0


@dataclass(frozen=True)
class Release:
    """Files that are, or claim to be, one release.

    `beside` are the pictures next to them: SHA-256 by path; `sizes` width and height of those of which it is known.
    """

    files: Sequence[Record]
    beside: Mapping[str, str]
    sizes: Mapping[str, tuple[int, int]] = field(default_factory=dict)

    @property
    def place(self) -> str:
        return self.files[0].release_folder

    def by_value(self, name: str) -> dict[str, list[Record]]:
        """The files that have each value of a field, those that have most first; empty ones are left out."""
        found: dict[str, list[Record]] = defaultdict(list)
        for one in self.files:
            if one[name]:
                found[one[name]].append(one)
        return dict(sorted(found.items(), key=lambda pair: (-len(pair[1]), pair[0])))


def finding(
    check: str,
    files: Sequence[Record],
    words: str,
    *,
    about: str = "",
    evidence: str = "",
    remedy: Mapping[int, Mapping[str, str]] | None = None,
    action: Action = "",
) -> Finding:
    """A finding about files of one release; without `about`, what it says of them is what it is known by."""
    first = files[0]
    return Finding(
        check=check,
        about=f"{first.path if len(files) == 1 else first.release_folder}|{about or words}",
        place=first.release_folder,
        files=tuple(one.key for one in files),
        words=words,
        evidence=evidence,
        remedy={key: dict(cells) for key, cells in (remedy or {}).items() if cells},
        action=action,
    )


_DISC_WORDS = re.compile(r"[\s_(\[-]*(?:cd|disc|disk)\s*\d+[)\]]?\s*$", re.IGNORECASE)


def album_key(album: str) -> str:
    """By which albums are the same release: without the number of a disc, case and punctuation."""
    return re.sub(r"[\W_]+", " ", _DISC_WORDS.sub("", album)).strip().casefold()
