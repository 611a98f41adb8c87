"""Rows that nobody needs any more: jobs that ended long ago. Ledger, access log and every piece of evidence stay."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import delete, exists, select
from sqlalchemy.orm import aliased

from inkwell_groove.store.database import Database
from inkwell_groove.store.models import DiscRead, Job
from inkwell_groove.workroom.jobs.pieces import ENDED
from inkwell_groove.workroom.packages.burning import BURN

_AT_ONCE = 500  # a long transaction would hold up who works
# Looked at again later: whether an image for burning was made, and what went wrong with it.
_KEPT = (BURN,)


def prune_jobs(database: Database, before: datetime) -> int:
    """Delete the jobs that ended before then, with their pieces, but for those that something still speaks of.

    Returns how many were deleted.
    """
    whole, piece = aliased(Job), aliased(Job)
    may_go = (
        whole.state.in_(ENDED),
        whole.ended_at < before,
        whole.kind.not_in(_KEPT),
        ~exists().where(DiscRead.job_id == whole.id),
    )
    # Pieces first, then what has none: a whole goes once its last piece has.
    of_pieces = select(whole.id).where(*may_go, whole.parent_id.is_not(None))
    of_wholes = select(whole.id).where(*may_go, whole.parent_id.is_(None), ~exists().where(piece.parent_id == whole.id))
    count = 0
    for which in (of_pieces, of_wholes):
        while True:
            with database.begin() as session:
                numbers = session.scalars(which.order_by(whole.id).limit(_AT_ONCE)).all()
                if not numbers:
                    break
                session.execute(delete(Job).where(Job.id.in_(numbers)))
                count += len(numbers)
    return count
