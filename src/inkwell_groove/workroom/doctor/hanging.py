"""Rows that wait for a job, and no such job waits or runs."""

from __future__ import annotations

from collections.abc import Iterator

from sqlalchemy import select

from inkwell_groove.store.models import Audit, Bundle, DiscRead, FileStep, HeldFile, Recording, SurveyRun, Upload
from inkwell_groove.workroom.doctor.inconsistency import Examined, Inconsistency
from inkwell_groove.workroom.duplicates.holding import GOING, RETURNING
from inkwell_groove.workroom.files.bundles import COMING
from inkwell_groove.workroom.files.steps import GOING_BACK, UNDER_WAY
from inkwell_groove.workroom.packages import fixity

_REPORT = "It waits for ever: please report this with the server's log"


# Rows of a kind that wait for a job, and the job's argument that names them.
_WAITING = (
    ("step that hangs", select(FileStep.id, FileStep.what), FileStep.state.in_((UNDER_WAY, GOING_BACK)), "step_id"),
    ("upload that hangs", select(Upload.id, Upload.name), Upload.state == "taking in", "upload_id"),
    ("folder that hangs", select(Bundle.id, Bundle.name), Bundle.state == COMING, "bundle_id"),
    ("reading that hangs", select(DiscRead.id, DiscRead.drive_id), DiscRead.state == "reading", "read_id"),
    (
        "recording that hangs",
        select(Recording.id, Recording.transfer_key),
        Recording.state == "keeping",
        "recording_id",
    ),
    ("survey that hangs", select(SurveyRun.id, SurveyRun.by), SurveyRun.ended_at.is_(None), "run_id"),
    ("audit that hangs", select(Audit.id, Audit.asked_by), Audit.state == fixity.UNDER_WAY, "audit_id"),
)


def waiting(examined: Examined) -> Iterator[Inconsistency]:
    for kind, query, waits, argument in _WAITING:
        for number, name in examined.session.execute(query.where(waits)):
            if not examined.is_worked_on(argument, number):
                yield Inconsistency(kind, name, f"number {number} waits for a job that is no more", _REPORT)


def held(examined: Examined) -> Iterator[Inconsistency]:
    if any("folder" in arguments and "who" in arguments for arguments in examined.jobs):
        return  # its order is in a file of the job's: which of them it moves is not looked up here
    for path in examined.session.scalars(select(HeldFile.path).where(HeldFile.state.in_((GOING, RETURNING)))):
        yield Inconsistency("held file that hangs", path, "it waits for a job that is no more", _REPORT)


ALL = (waiting, held)
