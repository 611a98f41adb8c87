"""The edits an archivist makes to a plan, as data: what the API takes, what the history tells, and how each is done."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from inkwell_groove.core.errors import Missing, Refused
from inkwell_groove.core.planning import moves
from inkwell_groove.core.planning.plan import Edge, Gaps, Plan
from inkwell_groove.core.restoration.starting import StartingPoint
from inkwell_groove.core.restoration.steps import Clicks, HandRepair, Restoration, Verdict

_NEW_TRACK_S = 30
_LONGEST_FILLED_S = 0.1


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


class AddTrack(_Edit):
    """A stretch becomes a track of its own; others lose what they have of it."""

    op: Literal["add track"]
    from_sample: int
    to_sample: int


class CloseJoin(_Edit):
    """The track before ends where this one starts, both at a sample."""

    op: Literal["close join"]
    track_key: str
    at_sample: int


class SignOff(_Edit):
    """The join before a track was heard and is right, or is to be heard again. The last end of a side is one too."""

    op: Literal["sign off"]
    track_key: str
    edge: Edge = "start"
    signed: bool = True


class SetMargins(_Edit):
    """How much quiet is kept before and after each track, and whether cuts are faded. In milliseconds."""

    op: Literal["set margins"]
    lead_ms: int = Field(ge=0, le=10_000)
    tail_ms: int = Field(ge=0, le=10_000)
    fade_ms: int = Field(ge=0, le=2_000)


class SetGaps(_Edit):
    """Whether gaps are kept at the end of the track before."""

    op: Literal["set gaps"]
    gaps: Gaps


class Restore(_Edit):
    """All that is done to the side's sound, as it is to be from now on. `saying` is for the history."""

    op: Literal["restore"]
    restoration: Restoration
    saying: str = Field(default="restoration changed", min_length=1, max_length=120)


class BeginFrom(_Edit):
    """The steps of a starting point, with the amount that the side proposes; what was decided by hand is kept."""

    op: Literal["begin from"]
    point: StartingPoint
    proposed: float = Field(ge=0, le=100)


class Judge(_Edit):
    """What a person says of places the scan found: mended or left, whatever the amount; or nothing any more."""

    op: Literal["judge"]
    verdicts: tuple[Verdict, ...] = Field(default=(), max_length=5_000)
    forget: tuple[tuple[int, int], ...] = Field(default=(), description="Samples of which nothing is said any more.")


class MendByHand(_Edit):
    """A stretch mended by hand; one with a key that is there already takes its place."""

    op: Literal["mend by hand"]
    repair: HandRepair


class LeaveByHand(_Edit):
    """A repair by hand taken back."""

    op: Literal["leave by hand"]
    repair_key: str


PlanEdit = Annotated[
    MoveEdge
    | MoveJoin
    | AddJoin
    | AddTrack
    | RemoveJoin
    | RemoveTrack
    | CloseJoin
    | SignOff
    | SetGaps
    | SetMargins
    | BeginFrom
    | Judge
    | MendByHand
    | LeaveByHand
    | Restore,
    Field(discriminator="op", title="PlanEdit"),
]


def apply(plan: Plan, edit: PlanEdit, *, rate_hz: int, new_key: Callable[[], str], who: str) -> Plan:
    """The plan after an edit. Raises Missing for an unknown track, Refused where it cannot be done."""
    match edit:
        case MoveEdge():
            return moves.move_edge(plan, edit.track_key, edit.edge, edit.to_sample, carry=edit.carry)
        case MoveJoin():
            return moves.move_join(plan, edit.track_key, edit.by_samples, carry=edit.carry)
        case AddJoin():
            return moves.split(plan, edit.at_sample, new_key, track_samples=_NEW_TRACK_S * rate_hz)
        case RemoveJoin():
            return moves.remove_join(plan, edit.track_key)
        case RemoveTrack():
            return moves.remove_track(plan, edit.track_key)
        case AddTrack():
            return moves.add_track(plan, edit.from_sample, edit.to_sample, new_key)
        case CloseJoin():
            return moves.close_join(plan, edit.track_key, edit.at_sample)
        case SignOff():
            return moves.sign_off(plan, edit.track_key, edit.edge, who if edit.signed else None)
        case SetGaps():
            return plan.model_copy(update={"gaps": edit.gaps})
        case Restore():
            return plan.model_copy(update={"restoration": edit.restoration})
        case BeginFrom():
            begun = edit.point.with_amount(edit.proposed, plan.restoration)
            return plan.model_copy(update={"restoration": begun})
        case Judge() | MendByHand() | LeaveByHand():
            return plan.model_copy(update={"restoration": _repaired(plan, edit, rate_hz)})
        case SetMargins():
            lead, tail, fade = (round(ms * rate_hz / 1000) for ms in (edit.lead_ms, edit.tail_ms, edit.fade_ms))
            return plan.model_copy(update={"lead_samples": lead, "tail_samples": tail, "fade_samples": fade})


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
        case AddTrack():
            return "track made of a selection"
        case CloseJoin():
            return f"tracks {number - 1} and {number} closed up"
        case SignOff():
            which = f"join before track {number}" if edit.edge == "start" else f"end of track {number}"
            return f"{which} {'signed off' if edit.signed else 'to be heard again'}"
        case SetGaps():
            return f"gaps {edit.gaps}"
        case Restore():
            return edit.saying
        case BeginFrom():
            return f"begun from {edit.point.name}"
        case Judge():
            return _judged_in_words(edit)
        case MendByHand():
            return f"mended by hand: {edit.repair.how}"
        case LeaveByHand():
            return "repair by hand taken back"
        case SetMargins():
            return f"{edit.lead_ms} ms kept before, {edit.tail_ms} ms after, cuts faded over {edit.fade_ms} ms"


def _repaired(plan: Plan, edit: Judge | MendByHand | LeaveByHand, rate_hz: int) -> Restoration:
    asked = plan.restoration
    if isinstance(edit, Judge):
        clicks = (asked.clicks or Clicks(amount=0, kinds=())).judged(edit.verdicts)
        for start, end in edit.forget:
            clicks = clicks.unjudged(start, end)
        return asked.model_copy(update={"clicks": clicks})
    if isinstance(edit, MendByHand):
        if edit.repair.end > plan.take_samples:
            raise Refused(
                f"samples {edit.repair.start} to {edit.repair.end} are not in this take",
                where="repair by hand",
                remedy=f"It has {plan.take_samples}",
            )
        if edit.repair.how == "interpolate" and edit.repair.end - edit.repair.start > _LONGEST_FILLED_S * rate_hz:
            raise Refused(
                f"{(edit.repair.end - edit.repair.start) / rate_hz:.2f} s are too long to be filled from beside",
                where="repair by hand",
                remedy=f"Select at most {_LONGEST_FILLED_S:g} s, or make it softer",
            )
        kept = [one for one in asked.by_hand if one.key != edit.repair.key]
        return asked.model_copy(update={"by_hand": (*kept, edit.repair)})
    if all(one.key != edit.repair_key for one in asked.by_hand):
        raise Missing(f"there is no repair by hand {edit.repair_key}", remedy="Reload the side")
    return asked.model_copy(update={"by_hand": tuple(one for one in asked.by_hand if one.key != edit.repair_key)})


def _judged_in_words(edit: Judge) -> str:
    if not edit.verdicts:
        return "repairs left to the amount again"
    mended = sum(one.mend for one in edit.verdicts)
    left = len(edit.verdicts) - mended
    told = ((mended, "accepted"), (left, "refused"))
    return ", ".join(f"{count} repair{'s' if count > 1 else ''} {word}" for count, word in told if count)
