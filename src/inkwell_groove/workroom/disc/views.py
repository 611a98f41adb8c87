"""What is shown of drives and discs: frozen values, sent as they are."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from pydantic import Field

from inkwell_groove.core.disc.layout import GapChoice
from inkwell_groove.core.disc.reading import Phase
from inkwell_groove.core.disc.record import Gap, Grade, Opening, TrackRead, Verdict
from inkwell_groove.core.disc.toc import Toc
from inkwell_groove.workroom.views import JobView, Refusal, View


class DriveView(View):
    """A drive, the disc in it, and what is known of its offset."""

    id: str
    name: str
    node: str = Field(default="", description="The server that has it, where there are several.")
    is_image: bool = Field(default=False, description="It reads images of discs, so it has no offset.")
    disc: str | None
    toc: Toc | None
    offset_samples: int | None = Field(description="None while it is not known.")
    offset_from: str
    busy: bool = Field(description="Whether it is reading: the disc cannot be taken out.")


class DiscBesideView(View):
    """A disc that can be put into the drives of the server beside which it lies."""

    name: str
    scratched: bool
    wiped: bool
    in_drive: str | None
    node: str = ""


class DrivesView(View):
    drives: list[DriveView]
    discs: list[DiscBesideView]


class DiscTrackView(View):
    """One track of the disc, as it was best read so far. Number 0 is the hidden opening."""

    number: int
    title: str
    first_frame: int
    end_frame: int
    read: TrackRead | None
    read_id: int | None
    verdict: Verdict | None
    advice: str
    phase: Phase | None = Field(description="In the reading that is going on; none if it is not part of that.")


class DiscReadView(View):
    """One attempt at reading."""

    id: int
    drive: str
    state: Literal["reading", "read", "failed", "cancelled"]
    numbers: list[int] = Field(description="The tracks it reads, or was to read.")
    twice: bool
    offset_samples: int | None
    offset_from: str
    register_trouble: str
    told: bool = Field(description="Whether the witness register was told of it.")
    refusal: Refusal | None
    began_at: datetime
    began_by: str
    job: JobView | None = Field(description="While it is going on.")
    ejected: bool
    track_share: float
    current: int | None
    rereads: int


class DiscView(View):
    """A side of a compact disc: what is on it, and what the readings are worth together."""

    side_id: int
    name: str
    toc: Toc | None
    digest: str | None
    opening: Opening | None
    gaps: list[Gap]
    tracks: list[DiscTrackView]
    grade: Grade | None
    reads: list[DiscReadView]
    layout: GapChoice
    has_take: bool
    rebuilds: bool = Field(description="Whether the files make the disc again, sample for sample.")


class StripView(View):
    """The disc from its first frame to its lead-out in so many marks; `states` names what the numbers mean."""

    frames: int
    marks: list[int]
    states: list[str]
