"""Jobs in pieces: a long job is divided into jobs of its own, which all workers of a house share.

The whole is running and nobody's while its pieces run; its progress is that of its pieces, by their weights. Some
pieces wait in the lane, the others are held: each that ends lets the next one in, so that other long work is not kept
waiting behind all of them.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import case, func, select, update
from sqlalchemy.orm import Session

from inkwell_groove.store.models import Job, now
from inkwell_groove.workroom.jobs.kind import HELD, RUNNING, WAITING, Arguments, Lane

AT_ONCE = 64  # pieces of one job that may wait or run; more than most houses have places
ENDED = ("done", "failed", "cancelled")


@dataclass(frozen=True)
class Piece:
    """A piece of a job. Its weight is its share of the work, in any unit that all pieces of the job have in common."""

    kind: str
    arguments: Arguments
    subject: str
    weight: float = 1.0
    docket_id: int | None = None


def divide(session: Session, whole: Job, pieces: Sequence[Piece], lanes: Sequence[Lane], *, at_once: int) -> None:
    """Add the pieces of a job that is asked for, each for its lane."""
    whole.state, whole.started_at, whole.message = RUNNING, now(), _counted(0, len(pieces))
    for number, (piece, lane) in enumerate(zip(pieces, lanes, strict=True)):
        job = Job(kind=piece.kind, lane=lane, node=whole.node, docket_id=piece.docket_id, subject=piece.subject[:200])
        job.parent_id, job.weight = whole.id, piece.weight
        job.arguments, job.message = piece.arguments.model_dump(mode="json"), ""
        job.state = WAITING if number < at_once else HELD
        job.attempts, job.progress, job.asked_at, job.is_cancelled = 0, 0.0, whole.asked_at, False
        session.add(job)
    session.flush()


def lock_whole(session: Session, piece_id: int) -> Job | None:
    """Return the job that another is a piece of, locked, and None if it is none.

    It is locked before its pieces, by everybody.
    """
    whole_id = session.scalar(select(Job.parent_id).where(Job.id == piece_id))
    return None if whole_id is None else session.get(Job, whole_id, with_for_update=True)


def let_next_in(session: Session, whole: Job) -> None:
    """Let the oldest piece wait in its lane that was held until now, behind all that is asked for already."""
    oldest = select(Job.id).where(Job.parent_id == whole.id, Job.state == HELD).order_by(Job.id).limit(1)
    if (number := session.scalar(oldest)) is not None:
        session.execute(update(Job).where(Job.id == number, Job.state == HELD).values(state=WAITING, asked_at=now()))


def unended(session: Session, whole: Job) -> list[Job]:
    """Return the pieces of a job that have not ended, locked, in their order."""
    numbers = session.scalars(select(Job.id).where(Job.parent_id == whole.id, Job.state.not_in(ENDED)))
    locked = (session.get(Job, number, with_for_update=True, populate_existing=True) for number in sorted(numbers))
    return [one for one in locked if one is not None and one.state not in ENDED]


def add_up(session: Session, whole: Job) -> int:
    """Set the progress of a job from that of its pieces; return how many have not ended."""
    has_ended = Job.state.in_(ENDED)
    done = func.sum(Job.weight * case((has_ended, 1.0), else_=Job.progress)) / func.sum(Job.weight)
    counted = select(done, func.count(), func.sum(case((has_ended, 1), else_=0))).where(Job.parent_id == whole.id)
    progress, count, ended = session.execute(counted).one()
    whole.progress, whole.message = min(1.0, float(progress)), _counted(int(ended), int(count))
    return int(count) - int(ended)


def _counted(ended: int, count: int) -> str:
    return f"{ended} of {count} pieces"
