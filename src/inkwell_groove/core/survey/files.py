"""Checks of files themselves: whether they can be read, where they lie, what is known of their sound."""

from __future__ import annotations

import posixpath
from collections.abc import Iterator

from inkwell_groove.core.errors import Refused
from inkwell_groove.core.files.derived import DISC_FOLDER
from inkwell_groove.core.survey.finding import Finding, House, Release, finding

_LOSSLESS = ("FLAC", "WAV", "AIFF")


def readable(release: Release, house: House) -> Iterator[Finding]:
    for one in release.files:
        if one.problem:
            yield finding("unreadable", [one], one.problem)


def there(release: Release, house: House) -> Iterator[Finding]:
    for one in release.files:
        if one.facts.get("gone"):
            yield finding(
                "gone",
                [one],
                "the file is gone from its folder",
                evidence="put it back, or look at the folder again, on Files",
            )


def unknown_file(path: str) -> Finding:
    """Sound that lies in a folder and was not brought in with it. `path` begins with the folder's number."""
    place, _, name = path.rpartition("/")
    return Finding(
        check="unknown",
        about=path,
        place=DISC_FOLDER.sub("", place),
        files=(),
        words=f"nobody knows “{name}”",
        evidence="look at the folder again, on Files, and it is brought in",
    )


def filed(release: Release, house: House) -> Iterator[Finding]:
    """Files whose path is not what the house's filing pattern makes of their tags."""
    if house.naming is None:
        return
    for one in release.files:
        # The first part is the folder that was brought in, which no pattern names.
        inside = one.path.partition("/")[2]
        try:
            wanted = house.naming.path_for(one.fields, posixpath.splitext(one.path)[1])
        except Refused:
            continue
        if not one.problem and wanted != inside:
            yield finding(
                "not filed",
                [one],
                f"not filed by the pattern “{house.naming.name or house.naming.pattern}”",
                about=f"{inside}|{wanted}",
                evidence=f"“{wanted}”",
                remedy={one.key: {"path": wanted}},
            )


def silence(release: Release, house: House) -> Iterator[Finding]:
    for one in release.files:
        tail_s = float(one.facts.get("silent_tail_s", 0.0))
        if tail_s >= house.silence_s:
            can = one.facts.get("format") in _LOSSLESS
            yield finding(
                "silence at the end",
                [one],
                f"{tail_s:.0f} s of silence at the end",
                remedy={one.key: {"silence": "take off"}} if can else None,
            )


def silence_before(release: Release, house: House) -> Iterator[Finding]:
    """Of files that were listened to. It is not taken off by itself: what is before the first sound may be wanted."""
    for one in release.files:
        head_s = float(one.facts.get("silent_head_s", 0.0))
        if head_s >= house.silence_s:
            yield finding("silence at the beginning", [one], f"{head_s:.0f} s of silence at the beginning")
