"""What is said of a release and its tracks: the fields, their names and what each accepts."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable, Iterable
from dataclasses import dataclass

from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.dates import check_partial_date
from inkwell_groove.core.errors import Refused
from inkwell_groove.core.numbers import barcode, isrc

MAX_TEXT, MAX_LONG_TEXT = 500, 5_000
SEPARATOR = ";"


def clean_text(value: str) -> str:
    """The text in Unicode NFC, control characters and runs of white space made single spaces, ends trimmed."""
    spaced = "".join(" " if unicodedata.category(char) in ("Cc", "Zl", "Zp") else char for char in value)
    return unicodedata.normalize("NFC", " ".join(spaced.split()))


def _text(value: str) -> str:
    return value


def _yes(value: str) -> str:
    if value.casefold() not in ("yes", "no"):
        raise Refused(f"'{value}' is neither yes nor no", remedy="Write yes or no")
    return "yes" if value.casefold() == "yes" else ""


def _language(value: str) -> str:
    """A code of ISO 639-2, or -1, in lower case; which codes there are is not looked up."""
    if not re.fullmatch(r"[a-z]{2,3}", value.lower(), re.ASCII):
        raise Refused(f"'{value}' is not a language's code", remedy="Write two or three letters, as eng or cym")
    return value.lower()


@dataclass(frozen=True)
class FieldSpec:
    """One field: its name in the API and the database, its label on the screen, its tag, and its check.

    A field of `many` values holds them in one text, "; " between them, and is tagged once for each.
    """

    name: str
    label: str
    tag: str
    check: Callable[[str], str] = _text
    needed: bool = False
    hint: str = ""
    many: bool = False
    long: bool = False

    def accept(self, value: str) -> str:
        """The value as it is kept; an empty one means there is none. Raises Refused, naming the field."""
        text = clean_text(value)
        most = MAX_LONG_TEXT if self.long or self.many else MAX_TEXT
        if len(text) > most:
            raise Refused(
                f"{self.label} has {len(text)} characters", where=self.label, remedy=f"Use at most {most} characters"
            )
        try:
            if self.many:
                return joined(dict.fromkeys(self.check(one) for one in values_of(text)))
            return self.check(text) if text else ""
        except Refused as refusal:
            raise Refused(refusal.what, where=self.label, remedy=refusal.remedy) from refusal

    def tagged(self, text: str) -> tuple[str, ...]:
        """What is written into the tags for a text as it is kept."""
        if self.check is _yes:
            return ("1",) if text else ()
        return values_of(text) if self.many else ((text,) if text else ())


def values_of(text: str) -> tuple[str, ...]:
    """The values that a text holds, by semicolons."""
    return tuple(part for one in text.split(";") if (part := one.strip()))


def joined(values: Iterable[str]) -> str:
    return f"{SEPARATOR} ".join(values)


RELEASE_FIELDS: tuple[FieldSpec, ...] = (
    FieldSpec("album_artist", "Album artist", "ALBUMARTIST", needed=True),
    FieldSpec("album_artist_sort", "Filed under", "ALBUMARTISTSORT", hint="Brandt Trio, Odalys"),
    FieldSpec("title", "Title", "ALBUM", needed=True),
    FieldSpec("label", "Label", "LABEL", many=True),
    FieldSpec("catalogue_number", "Catalogue number", "CATALOGNUMBER", many=True),
    FieldSpec("barcode", "Barcode", "BARCODE", check=barcode),
    FieldSpec("year", "Release date", "DATE", check=check_partial_date, hint="1974, 1974-03 or 1974-03-09"),
    FieldSpec("original_date", "First released", "ORIGINALDATE", check=check_partial_date, hint="1974"),
    FieldSpec("country", "Country", "RELEASECOUNTRY"),
    FieldSpec("format", "Format", "MEDIA", hint="LP, 33 1/3"),
    FieldSpec("genres", "Genres", "GENRE", many=True, hint="brass band; march"),
    FieldSpec("language", "Language", "LANGUAGE", check=_language, hint="eng"),
    FieldSpec("compilation", "Compilation", "COMPILATION", check=_yes, hint="yes, or nothing"),
    FieldSpec("live", "Recorded live", "LIVE", check=_yes, hint="yes, or nothing"),
    FieldSpec("matrix", "Matrix, run-out", "MATRIX", many=True),
    FieldSpec("notes", "Notes", "COMMENT", long=True),
    FieldSpec("links", "In sources", "WEBSITE", many=True),
)
TRACK_FIELDS: tuple[FieldSpec, ...] = (
    FieldSpec("title", "Title", "TITLE", needed=True),
    FieldSpec("artist", "Artist", "ARTIST", hint="the album artist, unless it says otherwise"),
    FieldSpec("artist_sort", "Artist, filed under", "ARTISTSORT"),
    FieldSpec("composers", "Composers", "COMPOSER", many=True),
    FieldSpec("composers_sort", "Composers, filed under", "COMPOSERSORT", many=True),
    FieldSpec("conductors", "Conductors", "CONDUCTOR", many=True),
    FieldSpec("performers", "Performers", "PERFORMER", many=True, hint="Jon Maskell-Obi (piano)"),
    FieldSpec("work", "Work", "WORK"),
    FieldSpec("movement", "Movement", "MOVEMENTNAME"),
    FieldSpec("isrc", "ISRC", "ISRC", check=isrc),
    FieldSpec("original_date", "First released", "ORIGINALDATE", check=check_partial_date),
    FieldSpec("genres", "Genres", "GENRE", many=True),
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
    album_artist_sort: str = ""
    barcode: str = ""
    original_date: str = ""
    country: str = ""
    genres: str = ""
    language: str = ""
    compilation: str = ""
    live: str = ""
    matrix: str = ""
    notes: str = ""
    links: str = ""


class TrackDescription(BaseModel):
    """One track's fields, empty where nothing is known."""

    model_config = ConfigDict(frozen=True)

    number: int = Field(ge=0, description="0 is a disc's hidden opening.")
    disc: int = Field(default=0, ge=0, description="Which disc of several it is on; 0 where there is but one.")
    title: str = ""
    artist: str = ""
    artist_sort: str = ""
    composers: str = ""
    composers_sort: str = ""
    conductors: str = ""
    performers: str = ""
    work: str = ""
    movement: str = ""
    isrc: str = ""
    original_date: str = ""
    genres: str = ""

    @property
    def number_text(self) -> str:
        """'03', or '2-03' on the second of several discs."""
        return f"{self.disc}-{self.number:02}" if self.disc else f"{self.number:02}"

    def artist_of(self, release: Release) -> str:
        return self.artist or release.album_artist


def missing_fields(release: Release, tracks: list[TrackDescription]) -> list[str]:
    """What must be filled before sealing, in words."""
    missing = [spec.label for spec in RELEASE_FIELDS if spec.needed and not getattr(release, spec.name)]
    untitled = [track.number_text.lstrip("0") or "0" for track in tracks if not track.title]
    if untitled:
        missing.append(f"title of track{'s' if len(untitled) > 1 else ''} {', '.join(untitled)}")
    return missing
