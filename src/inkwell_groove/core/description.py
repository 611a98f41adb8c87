"""What is said of a release and its tracks: the fields, their names and what each accepts."""

from __future__ import annotations

import unicodedata
from collections.abc import Callable
from dataclasses import dataclass

from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.dates import check_partial_date
from inkwell_groove.core.errors import Refused

MAX_TEXT = 500


def clean_text(value: str) -> str:
    """The text in Unicode NFC, control characters and runs of white space made single spaces, ends trimmed."""
    spaced = "".join(" " if unicodedata.category(char) in ("Cc", "Zl", "Zp") else char for char in value)
    return unicodedata.normalize("NFC", " ".join(spaced.split()))


def _text(value: str) -> str:
    return value


@dataclass(frozen=True)
class FieldSpec:
    """One field: its name in the API and the database, its label on the screen, its tag, and its check."""

    name: str
    label: str
    tag: str
    check: Callable[[str], str] = _text
    needed: bool = False
    hint: str = ""

    def accept(self, value: str) -> str:
        """The value as it is kept; an empty one means there is none. Raises Refused, naming the field."""
        text = clean_text(value)
        if len(text) > MAX_TEXT:
            raise Refused(
                f"{self.label} has {len(text)} characters",
                where=self.label,
                remedy=f"Use at most {MAX_TEXT} characters",
            )
        return self.check(text) if text else ""


RELEASE_FIELDS: tuple[FieldSpec, ...] = (
    FieldSpec("album_artist", "Album artist", "ALBUMARTIST", needed=True),
    FieldSpec("title", "Title", "ALBUM", needed=True),
    FieldSpec("label", "Label", "LABEL"),
    FieldSpec("catalogue_number", "Catalogue number", "CATALOGNUMBER"),
    FieldSpec("year", "Year", "DATE", check=check_partial_date, hint="1974, 1974-03 or 1974-03-09"),
    FieldSpec("format", "Format", "MEDIA", hint="LP, 33 1/3"),
)
TRACK_FIELDS: tuple[FieldSpec, ...] = (
    FieldSpec("title", "Title", "TITLE", needed=True),
    FieldSpec("artist", "Artist", "ARTIST", hint="the album artist, unless it says otherwise"),
)


def field(specs: tuple[FieldSpec, ...], name: str) -> FieldSpec:
    """The field of that name. Raises Refused, listing the names there are."""
    for spec in specs:
        if spec.name == name:
            return spec
    raise Refused(f"there is no field '{name}'", remedy=f"The fields are {', '.join(spec.name for spec in specs)}")


class Release(BaseModel):
    """The release's fields, empty where nothing is known."""

    model_config = ConfigDict(frozen=True)

    album_artist: str = ""
    title: str = ""
    label: str = ""
    catalogue_number: str = ""
    year: str = ""
    format: str = ""


class TrackDescription(BaseModel):
    """One track's fields, empty where nothing is known."""

    model_config = ConfigDict(frozen=True)

    number: int = Field(ge=1)
    title: str = ""
    artist: str = ""

    def artist_of(self, release: Release) -> str:
        return self.artist or release.album_artist


def missing_fields(release: Release, tracks: list[TrackDescription]) -> list[str]:
    """What must be filled before sealing, in words."""
    missing = [spec.label for spec in RELEASE_FIELDS if spec.needed and not getattr(release, spec.name)]
    untitled = [str(track.number) for track in tracks if not track.title]
    if untitled:
        missing.append(f"title of track{'s' if len(untitled) > 1 else ''} {', '.join(untitled)}")
    return missing
