"""A house in a storm: `python -m benchmarks.house_storm --dockets 20 --seconds 120`.

A server, three workers, a Redis and a durable MariaDB take dockets in, seal and audit them, while at random moments
workers are killed or frozen for longer than their lease, the server and the database are killed, and the broker is
emptied or killed. What died is started again. Afterwards every job must have ended once, every docket be sealed, and
each master hold the samples that an undisturbed server made of the same side; nothing may lie in the workspaces, and
the doctor must find nothing that it does not put right. Somebody listens to the news all the while, and must have heard
of the end of every job once.
"""

from __future__ import annotations

import argparse
import contextlib
import json
import os
import random
import shutil
import signal
import sys
import tempfile
import threading
import time
from collections import Counter
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import httpx
from sqlalchemy import select

from inkwell_groove.store.database import Database as Store
from inkwell_groove.store.database import DatabaseAway
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import Job
from inkwell_groove.workroom.doctor.examination import examine
from inkwell_groove.workroom.jobs.kind import INTERRUPTED
from launcher.database import Database
from tests.broker import Broker, broker_in
from tests.live import Server, WorkerProcess, new_schema
from tests.patience import until
from tests.sounds import record_side

_LEASE_S = 3
_WORKERS = 3
_ENDED = ("done", "failed", "cancelled")


class Services:
    """What all processes of a house use, each of which may be gone at any moment and is started again."""

    mariadb: Database
    broker: Broker

    def kill_database(self, _: random.Random) -> None:
        pid = int((self.mariadb.folder / "mariadb.pid").read_text())
        os.kill(pid, signal.SIGKILL)
        with contextlib.suppress(ChildProcessError):
            os.waitpid(pid, 0)
        self.mariadb.ensure_running()

    def empty_broker(self, _: random.Random) -> None:
        self.broker.empty()

    def kill_broker(self, _: random.Random) -> None:
        self.broker.stop()
        time.sleep(1)
        self.broker.start()


class House(Services):
    """All processes, each of which may be gone at any moment and is started again."""

    def __init__(self, root: Path, broker: Broker) -> None:
        self.broker = broker
        self.mariadb = Database(root / "mariadb", is_durable=True)
        self.mariadb.ensure_running()
        settings = {"INKWELL_ENGINE": "celery", "INKWELL_BROKER": broker.address, "INKWELL_LEASE_S": str(_LEASE_S)}
        self.server = Server(new_schema(self.mariadb), root / "media", **settings)
        self.server.start()
        self.workers: list[WorkerProcess] = []

    def add_worker(self) -> None:
        self.workers.append(WorkerProcess(self.server, "--processes", "1").__enter__())

    def close(self) -> None:
        for one in self.workers:
            one.__exit__(None, None, None)
        self.server.stop()
        self.server.api.close()
        self.mariadb.stop()

    def kill_worker(self, chance: random.Random) -> None:
        victim = chance.choice(self.workers)
        victim.kill()
        self.workers.remove(victim)
        self.add_worker()

    def freeze_worker(self, chance: random.Random) -> None:
        """Stop a worker and its jobs for longer than its lease, then let it go on as if nothing had been."""
        victim = chance.choice(self.workers)
        frozen = [victim.pid, *victim.job_processes]
        for pid in frozen:
            with contextlib.suppress(ProcessLookupError):
                os.kill(pid, signal.SIGSTOP)
        time.sleep(_LEASE_S + 2)
        for pid in frozen:
            with contextlib.suppress(ProcessLookupError):
                os.kill(pid, signal.SIGCONT)

    def kill_server(self, _: random.Random) -> None:
        self.server.kill()
        self.server.start()


class Storm(threading.Thread):
    """Something goes wrong every few seconds, until it is over."""

    def __init__(self, house: House, seed: int, pause_s: float) -> None:
        super().__init__(daemon=True)
        worker = [house.kill_worker, house.kill_worker, house.freeze_worker]
        self.begin(
            seed, pause_s, [*worker, house.kill_server, house.kill_database, house.empty_broker, house.kill_broker]
        )

    def begin(self, seed: int, pause_s: float, kinds: list[Callable[[random.Random], None]]) -> None:
        """Set what can go wrong, and how often."""
        self._chance, self._pause_s, self._kinds = random.Random(seed), pause_s, kinds
        self._over = threading.Event()
        self.blows: Counter[str] = Counter()
        self.fault: Exception | None = None

    def run(self) -> None:
        while not self._over.wait(self._chance.uniform(0.3, 1.7) * self._pause_s):
            blow = self._chance.choice(self._kinds)
            try:
                blow(self._chance)
            except Exception as fault:
                self.fault = fault
                raise
            self.blows[blow.__name__.replace("_", " ")] += 1

    def end(self) -> None:
        self._over.set()
        self.join()


class Listener(threading.Thread):
    """Somebody who listens to the news, and goes on after the last one whenever the connection is lost."""

    def __init__(self, server: Server, *, headers: Mapping[str, str] | None = None) -> None:
        super().__init__(daemon=True)
        self._headers = dict(headers or {})
        self._address = f"{server.address}/api/v1/events"
        self._over = threading.Event()
        self.ends: Counter[int] = Counter()  # how often each job was told of as ended
        self.connections = self.greetings = 0
        self._last: dict[str, str] = {}

    def run(self) -> None:
        while not self._over.is_set():
            with (
                contextlib.suppress(httpx.TransportError),
                httpx.stream("GET", self._address, timeout=30, headers=self._headers | self._last) as stream,
            ):
                self.connections += 1
                for line in stream.iter_lines():
                    self._hear(line)
                    if self._over.is_set():
                        return
            time.sleep(0.1)

    def _hear(self, line: str) -> None:
        if line.startswith("id:"):
            self._last = {"Last-Event-ID": line[3:].strip()}
        news = json.loads(line[5:]) if line.startswith("data:") else {}
        self.greetings += news.get("kind") == "hello"
        if news.get("kind") == "job" and news["job"]["state"] in _ENDED:
            self.ends[news["job"]["id"]] += 1

    def end(self) -> None:
        self._over.set()


def patiently(ask: Callable[[], Any]) -> Any:
    """Return what is asked for, as soon as somebody answers."""
    found: list[Any] = []

    def answered() -> bool:
        with contextlib.suppress(httpx.TransportError, AssertionError):
            found.append(ask())
        return bool(found)

    until(answered, "nobody answers", patience_s=300)
    return found[0]


def all_ended(store: Store) -> Counter[str]:
    """Return how many jobs ended in which way, once each has."""
    states: Counter[str] = Counter()

    def look() -> bool:
        states.clear()
        with contextlib.suppress(DatabaseAway), store.begin() as session:
            states.update(session.scalars(select(Job.state)))
        return bool(states) and set(states) <= set(_ENDED)

    until(look, lambda: f"jobs are left: {states}", patience_s=1_800)
    return states


def opened(server: Server, sides: list[Path]) -> list[int]:
    """Return a docket for each side, which was uploaded to it."""
    dockets = []
    for number, side in enumerate(sides):
        dockets.append(server.open_docket(f"H-{number:03}")["id"])
        server.upload(dockets[-1], side)
    return dockets


def sealed(server: Server, store: Store, dockets: list[int]) -> None:
    """Describe the dockets and seal them, however often that has to be asked for."""
    for docket_id in dockets:
        docket = patiently(lambda docket_id=docket_id: server.get(f"/dockets/{docket_id}"))  # type: ignore[misc]
        lines = docket["carriers"][0]["sides"][0]["tracks"]
        tracks = {line["key"]: {"title": f"Track {at}"} for at, line in enumerate(lines)}
        body = {"release": {"album_artist": "The Test Band", "title": docket["shelfmark"]}, "tracks": tracks}
        patiently(lambda at=f"/dockets/{docket_id}/description", body=body: _sent(server, "PATCH", at, body))  # type: ignore[misc]
        patiently(lambda at=f"/dockets/{docket_id}/seal": _sent(server, "POST", at))  # type: ignore[misc]
    all_ended(store)
    for docket_id in dockets:
        if patiently(lambda docket_id=docket_id: server.get(f"/dockets/{docket_id}"))["standing"] != "sealed":  # type: ignore[misc]
            patiently(lambda at=f"/dockets/{docket_id}/seal": _sent(server, "POST", at))  # type: ignore[misc]
    patiently(lambda: _sent(server, "POST", "/fixity/audit"))
    all_ended(store)


def _sent(server: Server, method: str, path: str, body: Any = None) -> bool:
    """Ask for something; that it was done already, by a question whose answer was lost, is well too."""
    answer = server.api.request(method, path, json=body)
    assert answer.status_code < 500, answer.text
    assert answer.is_success or answer.status_code == 409, answer.text
    return True


def samples(root: Path) -> dict[str, str]:
    """Return the MD5 of the samples of every master, by its docket and name; of several packages the last."""
    sealed = root / "sealed"
    files = sorted(sealed.rglob("*.flac"), key=lambda file: file.stat().st_mtime)
    return {f"{file.relative_to(sealed).parts[0]}/{file.name}": file.read_bytes()[26:42].hex() for file in files}


def faults_of(house: Any, store: Store, listener: Listener) -> list[str]:
    """Return what is not as it should be, now that all is calm."""
    with store.begin() as session:
        jobs = session.scalars(select(Job)).all()
    failed = [job for job in jobs if job.state != "done"]
    given_up = [job for job in failed if job.failure and job.failure["code"] == INTERRUPTED]
    print(f"{len(given_up)} jobs were hit three times and given up; what they were for was asked for again")
    faults = [f"{job.kind} of {job.subject} {job.state}: {job.failure}" for job in failed if job not in given_up]
    until(lambda: not any(one["jobs"] for one in house.server.get("/workers")["workers"]), "a worker is busy")
    time.sleep(_LEASE_S)
    faults += [f"left behind: {path.name}" for path in (house.server.media_root / "work").iterdir()]
    findings = examine(store, MediaStore(house.server.media_root))
    faults += [f"doctor: {one.kind}, {one.where}: {one.what}" for one in findings if one.mend is None]
    heard = {job.id: listener.ends[job.id] for job in jobs}
    faults += [f"the end of job {job} was told {times} times" for job, times in heard.items() if times != 1]
    return faults


def calmly(house: Any, root: Path, sides: list[Path]) -> dict[str, str]:
    """Return the samples of the masters that one server makes, undisturbed."""
    (root / "calm").mkdir()
    with Server(new_schema(house.mariadb), root / "calm" / "media") as server:
        store = Store(server.database_url)
        dockets = opened(server, sides)
        all_ended(store)
        sealed(server, store, dockets)
        store.close()
    return samples(root / "calm" / "media")


def in_a_storm(house: House, sides: list[Path], storm: Storm) -> tuple[list[str], dict[str, str]]:
    """Return what was not as it should be, and the samples of the masters."""
    store = Store(house.server.database_url)
    dockets = opened(house.server, sides)
    listener = Listener(house.server)
    listener.start()
    for _ in range(_WORKERS):
        house.add_worker()
    began = time.monotonic()
    storm.start()
    all_ended(store)
    sealed(house.server, store, dockets)
    storm.end()
    took_s = time.monotonic() - began
    all_ended(store)
    faults = faults_of(house, store, listener)
    if storm.fault is not None:
        faults.append(f"the storm itself broke: {storm.fault!r}")
    listener.end()
    store.close()
    blows = ", ".join(f"{count} x {blow}" for blow, count in sorted(storm.blows.items()))
    print(f"{len(sides)} dockets in {took_s:.0f} s, through {blows}")
    print(f"{len(listener.ends)} ends of jobs were heard of, over {listener.connections} connections")
    return faults, samples(house.server.media_root)


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--dockets", type=int, default=20)
    parser.add_argument("--pause", type=float, default=6.0, help="seconds between two blows, in the mean")
    parser.add_argument("--seed", type=int, default=random.SystemRandom().randrange(10**6))
    parser.add_argument("--log", type=Path, help="a folder for the logs")
    arguments = parser.parse_args()
    print(f"seed {arguments.seed}", flush=True)
    with tempfile.TemporaryDirectory(prefix="storm-") as name:
        root = Path(name)
        sides = [root / f"side {number}.wav" for number in range(arguments.dockets)]
        for number, side in enumerate(sides):
            record_side(side, tracks_s=(50.0, 40.0, 60.0), rate_hz=96_000, seed=number)
        with broker_in(root) as broker:
            house = House(root, broker)
            try:
                expected = calmly(house, root, sides)
                faults, found = in_a_storm(house, sides, Storm(house, arguments.seed, arguments.pause))
            finally:
                house.close()
                if arguments.log:
                    for log in root.glob("*.log"):
                        shutil.copy(log, arguments.log)
    faults += [f"{path} is not what one server makes" for path in expected if found.get(path) != expected[path]]
    for fault in faults:
        print(f"FAULT: {fault}")
    print(f"{len(expected)} masters with the same samples, no fault" if not faults else f"{len(faults)} faults")
    return 1 if faults else 0


if __name__ == "__main__":
    sys.exit(main())
