"""`inkwell admin doctor`: says what is amiss in the store and the database, and puts right what is safe."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import closing, nullcontext

from inkwell_groove.store.database import Database
from inkwell_groove.store.exclusive import exclusive_use
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.settings import Settings
from inkwell_groove.workroom.doctor.examination import examine, mend


def report(given: Settings, *, is_to_mend: bool, is_thorough: bool, say: Callable[[str], None]) -> int:
    """Say what was found, and return how much of it is left.

    Raises InUse if it is to mend while a server runs, DatabaseAway.
    """
    alone = exclusive_use(given.media_root, given.database_url) if is_to_mend else nullcontext()
    with closing(Database(given.database_url)) as database, alone:
        findings = examine(
            database,
            MediaStore.of(given),
            depth="thorough" if is_thorough else "usual",
            node=None if given.is_alone else given.node_name,
        )
        mended = mend(findings) if is_to_mend else 0
    for one in findings:
        done = " (put right)" if is_to_mend and one.mend is not None else ""
        safe = " --mend does it." if one.mend is not None and not is_to_mend else ""
        say(f"{one.kind}{done}: {one.where}\n    {one.what}. {one.remedy}.{safe}")
    say(f"{len(findings)} found, {mended} put right." if findings else "Everything is as it should be.")
    return len(findings) - mended
