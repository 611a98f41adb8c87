"""Checks of pictures, within files and beside them."""

from __future__ import annotations

import posixpath
from collections import defaultdict
from collections.abc import Iterable, Iterator

from inkwell_groove.core.artwork import SMALL_PIXELS
from inkwell_groove.core.files.house import BESIDE_NAMES, breaks
from inkwell_groove.core.files.reading import PictureFacts
from inkwell_groove.core.survey.finding import Finding, House, Record, Release, finding

_SQUARE_WITHIN = 0.02
_RULES = {  # what of the house's rule is broken, by a word of what `breaks` says
    "pixels": "pictures too large",
    "kB": "pictures too large",
    "lies beside": "picture not beside",
    "no front is embedded": "picture not embedded",
    "called the front": "picture not embedded",
    "are embedded": "pictures embedded",
}


def pictures(release: Release, house: House) -> Iterator[Finding]:
    """Whether each file has a front, of a shape and size that will do, and as the house's rule wants it."""
    fronts: dict[str, list[Record]] = defaultdict(list)
    broken: dict[tuple[str, str], list[Record]] = defaultdict(list)
    for one in release.files:
        if one.problem:
            continue
        embedded = [PictureFacts.model_construct(**each) for each in one.facts.get("pictures", [])]
        beside = _beside(release, one.folder)
        front = next((each for each in embedded if each.role == "front"), None)
        if not embedded and not beside:
            if house.art.embed != "none" or house.art.beside:
                broken["no picture", "no picture, within or beside"].append(one)
            continue
        for words in breaks(house.art, embedded, beside=house.art.beside_name in beside):
            check = next((check for word, check in _RULES.items() if word in words), "")
            if check:
                broken[check, words].append(one)
        shown = posixpath.join(one.folder, _front_beside(beside)) if beside else ""
        if front is None and (size := release.sizes.get(shown)):
            for check, words in _shape(*size):
                broken[check, f"{words}, beside"].append(one)
        if front is not None:
            fronts[front.sha256].append(one)
            for check, words in _shape(front.width_px, front.height_px):
                broken[check, words].append(one)
            if beside and front.sha256 not in beside.values():
                broken["pictures differ", "the picture beside is another than the one within"].append(one)
    for (check, words), files in broken.items():
        yield finding(check, files, words, action="" if check in ("no picture", "picture too small") else "pictures")
    if len(fronts) > 1:
        counted = sorted(fronts.values(), key=len, reverse=True)
        others = [one for files in counted[1:] for one in files]
        yield finding(
            "pictures clash",
            others,
            f"{len(fronts)} fronts in one release",
            about="|".join(sorted(fronts)),
            evidence=f"in {', '.join(str(len(files)) for files in counted)} files",
        )


def _beside(release: Release, folder: str) -> dict[str, str]:
    """Fronts that lie in a folder, by name."""
    found = {}
    for path, sha256 in release.beside.items():
        name = posixpath.basename(path)
        if posixpath.dirname(path) == folder and posixpath.splitext(name)[0].casefold() in BESIDE_NAMES:
            found[name] = sha256
    return found


def _front_beside(beside: Iterable[str]) -> str:
    """The likeliest of the usual names under which a front lies beside."""
    return min(beside, key=lambda name: BESIDE_NAMES.index(posixpath.splitext(name)[0].casefold()))


def _shape(width: int, height: int) -> Iterator[tuple[str, str]]:
    if not width:
        yield "pictures unreadable", "the front cannot be read as a picture"
        return
    if min(width, height) < SMALL_PIXELS:
        yield "picture too small", f"the front has {width} x {height} pixels"
    if abs(width - height) > _SQUARE_WITHIN * max(width, height):
        yield "pictures not square", f"the front is not square: {width} x {height}"
