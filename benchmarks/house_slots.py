"""How busy many machines are kept: `python -m benchmarks.house_slots --machines 20 --slots 64`.

Each simulated machine claims jobs for its slots from the real queue (MariaDB, leases, news), waits for as long as a job
of that kind takes, renews its leases, and records the end. No sound is worked on; what is measured is whether the queue
keeps the slots full. How long jobs take is a model: the kinds of one side's work in the shares in which they come, each
with a log-normal spread. Utilisation is the share of slot time in which a job ran, while jobs waited.
"""

from __future__ import annotations

import argparse
import heapq
import math
import multiprocessing
import os
import random
import tempfile
import threading
import time
from pathlib import Path
from typing import Any

from inkwell_groove.store.database import Database
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.jobs.engine import Claim, Outcome
from inkwell_groove.workroom.jobs.kind import Arguments, JobKind, Lane, finish_nothing
from inkwell_groove.workroom.jobs.queue import JobQueue
from launcher.database import Database as MariaDb
from tests.live import new_schema

# The jobs of one side and how long each takes in seconds, in the middle: a model, after what benchmarks/README.md says
# of a side of 20 minutes at 96 kHz on one core of a slow machine.
_MODEL = {"take in": 4.0, "find tracks": 12.0, "scan": 25.0, "seal": 30.0, "audit": 8.0}
_SPREAD = 0.5  # of the logarithm
_PROCESSES = 4
_LEASE_S = 30.0
_PAUSE_S = 0.02
_AT_ONCE = 500
_SETTLED_S = 40.0  # until the first jobs, which began together, have ended at different times


class Timed(Arguments):
    """A job that takes so long."""

    takes_s: float


TIMED = JobKind("timed", "benchmarks.house:short_job", Timed, finish_nothing, lane=Lane.BULK)


def _queue(url: str, owner: str) -> JobQueue:
    database, events = Database(url), Events()
    events.share(database, listens=False)
    return JobQueue(database, events, [TIMED], owner=owner, lease_s=_LEASE_S, is_alone=False)


class Machine:
    """One simulated machine, on a thread of its own."""

    def __init__(self, url: str, name: str, slots: int) -> None:
        self._queue, self._slots = _queue(url, name), slots
        self._running: list[tuple[float, int, Claim]] = []  # by when they end
        self.busy: list[tuple[float, float]] = []

    def work(self, until_s: float) -> None:
        renewed_s = time.monotonic()
        while (now_s := time.monotonic()) < until_s:
            while self._running and self._running[0][0] <= now_s:
                self._queue.end(heapq.heappop(self._running)[2], Outcome(result={}))
            if now_s - renewed_s > _LEASE_S / 3:
                renewed_s = now_s
                self._queue.renew([claim for _, _, claim in self._running])
            while len(self._running) < self._slots and (claim := self._queue.claim({Lane.BULK})) is not None:
                begun_s = time.monotonic()
                assert isinstance(claim.arguments, Timed)
                ends_s = begun_s + claim.arguments.takes_s
                heapq.heappush(self._running, (ends_s, claim.job_id, claim))
                self.busy.append((begun_s, ends_s))
            time.sleep(_PAUSE_S)


def _process(told: Any, url: str, names: list[str], slots: int, until_s: float) -> None:
    machines = [Machine(url, name, slots) for name in names]
    threads = [threading.Thread(target=one.work, args=(until_s,)) for one in machines]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    told.send([span for one in machines for span in one.busy])


def _ask(url: str, count: int, seed: int) -> None:
    queue, database, chance = _queue(url, "asker"), Database(url), random.Random(seed)
    kinds = list(_MODEL)
    for first in range(0, count, _AT_ONCE):
        with database.begin() as session:
            for number in range(first, min(first + _AT_ONCE, count)):
                middle_s = _MODEL[kinds[number % len(kinds)]]
                takes_s = middle_s * math.exp(chance.gauss(0, _SPREAD))
                arguments = Timed(takes_s=round(takes_s, 3)).model_dump(mode="json")
                queue.ask(session, "timed", docket_id=None, subject="timed", arguments=arguments)
    database.close()


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--machines", type=int, default=20)
    parser.add_argument("--slots", type=int, default=64)
    parser.add_argument("--seconds", type=float, default=120, help="measured, after the slots have filled")
    parser.add_argument("--seed", type=int, default=1)
    given = parser.parse_args()
    slots = given.machines * given.slots
    mean_s = sum(_MODEL.values()) / len(_MODEL) * math.exp(_SPREAD**2 / 2)
    count = slots + round(1.3 * slots * (given.seconds + _SETTLED_S) / mean_s)
    with tempfile.TemporaryDirectory(prefix="slots-") as name:
        mariadb = MariaDb(Path(name) / "mariadb", is_durable=False)
        mariadb.ensure_running()
        try:
            url = new_schema(mariadb)
            _ask(url, count, given.seed)
            names = [f"machine {number}" for number in range(given.machines)]
            from_s = time.monotonic() + 15 + _SETTLED_S
            until_s = from_s + given.seconds
            spawn, ends = multiprocessing.get_context("spawn"), []
            for number in range(_PROCESSES):
                near, far = spawn.Pipe(duplex=False)
                arguments = (far, url, names[number::_PROCESSES], given.slots, until_s)
                spawn.Process(target=_process, args=arguments).start()
                ends.append(near)
            spans = [span for near in ends for span in near.recv()]
        finally:
            mariadb.stop()
    busy_s = sum(max(0.0, min(end, until_s) - max(begin, from_s)) for begin, end in spans)
    began = sum(from_s <= begin < until_s for begin, _ in spans)
    assert len(spans) < count, "there were too few jobs to keep the slots full"
    print(
        f"{given.machines} machines of {given.slots} slots, jobs of {mean_s:.0f} s in the mean (a model): "
        f"{began / given.seconds:.0f} jobs begun a second, {100 * busy_s / (slots * given.seconds):.1f} % of slot time "
        f"busy, on {os.cpu_count()} cores with the database on the same machine"
    )


if __name__ == "__main__":
    main()
