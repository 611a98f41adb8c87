"""What several machines cost: `python -m benchmarks.house`, on loopback, with a MariaDB and a Redis of its own.

`cost`: the same dockets uploaded, taken in, sealed and audited, by a server that runs its jobs itself and by one that
leaves them to a worker, in turns; the packages must hold the same samples. `dispatch`: jobs of a millisecond through
three workers.
"""

from __future__ import annotations

import argparse
import multiprocessing
import os
import shutil
import statistics
import tempfile
import time
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import Any

from sqlalchemy import func, select

from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import Job
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.jobs.kind import Arguments, JobKind, Lane, Result, Task, finish_nothing
from inkwell_groove.workroom.jobs.runner import JobRunner
from launcher.database import Database as MariaDb
from tests.broker import Broker, broker_in
from tests.live import Server, WorkerProcess, new_schema
from tests.patience import until
from tests.sounds import record_side

_WORKERS = 3
_PLACES = 2
_AT_ONCE = 500
_READY_S = 5.0  # until all workers have come


def short_job(arguments: Arguments, task: Task) -> Result:
    """Take a millisecond."""
    time.sleep(0.001)
    return {}


SHORT = JobKind("short", "benchmarks.house:short_job", Arguments, finish_nothing, lane=Lane.QUICK)


def _runner(database: Database, media_root: Path, broker: str, lanes: frozenset[Lane]) -> JobRunner:
    events = Events()
    events.share(database, listens=False)
    return JobRunner(
        database,
        events,
        [SHORT],
        MediaStore(media_root),
        workers=_PLACES,
        memory_bytes=1024**3,
        lanes=lanes,
        broker=broker,
    )


def _work(url: str, media_root: Path, broker: str) -> None:
    """Be one of the workers that jobs are dispatched to, until killed."""
    runner = _runner(Database(url), media_root, broker, frozenset({Lane.QUICK}))
    runner.start(left_over=frozenset())
    time.sleep(3600)


def dispatch(mariadb: MariaDb, broker: Broker, folder: Path, count: int) -> str:
    """Return at which rate jobs of a millisecond begin and end."""
    url = new_schema(mariadb)
    database = Database(url)
    asker = _runner(database, folder / "media", broker.address, frozenset({Lane.DEVICE}))
    asker.start(left_over=frozenset())
    spawn = multiprocessing.get_context("spawn")
    workers = [spawn.Process(target=_work, args=(url, folder / "media", broker.address)) for _ in range(_WORKERS)]
    began = time.monotonic()
    for first in range(0, count, _AT_ONCE):
        _ask(asker, database, min(_AT_ONCE, count - first))
    asked_s = time.monotonic() - began
    for one in workers:
        one.start()
    try:
        until(lambda: _left(database) < count, "no worker came", sleep=lambda _: time.sleep(0.01))
        time.sleep(_READY_S)
        began, first = time.monotonic(), _left(database)
        until(lambda: _left(database) == 0, "jobs are left", patience_s=1_800)
        took_s = time.monotonic() - began
        with database.begin() as session:
            ended = dict(session.execute(select(Job.state, func.count()).group_by(Job.state)).all())
    finally:
        for one in workers:
            one.kill()
            one.join()
        asker.close()
        database.close()
    assert set(ended) == {"done"}, ended
    return (
        f"{count} jobs of 1 ms: asked for at {count / asked_s:.0f} a second, "
        f"then done by {_WORKERS} workers at {first / took_s:.0f} a second"
    )


def _ask(runner: JobRunner, database: Database, count: int) -> None:
    with database.begin() as session:
        for _ in range(count):
            runner.ask(session, "short", docket_id=None, subject="short", arguments=Arguments())


def _left(database: Database) -> int:
    with database.begin() as session:
        query = select(func.count()).select_from(Job).where(Job.state.in_(("waiting", "running")))
        return session.scalars(query).one()


@contextmanager
def _house(mariadb: MariaDb, folder: Path, broker: Broker | None) -> Iterator[Server]:
    """A server that runs its own jobs, or that has a worker with as many places do so."""
    settings = {"INKWELL_WORKERS": str(_PLACES)}
    if broker is not None:
        settings |= {"INKWELL_ENGINE": "celery", "INKWELL_BROKER": broker.address}
    with ExitStack() as stack:
        server = stack.enter_context(Server(new_schema(mariadb), folder / "media", **settings))
        if broker is not None:
            stack.enter_context(WorkerProcess(server, "--processes", str(_PLACES)))
            until(lambda: len(server.get("/workers")["workers"]) == 2, "the worker did not come")
        yield server


def _through(server: Server, sides: list[Path]) -> tuple[float, list[str]]:
    """Return how long the dockets of these sides take from upload to audit, and what lies in their packages."""
    began = time.monotonic()
    dockets = []
    for number, side in enumerate(sides):
        docket_id = server.open_docket(f"H-{number:03}")["id"]
        server.upload(docket_id, side)
        dockets.append(docket_id)
    server.wait_for_jobs(patience_s=3_600)
    for docket_id in dockets:
        docket: Any = server.get(f"/dockets/{docket_id}")
        found = docket["carriers"][0]["sides"][0]
        server.describe(docket_id, [f"Track {at}" for at in range(len(found["tracks"]))], title=docket["shelfmark"])
        server.post(f"/dockets/{docket_id}/seal")
    server.wait_for_jobs(patience_s=3_600)
    server.post("/fixity/audit")
    server.wait_for_jobs(patience_s=3_600)
    took_s = time.monotonic() - began
    assert all(server.get(f"/dockets/{one}")["standing"] == "sealed" for one in dockets)
    return took_s, _samples(server.media_root / "sealed")


def _samples(sealed: Path) -> list[str]:
    """Return the MD5 of the samples of every master, as its FLAC header has it, by its path."""
    return sorted(f"{file.relative_to(sealed)} {file.read_bytes()[26:42].hex()}" for file in sealed.rglob("*.flac"))


def cost(mariadb: MariaDb, broker: Broker, folder: Path, count: int, turns: int) -> str:
    """Return how much longer the same dockets take through a worker than with the server's own processes."""
    sides = [folder / f"side {number}.wav" for number in range(count)]
    for number, side in enumerate(sides):
        record_side(side, seed=number)
    took: dict[str, list[float]] = {"local": [], "celery": []}
    found: list[list[str]] = []
    for turn in range(turns):
        for name in ("local", "celery") if turn % 2 == 0 else ("celery", "local"):
            place = folder / f"{name} {turn}"
            place.mkdir()
            with _house(mariadb, place, broker if name == "celery" else None) as server:
                took_s, samples = _through(server, sides)
            took[name].append(took_s)
            found.append(samples)
            shutil.rmtree(place)
            print(f"  {name}: {took_s:.1f} s", flush=True)
    assert found[0] and all(one == found[0] for one in found), "the packages are not the same"
    local_s, celery_s = (statistics.median(took[name]) for name in ("local", "celery"))
    return (
        f"{count} dockets from upload to audit, median of {turns} turns: {local_s:.1f} s by the server itself, "
        f"{celery_s:.1f} s by a worker ({100 * (celery_s / local_s - 1):+.1f} %), the same samples in all "
        f"{len(found[0])} masters each time"
    )


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--jobs", type=int, default=10_000, help="of a millisecond")
    parser.add_argument("--dockets", type=int, default=60)
    parser.add_argument("--turns", type=int, default=3, help="of each engine")
    parser.add_argument("--only", choices=("cost", "dispatch"))
    arguments = parser.parse_args()
    print(f"{os.cpu_count()} cores, load {os.getloadavg()[0]:.1f} before", flush=True)
    with tempfile.TemporaryDirectory(prefix="house-") as name:
        folder = Path(name)
        mariadb = MariaDb(folder / "mariadb", is_durable=False)
        mariadb.ensure_running()
        try:
            with broker_in(folder) as broker:
                if arguments.only != "cost":
                    print(dispatch(mariadb, broker, folder, arguments.jobs), flush=True)
                if arguments.only != "dispatch":
                    print(cost(mariadb, broker, folder, arguments.dockets, arguments.turns), flush=True)
        finally:
            mariadb.stop()


if __name__ == "__main__":
    main()
