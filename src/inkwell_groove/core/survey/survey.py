"""All checks, and the survey of a collection by them."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from typing import Literal

from inkwell_groove.core.files.fields import BY_NAME
from inkwell_groove.core.survey import art, duplicates, fields, files, loudness, names, releases, sound
from inkwell_groove.core.survey.finding import Finding, Group, House, Record, Release, album_key

_LOOKS = (
    fields.missing,
    fields.worded,
    fields.sort_names,
    fields.generic,
    fields.titles,
    fields.writing,
    releases.clashes,
    releases.disc_names,
    releases.numbering,
    art.pictures,
    files.readable,
    files.there,
    files.filed,
    files.silence,
    files.silence_before,
    loudness.stated,
    sound.heard,
)

_CLASHING = (
    "album",
    "album_artist",
    "date",
    "genre",
    "label",
    "catalogue_number",
    "media",
    "compilation",
    "disc_total",
    "artist",
)
# What a finding is filed under: its check, in words, and the group it is shown in.
CHECKS: dict[str, tuple[str, Group]] = {
    **{f"{fields.MISSING}{name}": (f"{fields.label_of(name)} missing", "fields") for name in BY_NAME},
    "says nothing": ("Titles and names that say nothing", "fields"),
    "titles hold more": ("Titles with number, artist or album in them", "fields"),
    fields.WORDED: ("Not worded by the house's rules", "fields"),
    "writing": ("Capitals, small letters and underscores", "fields"),
    "sort names": ("Names to file under missing", "names"),
    names.CHECK: ("Spellings of one name", "names"),
    names.STRAYS: ("Names that point to a heading", "names"),
    **{f"clash of {name}": (f"{fields.label_of(name)} differs within a release", "releases") for name in _CLASHING},
    "discs in names": ("Disc numbers in names", "releases"),
    "numbers doubled": ("Track numbers doubled", "releases"),
    "numbers left out": ("Track numbers left out", "releases"),
    "numbers above total": ("Track numbers above the total", "releases"),
    "numbers out of order": ("Track numbers not in the files' order", "releases"),
    "no picture": ("No picture at all", "pictures"),
    "picture not embedded": ("No front within", "pictures"),
    "picture not beside": ("No front beside", "pictures"),
    "pictures embedded": ("Pictures within, which the house does not want", "pictures"),
    "pictures too large": ("Pictures larger than the house wants", "pictures"),
    "picture too small": ("Fronts that are too small", "pictures"),
    "pictures not square": ("Fronts that are not square", "pictures"),
    "pictures differ": ("Within and beside not the same", "pictures"),
    "pictures clash": ("Different fronts in one release", "pictures"),
    "pictures unreadable": ("Pictures that cannot be read", "pictures"),
    "silence at the beginning": ("Silence at the beginning", "sound"),
    "silence at the end": ("Silence at the end", "sound"),
    "clipping": ("Overs: samples at full scale", "sound"),
    "a channel is silent": ("A channel without sound", "sound"),
    "a channel is inverted": ("Channels inverse to each other", "sound"),
    "lossy source": ("Declared lossless, from a lossy source", "sound"),
    "stretched rate": ("Made from a lower sample rate", "sound"),
    "fewer bits": ("24 bit with 16 in them", "sound"),
    "channels swapped": ("Left and right the other way round", "sound"),
    "other samples": ("Samples that have not the checksum stored with them", "sound"),
    "no checksum": ("FLAC without a checksum of its samples", "sound"),
    loudness.CHECK: ("Loudness not stated", "sound"),
    duplicates.CHECK: ("The same sound more than once", "files"),
    "unreadable": ("Files that cannot be read", "files"),
    "gone": ("Files that are gone", "files"),
    "unknown": ("Files nobody knows", "files"),
    "package damaged": ("Packages not as they were sealed", "sealed"),
    "never verified": ("Packages never verified since", "sealed"),
    "verified long ago": ("Packages verified long ago", "sealed"),
    "not filed": ("Not filed by the house's pattern", "files"),
}  # fmt: skip


Rule = Literal["artwork", "tags", "filing"]
# By which checks it shows whether a file follows a rule of the house.
OF_RULE: dict[Rule, tuple[str, ...]] = {
    "artwork": tuple(
        name
        for name, (_, group) in CHECKS.items()
        if group == "pictures" and name not in ("pictures clash", "pictures unreadable")
    ),
    "tags": (*(name for name in CHECKS if name.startswith(fields.MISSING)), fields.WORDED),
    "filing": ("not filed",),
}


_MOST_OF_IT = 0.6  # a folder of which one album has so much is that album's


def survey(
    records: Sequence[Record],
    beside: Mapping[str, str],
    house: House,
    *,
    sizes: Mapping[str, tuple[int, int]] | None = None,
    seen: Callable[[int], None] = lambda files: None,
) -> Iterator[Finding]:
    """What is wrong with files, release by release.

    `beside` are the pictures next to them: SHA-256 by path; `sizes` their width and height, where it is known.

    `seen` is told after each release how many files were looked at. Names over the whole collection are for
    `names.spellings`, files with the same sound for `duplicates.same_sound`.
    """
    done, known = 0, sizes or {}
    pictures: dict[str, dict[str, str]] = defaultdict(dict)
    for path, sha256 in beside.items():
        pictures[path.rpartition("/")[0]][path] = sha256
    for group in by_release(records):
        near = {path: sha256 for folder in {one.folder for one in group} for path, sha256 in pictures[folder].items()}
        release = Release(group, near, {path: known[path] for path in near if path in known})
        for look in _LOOKS:
            yield from look(release, house)
        done += len(group)
        seen(done)


def by_release(records: Iterable[Record]) -> Iterator[list[Record]]:
    """Files that belong together: a folder, its discs' folders with it; of a folder of everything, each album.

    A folder is a release that is badly tagged if its files have few albums for their number, and a heap otherwise.
    """
    folders: dict[str, list[Record]] = defaultdict(list)
    for one in records:
        folders[one.release_folder].append(one)
    for folder in sorted(folders):
        held = sorted(folders[folder], key=lambda one: one.path)
        albums: dict[str, list[Record]] = defaultdict(list)
        for one in held:
            albums[album_key(one["album"])].append(one)
        named = [key for key in albums if key]
        largest = max(len(group) for group in albums.values())
        if len(named) <= 1 or len(named) * 4 <= len(held) or largest >= _MOST_OF_IT * len(held):
            alone = [key for key in named if len(named) > 1 and _stands_alone(albums[key], largest)]
            yield from (albums[key] for key in alone)
            left = [one for one in held if album_key(one["album"]) not in alone]
            if _is_heap(left, named):
                yield from ([one] for one in left)
            elif left:
                yield left
            continue
        for key, group in albums.items():
            yield from [group] if key else ([one] for one in group)


def _stands_alone(group: Sequence[Record], largest: int) -> bool:
    """Whether an album that shares its folder with a larger one is whole: several files, numbered from 1 on."""
    numbers = sorted(int(one["track_number"]) for one in group if one["track_number"].isdecimal())
    return 1 < len(group) < largest and numbers == list(range(1, len(group) + 1))


def _is_heap(held: Sequence[Record], named: Sequence[str]) -> bool:
    """Files of one folder that nothing holds together: half of them without an album, of several artists or none."""
    without = sum(not one["album"] for one in held)
    artists = {one["artist"].casefold() for one in held}
    return without * 2 > len(held) and (len(artists) > 1 or not named)
