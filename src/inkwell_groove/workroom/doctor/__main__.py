"""`python -m inkwell_groove.workroom.doctor`: says what is not as it should be; `./inkwell doctor` calls it."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Sequence
from contextlib import nullcontext

from inkwell_groove import logs
from inkwell_groove.core.errors import InkwellError
from inkwell_groove.store.database import Database
from inkwell_groove.store.exclusive import exclusive_use
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.settings import settings
from inkwell_groove.workroom.doctor.examination import examine, mend


def main(words: Sequence[str] | None = None) -> int:
    """Return 0 if nothing is left that is not as it should be. Takes the words of the command line, or those given."""
    parser = argparse.ArgumentParser(description="Examines the store and the database.")
    parser.add_argument("--mend", action="store_true", help="put right what is safe; no server may run")
    parser.add_argument("--thorough", action="store_true", help="read every recording and compare it with its digest")
    wanted = parser.parse_args(words)
    logs.configure()
    given = settings()
    database = Database(given.database_url)
    alone = exclusive_use(given.media_root, given.database_url) if wanted.mend else nullcontext()
    try:
        with alone:
            findings = examine(
                database,
                MediaStore.of(given),
                depth="thorough" if wanted.thorough else "usual",
                node=None if given.is_alone else given.node_name,
            )
            mended = mend(findings) if wanted.mend else 0
    except InkwellError as refusal:
        sys.stderr.write(f"{refusal}\n")
        return 2
    finally:
        database.close()
    for one in findings:
        done = " (put right)" if wanted.mend and one.mend is not None else ""
        safe = " --mend does it." if one.mend is not None and not wanted.mend else ""
        sys.stdout.write(f"{one.kind}{done}: {one.where}\n    {one.what}. {one.remedy}.{safe}\n")
    left = len(findings) - mended
    sys.stdout.write(
        f"{len(findings)} found, {mended} put right.\n" if findings else "Everything is as it should be.\n"
    )
    return 1 if left else 0


if __name__ == "__main__":
    sys.exit(main())
