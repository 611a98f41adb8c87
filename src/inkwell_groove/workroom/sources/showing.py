"""From what was looked up to what is shown: candidates with reasons, and their tracks laid on what is here."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from typing import TypeVar

from inkwell_groove.core.matching.laying import Pair
from inkwell_groove.core.matching.release import SourceRelease
from inkwell_groove.core.matching.score import Scored, scored, telling_apart, verdict
from inkwell_groove.store.models import LookUp
from inkwell_groove.workroom.sources.views import (
    AskView,
    CandidateView,
    EntryView,
    LookUpView,
    PairView,
    SourceAnswerView,
)
from inkwell_groove.workroom.sources.wanting import Here

SHOWN = 40
Told = TypeVar("Told", str, tuple[str, ...])


def look_up_view(row: LookUp, known: Here) -> LookUpView:
    found = scored(known.wanted, [SourceRelease.model_validate(one) for one in row.releases])
    return LookUpView(
        state=row.state,
        asks=[AskView.model_validate(one) for one in row.asks],
        answers=[SourceAnswerView.model_validate(one) for one in row.answers],
        candidates=[candidate_view(one, found[0], known) for one in found[:SHOWN]],
        verdict=verdict(found),
        began_at=row.began_at,
        began_by=row.began_by,
    )


def candidate_view(one: Scored, first: Scored, known: Here) -> CandidateView:
    release = one.release
    others = [telling_apart(one.release, first.release)] if one is not first else []
    return CandidateView(
        key=release.address,
        likelihood=one.likelihood,
        reasons=list(one.reasons),
        entries=entry_views(one.entries),
        artist=release.artist,
        title=release.title,
        formats=list(release.formats),
        country=_first(entry.country for entry in one.entries),
        date=max((entry.date for entry in one.entries), key=len),
        labels=list(release.labels or one.entries[0].labels),
        numbers=list(_first(entry.catalogue_numbers for entry in one.entries)),
        matrix=_first(entry.matrix for entry in one.entries),
        track_count=len(release.tracks),
        bonus_count=sum(track.bonus for track in release.tracks),
        pictures=sum(len(entry.art) for entry in one.entries),
        pairs=pair_views(one.pairs, known, release),
        speed_ratio=one.speed_ratio,
        unlike_first=[words for told in others for words in told],
    )


def entry_views(entries: Sequence[SourceRelease]) -> list[EntryView]:
    return [EntryView(source=one.source, address=one.address) for one in entries]


def pair_views(pairs: Sequence[Pair], known: Here, release: SourceRelease) -> list[PairView]:
    """Pairs with what stands on both of their sides. Without tracks here the release's own are listed."""
    if not known.lines and not pairs:
        pairs = [Pair(here=None, listed=place) for place in range(len(release.tracks))]
    return [_pair_view(one, known, release) for one in pairs]


def _pair_view(pair: Pair, known: Here, release: SourceRelease) -> PairView:
    line = known.lines[pair.here] if pair.here is not None else None
    told = known.wanted.tracks[pair.here] if pair.here is not None else None
    listed = release.tracks[pair.listed] if pair.listed is not None else None
    both = line is not None and listed is not None
    return PairView(
        track_key=line.key if line else None,
        number=line.number if line else None,
        title=line.title if line else "",
        length_s=told.duration_s if told else None,
        place=pair.listed,
        position=listed.position if listed else "",
        listed_title=listed.title if listed else "",
        listed_s=listed.duration_s if listed else None,
        bonus=listed.bonus if listed else False,
        difference_s=pair.difference_s,
        likeness=1 / (1 + math.exp(-max(-30.0, min(30.0, pair.worth)))) if both else 0.0,
    )


def _first(values: Iterable[Told]) -> Told:
    """The first that says something, or what the last says."""
    told = list(values)
    return next((one for one in told if one), told[-1])
