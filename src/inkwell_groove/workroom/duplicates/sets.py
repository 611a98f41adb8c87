"""What the collection holds more than once, as it is shown: copies, the one to keep first, and what is related."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping, Sequence
from itertools import combinations
from typing import Literal

from pydantic import Field
from sqlalchemy import select

from inkwell_groove.core.duplicates.edits import EditDifference
from inkwell_groove.core.duplicates.preferring import ALIKE, by_preference, why
from inkwell_groove.core.duplicates.relation import Relation
from inkwell_groove.core.search.words import words
from inkwell_groove.core.survey.fields import says_nothing
from inkwell_groove.store.models import SoundRelation
from inkwell_groove.workroom.duplicates.comparing import compared
from inkwell_groove.workroom.duplicates.sounds import Sound, all_sounds
from inkwell_groove.workroom.part import Part
from inkwell_groove.workroom.survey.sound_checks import unheard
from inkwell_groove.workroom.views import View

Kind = Literal["same sound", "same recording", "another edit", "another recording"]
ANOTHER_PRESSING = "another pressing"
_MOST = 200
_MOST_PLACES = 12  # of a set: in how many releases it may be for these to be compared
_OF_A_RELEASE = 0.6  # share of the shorter one's tracks that another has too


class CopyView(View):
    key: str
    name: str
    title: str
    artist: str
    what: str
    seconds: float
    listen: str
    docket_id: int | None
    bundle_id: int | None
    file_id: int | None
    reasons: list[str]
    proposed: bool = Field(default=False, description="Whether it is proposed to set this one aside.")


class SetView(View):
    """Copies of one recording, the one to keep first, each other with what speaks against it; or two related ones."""

    key: str
    kind: Kind
    copies: list[CopyView]
    words: str
    difference: EditDifference | None = None
    swapped: bool = False


class ReleasePair(View):
    """Two releases that have most of their tracks in common."""

    first: str
    second: str
    tracks: int
    of: int
    words: str


class DuplicatesView(View):
    heard: int
    unheard: int
    compared: int
    sets: list[SetView]
    counts: dict[str, int]
    releases: list[ReleasePair]


class Duplicates(Part):
    """Reading what the comparison found."""

    def view(self) -> DuplicatesView:
        with self._database.begin() as session:
            sounds: dict[str, list[Sound]] = defaultdict(list)
            for one in all_sounds(session, self._media):
                sounds[one.id].append(one)
            relations = {
                (row.first, row.second): Relation.model_validate(row.document)
                for row in session.scalars(select(SoundRelation))
                if row.first in sounds and row.second in sounds
            }
            left, pairs = unheard(session), compared(session)
        groups = _same(sounds, relations)
        sets = [found for group in groups if (found := _set(group, sounds, relations)) is not None]
        place = {one: number for number, group in enumerate(groups) for one in group}
        related = _related(place, sounds, relations)
        order = {"same sound": 0, "same recording": 1, "another edit": 2, "another recording": 3}
        shown = sorted([*sets, *related], key=lambda one: (order[one.kind], one.copies[0].artist, one.copies[0].name))
        return DuplicatesView(
            heard=sum(map(len, sounds.values())),
            unheard=left,
            compared=pairs,
            counts=Counter(s.kind for s in shown),
            sets=[one for kind in order for one in [each for each in shown if each.kind == kind][:_MOST]],
            releases=_releases(groups, sounds),
        )


def _same(sounds: Mapping[str, Sequence[Sound]], relations: Mapping[tuple[str, str], Relation]) -> list[list[str]]:
    """Sounds that are one recording, together; each by itself otherwise."""
    parent = {one: one for one in sounds}

    def root(one: str) -> str:
        while parent[one] != one:
            parent[one] = one = parent[parent[one]]
        return one

    for (first, second), relation in relations.items():
        if relation.kind == "same recording":
            parent[root(first)] = root(second)
    groups: dict[str, list[str]] = defaultdict(list)
    for one in sounds:
        groups[root(one)].append(one)
    return list(groups.values())


def _set(
    group: Sequence[str], sounds: Mapping[str, Sequence[Sound]], relations: Mapping[tuple[str, str], Relation]
) -> SetView | None:
    held = {one.copy.key: one for key in group for one in sounds[key]}
    if len(held) < 2:
        return None
    kept, *others = by_preference([one.copy for one in held.values()])
    views = [_copy(held[kept.key], [])]
    for other in others:
        one = held[other.key]
        relation = _between(held[kept.key], one, relations)
        # A record and its reissue are two things, whatever they have in common.
        is_kept_too = _pressing(held[kept.key].release, one.release).startswith(ANOTHER_PRESSING)
        reasons = ["of another pressing: it stays"] if is_kept_too else _because(why(kept, other))
        views.append(_copy(one, _told(relation) + reasons, proposed=not is_kept_too and one.file_id is not None))
    swapped = any(relations[pair].swapped for pair in combinations(sorted(group), 2) if pair in relations)
    kind: Kind = "same sound" if len(group) == 1 else "same recording"
    return SetView(
        key=kept.key,
        kind=kind,
        copies=views,
        swapped=swapped,
        words="the same samples" if kind == "same sound" else "one recording",
    )


def _because(reasons: Sequence[str]) -> list[str]:
    return [one if one == ALIKE else f"the first, because {one}" for one in reasons]


def _between(one: Sound, other: Sound, relations: Mapping[tuple[str, str], Relation]) -> Relation | None:
    return relations.get((min(one.id, other.id), max(one.id, other.id)))


def _told(relation: Relation | None) -> list[str]:
    """What is another about a copy: where it begins, how fast it runs."""
    if relation is None:
        return []
    told = []
    if abs(relation.likeness.offset_s) >= 0.1:
        told.append(f"begins {abs(relation.likeness.offset_s):.1f} s apart")
    if abs(relation.likeness.speed_ratio - 1.0) >= 0.001:
        ratio = max(relation.likeness.speed_ratio, 1 / relation.likeness.speed_ratio)
        told.append(f"one of them runs {100 * (ratio - 1):.1f} % faster")
    if relation.swapped:
        told.append("its channels are swapped against the other's")
    return told


def _related(
    place: Mapping[str, int], sounds: Mapping[str, Sequence[Sound]], relations: Mapping[tuple[str, str], Relation]
) -> list[SetView]:
    """Edits and other recordings: two recordings once, however many copies of each there are."""
    found: dict[tuple[int, int], SetView] = {}
    for (first, second), relation in relations.items():
        if relation.kind == "same recording" or place[first] == place[second]:
            continue
        key = min(place[first], place[second]), max(place[first], place[second])
        one, other = sounds[first][0], sounds[second][0]
        if relation.kind == "another recording" and not _is_one_title(one, other):
            continue  # met by a chord or two, and named otherwise: nobody takes them for the same
        if key in found and found[key].kind == "another edit":
            continue
        found[key] = SetView(
            key=f"{one.copy.key}|{other.copy.key}",
            kind=relation.kind,
            copies=[_copy(one, []), _copy(other, [])],
            difference=relation.difference,
            swapped=relation.swapped,
            words=_in_words(relation),
        )
    return list(found.values())


def _is_one_title(one: Sound, other: Sound) -> bool:
    title = words(one.title)
    return bool(title) and not says_nothing(one.title) and title == words(other.title)


def _in_words(relation: Relation) -> str:
    if relation.difference is None:
        return "the same title, another recording: another take, or another player"
    alone = [*relation.difference.only_first, *relation.difference.only_second]
    seconds = sum(one.length_s for one in alone)
    return f"another edit: {seconds:.0f} s in one of them only" if alone else "another edit: in another order"


def _copy(one: Sound, reasons: list[str], *, proposed: bool = False) -> CopyView:
    copy = one.copy
    form = f"{copy.rate_hz / 1000:g} kHz/{copy.bits}" if copy.lossless else f"{copy.bitrate_kbps} kbit/s"
    lossless = "lossless" if one.copy.lossless else "lossy"
    what = ", ".join([form, lossless, *(["sealed"] if one.copy.sealed else ["proven"] if one.copy.proven else [])])
    return CopyView(
        key=one.copy.key,
        name=one.copy.name,
        title=one.title,
        artist=one.artist,
        what=what,
        seconds=one.seconds,
        listen=one.listen,
        docket_id=one.docket_id,
        bundle_id=one.bundle_id,
        file_id=one.file_id,
        reasons=reasons,
        proposed=proposed,
    )


def _releases(groups: Iterable[Sequence[str]], sounds: Mapping[str, Sequence[Sound]]) -> list[ReleasePair]:
    """Releases of which most is in another one too, the largest first."""
    size: Counter[str] = Counter(one.place for held in sounds.values() for one in held)
    release = {one.place: one.release for held in sounds.values() for one in held}
    common: Counter[tuple[str, str]] = Counter()
    for group in groups:
        places = {one.place for key in group for one in sounds[key]}
        if 1 < len(places) <= _MOST_PLACES:
            common.update(combinations(sorted(places), 2))
    found = []
    for (first, second), tracks in common.most_common():
        smaller = min(size[first], size[second])
        if tracks >= 2 and tracks >= _OF_A_RELEASE * smaller:
            found.append(
                ReleasePair(
                    first=_named(release[first], first),
                    second=_named(release[second], second),
                    tracks=tracks,
                    of=smaller,
                    words=_pressing(release[first], release[second]),
                )
            )
    return found


def _pressing(one: tuple[str, str, str, str], other: tuple[str, str, str, str]) -> str:
    """Another pressing says another number, or another year; else it is the same release twice."""
    differ = [
        name
        for name, first, second in zip(("number", "date"), one[2:], other[2:], strict=True)
        if first and second and words(first) != words(second)
    ]
    return f"{ANOTHER_PRESSING}: another {' and '.join(differ)}" if differ else "the same release twice"


def _named(release: tuple[str, str, str, str], place: str) -> str:
    artist, album, number, date = release
    told = ", ".join(part for part in (artist, album, number, date[:4]) if part)
    return told or place.partition("|")[0].partition("/")[2] or place
