"""How likely a release is the one at hand, and what speaks for it and against it.

Each thing that is known of both adds a log likelihood ratio: how much oftener it is so when they are the same release
than when they are two of those a source offers for one query. Likelihoods of all candidates of a query together come to
at most one, with a share for the release that no source has (Bayes' rule over candidates). The ratios are written here
as a table; `benchmarks/matching` holds the likelihoods against the truth.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.matching.grouping import Group, grouped
from inkwell_groove.core.matching.laying import Known, Pair, laid_on
from inkwell_groove.core.matching.release import SourceRelease
from inkwell_groove.core.matching.texts import likeness
from inkwell_groove.core.numbers import catalogue_likeness

# How much of its ratio each thing is worth beside the others, for they are not independent; and of the candidates that
# a query brings most are others, while "no source has it" weighs 0. Fitted by `benchmarks/matching --fit`
# (what fits with next to nothing is given a twentieth, so that it decides where nothing else does).
MATTERS: dict[str, float] = {
    "catalogue number for": 0.38,
    "catalogue number against": 0.05,
    "barcode for": 0.27,
    "title for": 0.05,
    "title against": 0.86,
    "artist for": 0.32,
    "artist against": 2.31,
    "label for": 0.74,
    "label against": 3.0,
    "format for": 2.05,
    "format against": 3.0,
    "year for": 0.44,
    "year against": 2.18,
    "country for": 0.63,
    "country against": 3.0,
    "track count for": 0.05,
    "track count against": 0.05,
    "lengths for": 0.05,
    "lengths against": 0.91,
    "odd length for": 2.69,
    "odd length against": 0.47,
    "sides for": 0.05,
    "sides against": 3.0,
    "disc for": 0.05,
    "disc against": 0.29,
    "sound for": 0.12,
}
PRIOR = -0.31
# Called sure from here on: on the releases of the fit, 99.1 % are right from 0.99 on and 99.6 % from 0.995.
SURE, POSSIBLE = 0.993, 0.03
CLOSE_S, ODD_S = 1.3, 2.2  # lengths this near are the same; one this far off is another


class Wanted(BaseModel):
    """What is known of the carrier at hand; nothing of it is needed."""

    model_config = ConfigDict(frozen=True)

    catalogue_number: str = ""
    barcode: str = ""
    artist: str = ""
    title: str = ""
    label: str = ""
    year: str = ""
    country: str = ""
    format: str = Field(default="", description="Of the carrier: LP, 7-inch single, CD ...")
    sides: tuple[int, ...] = Field(default=(), description="How many tracks are on each side or disc.")
    tracks: tuple[Known, ...] = ()
    speed_ratio: float | None = Field(default=None, description="How much too fast it ran; none where nothing tells.")
    toc_digests: tuple[str, ...] = Field(default=(), description="Of the carriers that are compact discs.")
    heard: dict[str, float] = Field(
        default={}, description="By a release's address: bit error rate of the fingerprint, where the sound was found."
    )


class Reason(BaseModel):
    """One thing that speaks for a release, or against it, in words, with its log likelihood ratio."""

    model_config = ConfigDict(frozen=True)

    about: str
    words: str
    weight: float


Verdict = Literal["sure", "to be looked at", "nothing found"]


class Scored(BaseModel):
    """A candidate with its likelihood and the reasons, the weightiest first.

    `entries` are what the sources say of this one pressing; `release` is the one of them that says most of its tracks,
    which is the one that `pairs` lay on what is here.
    """

    model_config = ConfigDict(frozen=True)

    release: SourceRelease
    entries: tuple[SourceRelease, ...]
    likelihood: float = Field(ge=0, le=1)
    weight: float
    reasons: tuple[Reason, ...]
    pairs: tuple[Pair, ...] = ()
    speed_ratio: float = 1.0


def scored(wanted: Wanted, releases: Sequence[SourceRelease]) -> tuple[Scored, ...]:
    """Every pressing with its likelihood, the likeliest first. Their likelihoods together come to less than one."""
    weighed = [_weighed(wanted, group) for group in grouped(releases)]
    highest = max([0.0, *(one.weight for one in weighed)])
    shares = [math.exp(one.weight - highest) for one in weighed]
    whole = sum(shares) + math.exp(-highest)
    found = [one.model_copy(update={"likelihood": share / whole}) for one, share in zip(weighed, shares, strict=True)]
    return tuple(sorted(found, key=lambda one: -one.weight))


def matters_as(reason: Reason) -> str:
    """Under which name a reason is weighed: speaking for a pressing it is worth another share than against."""
    return f"{reason.about} {'for' if reason.weight > 0 else 'against'}"


def verdict(found: Sequence[Scored]) -> Verdict:
    """What is to be done with a query's candidates: take the first, choose among them, or ask elsewhere."""
    if not found or found[0].likelihood < POSSIBLE:
        return "nothing found"
    return "sure" if found[0].likelihood >= SURE else "to be looked at"


def _weighed(wanted: Wanted, group: Group) -> Scored:
    """One pressing, without its likelihood. Of each thing the entry counts that says it most decidedly."""
    laid = {one.address: _laid(wanted, one) for one in group}
    decided: dict[str, Reason] = {}
    for one in group:
        for reason in _reasons(wanted, one, *laid[one.address]):
            if reason.about not in decided or abs(reason.weight) > abs(decided[reason.about].weight):
                decided[reason.about] = reason
    release = max(group, key=_told_of)
    pairs, speed = laid[release.address]
    return Scored(
        release=release,
        entries=group,
        likelihood=0.0,
        weight=PRIOR + sum(MATTERS.get(matters_as(one), 1.0) * one.weight for one in decided.values()),
        reasons=tuple(sorted(decided.values(), key=lambda one: -abs(one.weight))),
        pairs=pairs,
        speed_ratio=speed,
    )


def _told_of(release: SourceRelease) -> tuple[int, int]:
    """How many lengths an entry gives, and how much else it says."""
    timed = sum(track.duration_s is not None for track in release.tracks)
    said = (release.labels, release.catalogue_numbers, release.matrix, release.country, release.date, release.genres)
    return timed, sum(bool(one) for one in said)


def listed(release: SourceRelease) -> tuple[Known, ...]:
    """A release's tracks, as what is known of them."""
    return tuple(Known(duration_s=track.duration_s, title=track.title) for track in release.tracks)


def _laid(wanted: Wanted, release: SourceRelease) -> tuple[tuple[Pair, ...], float]:
    if not wanted.tracks:
        return (), wanted.speed_ratio or 1.0
    return laid_on(wanted.tracks, listed(release), speed_ratio=wanted.speed_ratio)


def _reasons(wanted: Wanted, release: SourceRelease, pairs: tuple[Pair, ...], speed: float) -> list[Reason]:
    reasons = [
        *_numbers(wanted, release),
        *_texts(wanted, release),
        *_form(wanted, release),
        *_tracks(wanted, release, pairs, speed),
    ]
    if wanted.toc_digests and release.toc_digests:
        same = bool(set(wanted.toc_digests) & set(release.toc_digests))
        words = "its table of contents is this disc's" if same else "it has other tables of contents"
        reasons.append(Reason(about="disc", words=words, weight=7.0 if same else -3.0))
    if release.address in wanted.heard:
        rate = wanted.heard[release.address]
        words = f"its sound was recognised, {rate:.0%} of the bits differ"
        reasons.append(Reason(about="sound", words=words, weight=5.0 if rate < 0.25 else 3.0))
    return reasons


def _numbers(wanted: Wanted, release: SourceRelease) -> list[Reason]:
    reasons = []
    if wanted.barcode and release.barcode:
        same = wanted.barcode == release.barcode
        words = f"barcode {release.barcode}" + ("" if same else f", not {wanted.barcode}")
        reasons.append(Reason(about="barcode", words=words, weight=6.0 if same else -4.0))
    if wanted.catalogue_number and release.catalogue_numbers:
        like, number = max((catalogue_likeness(wanted.catalogue_number, one), one) for one in release.catalogue_numbers)
        words = f"catalogue number {number}" + ("" if like == 1.0 else f", {wanted.catalogue_number} is wanted")
        weight = {1.0: 4.5, 0.9: 2.5}.get(like, -3.5)
        reasons.append(Reason(about="catalogue number", words=words, weight=weight))
    return reasons


def _texts(wanted: Wanted, release: SourceRelease) -> list[Reason]:
    reasons = []
    for about, one, other, most in (
        ("artist", wanted.artist, release.artist, 2.0),
        ("title", wanted.title, release.title, 3.0),
        ("label", wanted.label, ", ".join(release.labels), 1.0),
    ):
        if one and other:
            like = likeness(one, other)
            if about == "title" and not wanted.artist:
                # Words that nobody said of are title or artist may be both.
                like = max(like, likeness(one, f"{release.artist} {other}"))
            weight = most if like > 0.95 else most * (like - 0.7) / 0.25 if like > 0.7 else -0.8 * most
            words = f"{about} {other}" + ("" if like == 1.0 else f", {like:.0%} like {one}")
            reasons.append(Reason(about=about, words=words, weight=weight))
    return reasons


def _form(wanted: Wanted, release: SourceRelease) -> list[Reason]:
    reasons = []
    if wanted.format and release.formats:
        same = any(
            likeness(wanted.format, one) > 0.6 or wanted.format.casefold() in one.casefold() for one in release.formats
        )
        words = f"{', '.join(release.formats)}" + ("" if same else f", this is {wanted.format}")
        reasons.append(Reason(about="format", words=words, weight=0.8 if same else -3.0))
    if wanted.year and release.date:
        apart = abs(int(wanted.year[:4]) - int(release.date[:4]))
        words = f"of {release.date}" + ("" if not apart else f", {apart} years from {wanted.year}")
        reasons.append(Reason(about="year", words=words, weight=1.5 if not apart else -0.5 if apart == 1 else -2.0))
    if wanted.country and release.country:
        same = wanted.country == release.country
        words = release.country + ("" if same else f", not {wanted.country}")
        reasons.append(Reason(about="country", words=words, weight=0.7 if same else -1.5))
    return reasons


def _tracks(wanted: Wanted, release: SourceRelease, pairs: tuple[Pair, ...], speed: float) -> list[Reason]:
    if not wanted.tracks:
        return []
    reasons = []
    both = [pair for pair in pairs if pair.here is not None and pair.listed is not None]
    timed = [pair for pair in both if pair.difference_s is not None]
    only_listed = [pair.listed for pair in pairs if pair.here is None and pair.listed is not None]
    only_here = [pair.here for pair in pairs if pair.listed is None and pair.here is not None]
    count = len(release.tracks)
    if only_listed or only_here:
        bonus = any(release.tracks[place].bonus for place in only_listed)
        parts = []
        if only_listed:
            parts.append(f"{len(only_listed)} tracks{' (bonus)' if bonus else ''} that are not here")
        if only_here:
            parts.append(f"{len(only_here)} here that it has not")
        words = f"{count} tracks, " + " and ".join(parts)
        reasons.append(
            Reason(about="track count", words=words, weight=max(-8.0, -3.0 * (len(only_listed) + len(only_here))))
        )
    else:
        reasons.append(Reason(about="track count", words=f"{count} tracks, as here", weight=1.5))
    if timed:
        worst = max(timed, key=lambda pair: abs(pair.difference_s or 0.0))
        apart = worst.difference_s or 0.0
        middle = sorted(abs(pair.difference_s or 0.0) for pair in timed)[len(timed) // 2]
        weight = max(-15.0, sum(pair.worth - 0.3 for pair in timed) / max(1.0, len(timed) ** 0.5))
        words = (
            f"lengths {middle:.1f} s apart in the middle, at most {abs(apart):.1f} s, in track {_name(release, worst)}"
        )
        if speed != 1.0:
            words += f", at {speed:.3f} times the speed"
        reasons.append(Reason(about="lengths", words=words, weight=weight))
        reasons += _odd_one(release, worst, middle, len(timed), len(wanted.tracks))
    if wanted.sides and len(release.media) == len(wanted.sides):
        same = tuple(len(medium.tracks) for medium in release.media) == wanted.sides
        divided = " + ".join(str(len(medium.tracks)) for medium in release.media)
        here = " + ".join(str(one) for one in wanted.sides)
        words = f"divided {divided}" + ("" if same else f", here {here}")
        reasons.append(Reason(about="sides", words=words, weight=1.0 if same else -2.5))
    return reasons


def _odd_one(release: SourceRelease, worst: Pair, middle_s: float, timed: int, tracks: int) -> list[Reason]:
    """One length that is off while all others fit is what a repressing looks like; none at all speaks for this one."""
    apart = abs(worst.difference_s or 0.0)
    if timed < 2 or timed < tracks or middle_s > CLOSE_S:
        return []
    if apart > ODD_S:
        words = f"only track {_name(release, worst)} is {apart:.1f} s off: perhaps another pressing"
        return [Reason(about="odd length", words=words, weight=-2.0 if apart < 2 * ODD_S else -3.0)]
    if apart < CLOSE_S:
        return [Reason(about="odd length", words="no length is off", weight=1.0)]
    return []


def _name(release: SourceRelease, pair: Pair) -> str:
    return release.tracks[pair.listed or 0].position


def telling_apart(one: SourceRelease, other: SourceRelease) -> tuple[str, ...]:
    """In what two pressings differ, in words: what to look at on the carrier to tell them apart."""
    told = []
    for about, left, right, hint in (
        (
            "catalogue number",
            ", ".join(one.catalogue_numbers),
            ", ".join(other.catalogue_numbers),
            "on label and spine",
        ),
        ("label", ", ".join(one.labels), ", ".join(other.labels), "on the label"),
        ("matrix number", one.matrix, other.matrix, "in the run-out"),
        ("barcode", one.barcode, other.barcode, "on the back"),
        ("country", one.country, other.country, "where it was made"),
        ("date", one.date, other.date, "on the back or the label"),
        ("format", ", ".join(one.formats), ", ".join(other.formats), "the carrier itself"),
    ):
        if left and right and left != right:
            told.append(f"{about}: {left} or {right} ({hint})")
    if len(one.tracks) != len(other.tracks):
        told.append(f"number of tracks: {len(one.tracks)} or {len(other.tracks)}")
    else:
        for first, second in zip(one.tracks, other.tracks, strict=True):
            if first.duration_s and second.duration_s and abs(first.duration_s - second.duration_s) > 2.0:
                told.append(
                    f"length of track {first.position}: {_clock(first.duration_s)} or {_clock(second.duration_s)}"
                )
            elif likeness(first.title, second.title) < 0.8:
                told.append(f"track {first.position}: {first.title} or {second.title}")
    return tuple(told)


def _clock(seconds: float) -> str:
    return f"{round(seconds) // 60}:{round(seconds) % 60:02}"
