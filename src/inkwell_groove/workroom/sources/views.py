"""What the Sources stage and the shelf's look-up show."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from pydantic import Field

from inkwell_groove.core.matching.reconcile import Row, Rule
from inkwell_groove.core.matching.release import ArtRole
from inkwell_groove.core.matching.score import Reason, Verdict
from inkwell_groove.core.matching.ways import Way
from inkwell_groove.workroom.views import View

State = Literal["looking", "done", "cancelled", "broken off"]


class AskView(View):
    way: Way
    words: str


class SourceAnswerView(View):
    """How far a source is with its answer."""

    name: str
    state: Literal["asking", "answered", "no answer", "has no such question", "cancelled"]
    words: str
    found: int = 0
    oldest: datetime | None = Field(default=None, description="When the oldest answer was given that is kept here.")


class PairView(View):
    """A track here and one of a release; one of them may be missing."""

    track_key: str | None
    number: int | None = Field(description="Of the track here, on the whole docket.")
    title: str
    length_s: float | None = Field(description="Of the track here, as it should be: its speed undone.")
    place: int | None = Field(description="In the release, from 0.")
    position: str
    listed_title: str
    listed_s: float | None
    bonus: bool
    difference_s: float | None
    likeness: float = Field(ge=0, le=1, description="How likely these two are the same track.")


class EntryView(View):
    source: str
    address: str


class CandidateView(View):
    """A pressing that sources offer."""

    key: str = Field(description="The address of its leading entry.")
    likelihood: float
    reasons: list[Reason]
    entries: list[EntryView]
    artist: str
    title: str
    formats: list[str]
    country: str
    date: str
    labels: list[str]
    numbers: list[str]
    matrix: str
    track_count: int
    bonus_count: int
    pictures: int
    pairs: list[PairView]
    speed_ratio: float
    unlike_first: list[str] = Field(description="In what it differs from the likeliest, and where to look.")


class ChoiceView(View):
    """The pressing chosen, and its tracks laid on what is here."""

    entries: list[EntryView]
    artist: str
    title: str
    pairs: list[PairView]
    chosen_at: datetime
    chosen_by: str
    can_take_back: bool


class LookUpView(View):
    state: State
    asks: list[AskView]
    answers: list[SourceAnswerView]
    candidates: list[CandidateView]
    verdict: Verdict
    began_at: datetime
    began_by: str


class SourcesView(View):
    """The Sources stage of a docket."""

    sources: list[str] = Field(description="Whom there is to ask.")
    look_up: LookUpView | None
    choice: ChoiceView | None
    is_own: bool = Field(description="Whether this docket's description is in the archive's own catalogue.")


class ReconcileView(View):
    sources: list[str]
    rows: list[Row]
    rules: list[Rule]
    pairs: list[PairView]


class ArtView(View):
    """A picture that a source has."""

    source: str
    address: str
    role: ArtRole
    width_px: int
    height_px: int
    size_bytes: int
    is_square: bool
    is_chosen: bool = Field(description="Whether it belongs to the pressing chosen.")


class ChangeView(View):
    """A field that would be changed."""

    label: str
    before: str
    after: str


class ShelfLookUpLine(View):
    """An undescribed docket in the look-up of the whole shelf."""

    docket_id: int
    shelfmark: str
    format: str
    state: Literal["not asked", "waiting", "looking", "done", "cancelled", "broken off"]
    verdict: Verdict | None
    best: str
    likelihood: float | None
    reason: str
    chosen: bool
    changes: list[ChangeView] = Field(description="Of a sure one: what choosing it would change.")


class ShelfLookUpView(View):
    running: bool
    lines: list[ShelfLookUpLine]
