"""A worker: runs jobs that servers ask for, on any machine that sees their database, broker and media.

`inkwell worker --lanes quick,steady --processes 4`. Told once to stop, it begins no other job
and leaves when those it runs have ended; told twice, it gives them back for others to run, and leaves at once.
"""

from __future__ import annotations

import argparse
import signal
import sys
import threading
from collections.abc import Sequence

import structlog
from sqlalchemy import select

from inkwell_groove import logs
from inkwell_groove.core.errors import InkwellError, Refused
from inkwell_groove.store.database import Database
from inkwell_groove.store.disk import FreeBytes, free_bytes_of_disk
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.migrate import check_current
from inkwell_groove.store.models import StoredObject, Take
from inkwell_groove.store.settings import Settings, settings_or_exit
from inkwell_groove.workroom.jobs.kind import Lane
from inkwell_groove.workroom.room import Workroom

ASKABLE = tuple(lane for lane in Lane if lane is not Lane.DEVICE)
_LOOK_EVERY_S = 0.2
_LOOKED_FOR = 3  # recordings: one may be lost
log = structlog.get_logger()


class StopRequests:
    """Whether this process was asked to leave, on the page of workers or by a signal, and whether at once."""

    def __init__(self) -> None:
        self._signals = 0
        self._asked = threading.Event()

    def ask(self) -> None:
        """Ask it to leave when its jobs have ended."""
        self._asked.set()

    def on_signal(self, *_: object) -> None:
        self._signals += 1
        self._asked.set()

    def wait(self) -> None:
        """Return once it was asked to leave."""
        while not self._asked.wait(_LOOK_EVERY_S):  # a signal is handled between two of these
            pass

    @property
    def at_once(self) -> bool:
        return self._signals > 1


def main(words: Sequence[str] | None = None, *, free_bytes: FreeBytes = free_bytes_of_disk) -> None:
    """Work until told to stop. Exits with a sentence if that cannot be begun."""
    logs.configure()
    arguments = parsed(words)
    try:
        given = settings_or_exit().model_copy(update={"workers": arguments.processes})
        if given.engine != "celery":
            sys.exit("Workers are for several machines: set INKWELL_ENGINE=celery and INKWELL_BROKER, here and there.")
        check_current(given.database_url)
        work(given, arguments.lanes, free_bytes)
    except InkwellError as refusal:
        sys.exit(f"{refusal.where}: {refusal.what}. {refusal.remedy}.")


def work(given: Settings, lanes: frozenset[Lane], free_bytes: FreeBytes) -> None:
    """Run jobs of these lanes, as many at a time as the settings say, until told to stop."""
    stop = StopRequests()
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, stop.on_signal)
    room = Workroom(given, lanes=lanes, free_bytes=free_bytes)
    check_store(room.database, room.media)
    room.work(on_drain=stop.ask)
    log.info("worker ready", lanes=sorted(lanes), processes=given.workers)
    stop.wait()
    room.jobs.drain()
    log.info("worker drains: it begins no other job")
    while not room.jobs.is_idle and not stop.at_once:
        threading.Event().wait(_LOOK_EVERY_S)
    room.stop_work()


def check_store(database: Database, media: MediaStore) -> None:
    """Raise Refused if the recordings that the database knows are not in the store that this machine sees."""
    with database.begin() as session:
        newest = session.scalars(select(Take.sha256).order_by(Take.id.desc()).limit(_LOOKED_FOR)).all()
        stored = select(StoredObject.id).where(StoredObject.take_sha256.in_(newest)).limit(1)
        is_stored = bool(newest) and session.scalar(stored) is not None
    if newest and not is_stored and not any(media.take_here(sha256).exists() for sha256 in newest):
        raise Refused(
            "none of the newest recordings is there: it is not the store that the server works with",
            where=str(media.root),
            remedy="Mount it, and say where it is in INKWELL_MEDIA_ROOT",
        )


def parsed(words: Sequence[str] | None) -> argparse.Namespace:
    """Return what the words ask for. Ends the process for words it does not know, as argparse does."""
    parser = argparse.ArgumentParser(prog="inkwell worker", description="Runs jobs that servers ask for.")
    parser.add_argument(
        "--lanes",
        type=_lanes,
        default=frozenset(ASKABLE),
        help=f"which jobs, commas between: {', '.join(ASKABLE)} (default: all)",
    )
    parser.add_argument("--processes", type=_count, default=2, help="jobs at a time, besides a quick one (default: 2)")
    return parser.parse_args(words)


def _lanes(text: str) -> frozenset[Lane]:
    names = [name.strip() for name in text.split(",") if name.strip()]
    unknown = [name for name in names if name not in ASKABLE]
    if unknown or not names:
        raise argparse.ArgumentTypeError(f"there is no lane {', '.join(unknown) or 'given'}: {', '.join(ASKABLE)}")
    return frozenset(Lane(name) for name in names)


def _count(text: str) -> int:
    if not text.isdecimal() or not 1 <= int(text) <= 64:
        raise argparse.ArgumentTypeError(f"{text} is no number of processes from 1 to 64")
    return int(text)
