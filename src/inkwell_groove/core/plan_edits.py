"""The edits an archivist makes to a plan, as data: what the API takes, what the history tells, and how each is done."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core import plan as plans
from inkwell_groove.core.plan import Edge, Plan

_NEW_TRACK_S = 30


class _Edit(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class MoveEdge(_Edit):
    """One end of a track to a sample; with `carry` all later ends move by the same amount."""

    op: Literal["move edge"]
    track_key: str
    edge: Edge
    to_sample: int
    carry: bool = False


class MoveJoin(_Edit):
    """The whole join before a track, gap and all, by some samples."""

    op: Literal["move join"]
    track_key: str
    by_samples: int
    carry: bool = False


class AddJoin(_Edit):
    """A new join inside a track, or a new track outside all of them."""

    op: Literal["add join"]
    at_sample: int


class RemoveJoin(_Edit):
    """The join before a track goes, and the two become one."""

    op: Literal["remove join"]
    track_key: str


class RemoveTrack(_Edit):
    """A track goes; its sound is left outside."""

    op: Literal["remove track"]
    track_key: str


class SetGaps(_Edit):
    """Whether gaps are kept at the end of the track before."""

    op: Literal["set gaps"]
    gaps: Literal["kept", "left out"]


PlanEdit = Annotated[
    MoveEdge | MoveJoin | AddJoin | RemoveJoin | RemoveTrack | SetGaps, Field(discriminator="op", title="PlanEdit")
]


def apply(plan: Plan, edit: PlanEdit, *, rate_hz: int, new_key: Callable[[], str]) -> Plan:
    """The plan after an edit. Raises Missing for an unknown track, Refused where it cannot be done."""
    match edit:
        case MoveEdge():
            return plans.move_edge(plan, edit.track_key, edit.edge, edit.to_sample, carry=edit.carry)
        case MoveJoin():
            return plans.move_join(plan, edit.track_key, edit.by_samples, carry=edit.carry)
        case AddJoin():
            return plans.split(plan, edit.at_sample, new_key, track_samples=_NEW_TRACK_S * rate_hz)
        case RemoveJoin():
            return plans.remove_join(plan, edit.track_key)
        case RemoveTrack():
            return plans.remove_track(plan, edit.track_key)
        case SetGaps():
            return plan.model_copy(update={"gaps": edit.gaps})


def in_words(plan: Plan, edit: PlanEdit) -> str:
    """What an edit does to this plan, for the history and the ledger."""
    number = plan.index_of(edit.track_key) + 1 if hasattr(edit, "track_key") else 0
    match edit:
        case MoveEdge():
            return f"{edit.edge} of track {number} moved{' and the rest carried' if edit.carry else ''}"
        case MoveJoin():
            return f"join before track {number} moved{' and the rest carried' if edit.carry else ''}"
        case AddJoin():
            return "join added"
        case RemoveJoin():
            return f"join before track {number} removed"
        case RemoveTrack():
            return f"track {number} removed"
        case SetGaps():
            return f"gaps {edit.gaps}"
