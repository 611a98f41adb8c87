"""What follows from the other fields: names to file under, totals, discs, album artists, first dates."""

from __future__ import annotations

import posixpath
import re
from collections import defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from inkwell_groove.core.files.naming import VARIOUS
from inkwell_groove.core.matching.names import filed

Derived = Literal["filed under", "discs", "totals", "album artists", "original dates"]
_FILED = {
    "artist": "artist_sort",
    "album_artist": "album_artist_sort",
    "composer": "composer_sort",
    "album": "album_sort",
}
# Words by which a group is known (common practice of catalogues).
_OF_GROUPS = frozenset(
    (
        "the",
        "and",
        "&",
        "les",
        "la",
        "le",
        "die",
        "der",
        "band",
        "trio",
        "quartet",
        "quintet",
        "choir",
        "chorus",
        "orchestra",
        "ensemble",
        "sisters",
        "brothers",
        "singers",
        "players",
        "society",
        "club",
        "various",
    )
)
_DISC = r"(?:cd|disc|disk)\s*(?:no\.?\s*)?(\d{1,2})"
_DISC_IN_ALBUM = re.compile(rf"\s*[-,:–]?\s*[(\[]?\s*{_DISC}\s*[)\]]?$", re.IGNORECASE)
DISC_FOLDER = re.compile(rf"(?:^|[\s/_(-]){_DISC}\)?$", re.IGNORECASE)


@dataclass(frozen=True)
class Described:
    """A file for this: its key, where it lies ("/" between folders), and its fields. Keys are unique."""

    key: int
    path: str
    fields: Mapping[str, str]

    def __getitem__(self, name: str) -> str:
        return self.fields.get(name, "")

    @property
    def folder(self) -> str:
        return posixpath.dirname(self.path)


def derive(files: Sequence[Described], what: Derived) -> dict[int, dict[str, str]]:
    """The fields that follow, by file; what is filled in already is left, but where it is plainly made up."""
    return _DERIVED[what](files)


def _filed_under(files: Sequence[Described]) -> dict[int, dict[str, str]]:
    return {
        file.key: {
            target: "; ".join(filed(one, _kind(one, source)) for one in _values(file[source]))
            for source, target in _FILED.items()
            if file[source] and not file[target]
        }
        for file in files
    }


def _kind(name: str, source: str) -> Literal["person", "group"]:
    """Composers are people; of others two or three plain words are taken for a name, everything else for a group."""
    if source in ("composer", "album"):
        return "person" if source == "composer" else "group"
    words = name.split()
    plain = 2 <= len(words) <= 3 and not any(word.casefold().strip(".,") in _OF_GROUPS for word in words)
    return "person" if plain else "group"


def _discs(files: Sequence[Described]) -> dict[int, dict[str, str]]:
    """A disc's number out of the album's name, which loses it, or out of the folder's."""
    out: dict[int, dict[str, str]] = {}
    for file in files:
        in_album, in_folder = _DISC_IN_ALBUM.search(file["album"]), DISC_FOLDER.search(file.folder)
        found = in_album or in_folder
        if found is None:
            continue
        out[file.key] = {} if file["disc_number"] else {"disc_number": str(int(found[1]))}
        if in_album and (shorter := file["album"][: in_album.start()].rstrip()):
            out[file.key]["album"] = shorter
    return out


def _releases(files: Sequence[Described]) -> Iterable[list[Described]]:
    """Files that belong to one release: of one album, and of one folder or of folders for its discs."""
    groups: dict[tuple[str, str], list[Described]] = defaultdict(list)
    for file in files:
        groups[(DISC_FOLDER.sub("", file.folder), file["album"].casefold())].append(file)
    return groups.values()


def _totals(files: Sequence[Described]) -> dict[int, dict[str, str]]:
    out: dict[int, dict[str, str]] = {}
    for release in _releases(files):
        discs: dict[str, list[Described]] = defaultdict(list)
        for file in release:
            discs[file["disc_number"]].append(file)
        count = max([len(discs), *(_whole(number) for number in discs)])
        for number, disc in discs.items():
            total = max([len(disc), *(_whole(one["track_number"]) for one in disc)])
            for file in disc:
                out[file.key] = {"track_total": str(total)}
                if number and len(discs) > 1:
                    out[file.key]["disc_total"] = str(count)
    return out


def _album_artists(files: Sequence[Described]) -> dict[int, dict[str, str]]:
    """The one artist of a release, or that it is a compilation."""
    out: dict[int, dict[str, str]] = {}
    for release in _releases(files):
        artists = {file["artist"] for file in release if file["artist"]}
        if not release[0]["album"] or not artists:
            continue
        mixed = len(artists) > 1
        for file in release:
            if not file["album_artist"] or (mixed and file["album_artist"] == file["artist"]):
                out[file.key] = {"album_artist": VARIOUS if mixed else next(iter(artists))}
                if mixed:
                    out[file.key]["compilation"] = "yes"
    return out


def _original_dates(files: Sequence[Described]) -> dict[int, dict[str, str]]:
    """The earliest date that any of the files has for the same title by the same artist."""
    first: dict[tuple[str, str], str] = {}
    for file in files:
        dates = [one for one in (file["original_date"], file["date"]) if _whole(one[:4])]
        if all(_piece(file)) and dates:
            first[_piece(file)] = min([*dates, first.get(_piece(file), "9999")])
    return {
        file.key: {"original_date": first[_piece(file)]}
        for file in files
        if _piece(file) in first and not file["original_date"]
    }


def _piece(file: Described) -> tuple[str, str]:
    return file["artist"].casefold(), file["title"].casefold()


def _values(text: str) -> list[str]:
    return [part for one in text.split(";") if (part := one.strip())]


def _whole(text: str) -> int:
    """A number as written in figures; 0 where it is none."""
    return int(text) if text.isascii() and text.isdecimal() else 0


_DERIVED: dict[Derived, Callable[[Sequence[Described]], dict[int, dict[str, str]]]] = {
    "filed under": _filed_under,
    "discs": _discs,
    "totals": _totals,
    "album artists": _album_artists,
    "original dates": _original_dates,
}
