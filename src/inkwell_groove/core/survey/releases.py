"""Checks of a release's files against each other."""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Iterator, Sequence

from inkwell_groove.core.files.derived import derive
from inkwell_groove.core.files.fields import BY_NAME
from inkwell_groove.core.files.naming import VARIOUS
from inkwell_groove.core.matching.texts import folded
from inkwell_groove.core.survey.finding import Finding, House, Record, Release, finding

# What all tracks of a release have alike. The date counts by its year: some sources know the day.
_ALIKE = ("album", "album_artist", "date", "genre", "label", "catalogue_number", "media", "compilation", "disc_total")
_MOST_SURE = 0.6  # from this share on, what most files say is offered for the rest
_LEADING_NUMBER = re.compile(r"^(\d{1,3})(?!\d)")
_MOST_SHOWN = 4


def clashes(release: Release, house: House) -> Iterator[Finding]:
    """Values that differ where a release has but one."""
    for name in _ALIKE:
        values = release.by_value(name)
        if name == "date":
            values = _by_year(values)
        if len(values) < 2 or (name == "album" and _discs_alone(values)):
            continue
        most, holders = next(iter(values.items()))
        others = [one for value, files in values.items() if value != most for one in files]
        sure = len(holders) >= _MOST_SURE * (len(holders) + len(others))
        offered = holders[0][name]
        told = [f"“{value}” {len(files)}" for value, files in values.items()]
        label = BY_NAME[name].label.lower()
        yield finding(
            f"clash of {name}",
            others if sure else release.files,
            f"{len(values)} values of {label} in one release",
            about="|".join(sorted(values)),
            evidence=", ".join(told[:_MOST_SHOWN]) + (" ..." if told[_MOST_SHOWN:] else ""),
            remedy={one.key: {name: offered} for one in others} if sure else None,
        )
    yield from _artists(release)


def _by_year(values: dict[str, list[Record]]) -> dict[str, list[Record]]:
    years: dict[str, list[Record]] = defaultdict(list)
    for value, files in values.items():
        years[value[:4]] += files
    return dict(sorted(years.items(), key=lambda pair: (-len(pair[1]), pair[0])))


def _discs_alone(values: dict[str, list[Record]]) -> bool:
    """Whether the albums differ by the number of a disc only, which a check of its own tells."""
    return len({one["album"] for files in values.values() for one in files}) > 1 and all(
        {"album", "disc_number"} & cells.keys()
        for cells in [derive(files, "discs").get(files[0].key, {}) for files in values.values()]
    )


def _artists(release: Release) -> Iterator[Finding]:
    """Artists that are not the album's, in a release that is no compilation."""
    for one in release.files:
        owner, artist = folded(one["album_artist"]), folded(one["artist"])
        if not owner or not artist or one["compilation"] or one["album_artist"] == VARIOUS:
            continue
        if owner not in artist and artist not in owner:
            yield finding(
                "clash of artist",
                [one],
                f"artist “{one['artist']}” on an album of “{one['album_artist']}”",
                evidence="no compilation, it says",
            )


def disc_names(release: Release, house: House) -> Iterator[Finding]:
    """The number of a disc in the album's name or the folder's, and no field that has it."""
    cells = {key: found for key, found in derive(release.files, "discs").items() if found}
    if cells:
        files = [one for one in release.files if one.key in cells]
        albums = sorted({one["album"] or one.folder.rsplit("/", 1)[-1] for one in files})
        yield finding(
            "discs in names",
            files,
            "the number of the disc lies in a name, not in its field",
            evidence=", ".join(albums[:_MOST_SHOWN]),
            remedy=cells,
        )


def numbering(release: Release, house: House) -> Iterator[Finding]:
    """Track numbers that are doubled, left out, above the total, or not in the order of the files' names."""
    discs: dict[tuple[str, str], list[Record]] = defaultdict(list)
    for one in release.files:
        discs[one.folder, one["disc_number"]].append(one)
    for (_, disc), files in sorted(discs.items()):
        numbers = {one.key: int(one["track_number"]) for one in files if one["track_number"].isdecimal()}
        if not numbers:
            continue
        where = f" on disc {disc}" if disc else ""
        numbered = [one for one in files if one.key in numbers]
        counts = Counter(numbers.values())
        if doubled := sorted(number for number, count in counts.items() if count > 1):
            twice = [one for one in numbered if counts[numbers[one.key]] > 1]
            yield finding("numbers doubled", twice, f"track {_listed(doubled)} more than once{where}")
        highest = max(counts)
        gaps = sorted(set(range(1, highest)) - set(counts))
        if gaps and len(numbered) == len(files) and highest <= 3 * len(files):
            yield finding("numbers left out", numbered, f"track {_listed(gaps)} of {highest} is not there{where}")
        totals = {int(one["track_total"]) for one in files if one["track_total"].isdecimal()}
        if totals and max(totals) < highest:
            yield finding(
                "numbers above total",
                numbered,
                f"track {highest} of {max(totals)}{where}",
                remedy={one.key: {"track_total": str(highest)} for one in numbered if one["track_total"]},
            )
        if not doubled:
            yield from _out_of_order(numbered, numbers, where)


def _out_of_order(files: Sequence[Record], numbers: dict[int, int], where: str) -> Iterator[Finding]:
    said = {one.key: int(found[1]) for one in files if (found := _LEADING_NUMBER.match(one.stem))}
    wrong = [one for one in files if one.key in said and said[one.key] % 100 != numbers[one.key] % 100]
    if wrong and len(said) == len(files):
        shown = ", ".join(f"{one.stem[:30]} is {numbers[one.key]}" for one in wrong[:3])
        yield finding("numbers out of order", wrong, f"names and track numbers differ{where}", evidence=shown)


def _listed(numbers: Sequence[int]) -> str:
    told = ", ".join(str(one) for one in numbers[:8])
    return told + (" ..." if len(numbers) > 8 else "")
