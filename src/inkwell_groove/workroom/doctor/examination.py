"""Examine a store and a database, and put right what is safe."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal

import structlog

from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.workroom.doctor import hanging, in_rows, on_disk
from inkwell_groove.workroom.doctor.inconsistency import Examined, Inconsistency

log = structlog.get_logger()


Depth = Literal["quick", "usual", "thorough"]


def examine(
    database: Database, media: MediaStore, *, depth: Depth = "usual", node: str | None = None
) -> list[Inconsistency]:
    """Return what is not as it should be, seen from the server called `node` if there are several.

    "quick" looks at the store's own folders and is for every start of a server; "usual" also walks the folders of files
    and the packages; "thorough" also reads every take, which takes as long as the disk needs.
    """
    checks = [*on_disk.QUICK, *in_rows.QUICK, *hanging.ALL]
    if depth != "quick":
        checks += on_disk.WALKING
    if depth == "thorough":
        checks += in_rows.THOROUGH
    with database.begin() as session:
        examined = Examined.of(session, media, node)
        return [finding for check in checks for finding in check(examined)]


def mend(findings: Iterable[Inconsistency]) -> int:
    """Put right what is safe to, and return how many findings that were."""
    mended = 0
    for finding in findings:
        if finding.mend is not None:
            finding.mend()
            mended += 1
            log.info("put right", kind=finding.kind, where=finding.where)
    return mended
