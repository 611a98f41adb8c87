"""Examine a store and a database, and put right what is safe."""

from __future__ import annotations

from collections.abc import Iterable

import structlog

from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.workroom.doctor import hanging, in_rows, on_disk
from inkwell_groove.workroom.doctor.findings import Finding, Patient

log = structlog.get_logger()


def examine(database: Database, media: MediaStore, *, thorough: bool = False) -> list[Finding]:
    """Return what is not as it should be. `thorough` also reads every take, which takes as long as the disk needs."""
    checks = (*on_disk.ALL, *in_rows.QUICK, *hanging.ALL, *(in_rows.THOROUGH if thorough else ()))
    with database.begin() as session:
        patient = Patient.of(session, media)
        return [finding for check in checks for finding in check(patient)]


def mend(findings: Iterable[Finding]) -> int:
    """Put right what is safe to, and return how many findings that were."""
    mended = 0
    for finding in findings:
        if finding.mend is not None:
            finding.mend()
            mended += 1
            log.info("put right", kind=finding.kind, where=finding.where)
    return mended
