"""What nobody needs any more: jobs, journals of steps, and what is made again from takes, by age.

Ledger, access log and every piece of evidence stay.
"""

from __future__ import annotations

import shutil
from datetime import datetime

from sqlalchemy import delete, exists, select
from sqlalchemy.orm import aliased

from inkwell_groove.store.database import Database
from inkwell_groove.store.media import HARM_NAME, HEARD_NAME, LEARNT_NAME, MediaStore
from inkwell_groove.store.models import DiscRead, FileStep, Job, now
from inkwell_groove.workroom.files.steps import BACK, UNDOABLE
from inkwell_groove.workroom.jobs.pieces import ENDED
from inkwell_groove.workroom.packages.burning import BURN

_AT_ONCE = 500  # a long transaction would hold up who works
# Looked at again later: whether an image for burning was made, and what went wrong with it.
_KEPT = (BURN,)
# A job makes these again when they are asked for. What was found of damage stays: a plan's repairs speak of it.
_MADE_AGAIN = (HEARD_NAME, LEARNT_NAME, HARM_NAME)


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


def prune_journals(database: Database, media: MediaStore, before: datetime) -> int:
    """Delete the journals of steps that ended before then: these can no longer be undone. Return how many there were.

    Rows say so before anything is deleted. What an earlier run that was broken off left of journals is deleted too.
    """
    with database.begin() as session:
        ended = FileStep.state.in_((BACK, *UNDOABLE)), FileStep.at < before, FileStep.has_journal
        steps = session.scalars(select(FileStep).where(*ended).with_for_update()).all()
        for step in steps:
            step.has_journal = False
            if step.state != BACK:
                told = f"It can no longer be undone: its journal was deleted on {now():%Y-%m-%d}"
                step.told = {**step.told, "told": [told, *step.told["told"]]}
        count = len(steps)
    with database.begin() as session:
        numbers = set(session.scalars(select(FileStep.id).where(~FileStep.has_journal)))
    for folder in (media.root / "steps").glob("*"):
        if folder.name.isdecimal() and int(folder.name) in numbers:
            shutil.rmtree(folder)
    return count


def prune_derived(media: MediaStore, before: datetime) -> int:
    """Delete what jobs heard and learnt of takes before then, and make again when it is asked for; return how many.

    Overviews of level and what was found of damage stay.
    """
    count = 0
    for path in (media.root / "derived").glob("*/*"):
        if path.name.split(" ")[0] in _MADE_AGAIN and path.stat().st_mtime < before.timestamp():
            path.unlink(missing_ok=True)
            count += 1
    return count
