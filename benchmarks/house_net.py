"""A house in pieces: `python -m benchmarks.house_net --dockets 60 --pause 3` (as root, it makes network namespaces).

Two web servers, a server in the cellar that has the decks, and three workers, each on a machine of its own (a network
namespace with one link), use one durable MariaDB and one Redis over lines that delay what they carry and lose some of
it. While dockets are taken in through either web server, sealed and audited, and a side is recorded in the cellar:
workers and web servers are killed, workers are frozen for longer than their lease, links are taken down for longer than
a lease, connections are cut, Redis is emptied and killed, and the database is killed. What died is started again.

Afterwards every job must have ended once, every take be the file that was sent, every master hold the samples that an
undisturbed server makes of it, the recording have every sample that was played; nothing may lie in the workspaces, and
the doctor must find nothing that it does not put right. Somebody listens to the news at both web servers, and must have
heard of the end of every job once.
"""

from __future__ import annotations

import argparse
import contextlib
import hashlib
import os
import random
import signal
import sys
import tempfile
import threading
import time
from contextlib import ExitStack
from pathlib import Path
from urllib.parse import urlsplit

from sqlalchemy import select

from benchmarks.house_storm import Listener, Services, Storm, all_ended, calmly, faults_of, patiently, samples, sealed
from inkwell_groove.store.database import Database as Store
from inkwell_groove.store.models import Take
from launcher.database import Database
from tests.broker import Broker, broker_in
from tests.carriers import RATE_HZ, groove, write_carrier
from tests.deck import AtTheDeck, lies_in, samples_of
from tests.live import Server, WorkerProcess, new_schema
from tests.netns import Machine, leave_the_network
from tests.patience import until
from tests.people import PASSWORD, PEOPLE, make_people
from tests.proxy import PoorLine
from tests.sounds import record_side

_LEASE_S = 3
_DOWN_S = _LEASE_S + 2
_DELAY_S, _LOST_SHARE = 0.001, 0.002  # for each piece that a line carries, on the way there and back
_MUSIC_S = 1_200.0


class House(Services):
    """All machines, and what runs on them. `server` is the first web server."""

    def __init__(self, root: Path, broker: Broker, chance: random.Random, stack: ExitStack) -> None:
        self._root, self._chance, self._stack, self.broker = root, chance, stack, broker
        self.mariadb = Database(root / "mariadb", is_durable=True)
        self.mariadb.ensure_running()
        stack.callback(self.mariadb.stop)
        self.url = new_schema(self.mariadb)
        self.machines: list[Machine] = []
        self.lines: list[PoorLine] = []
        write_carrier(root / "carriers", "T-1", music_s=_MUSIC_S)
        self.web = [self._server(f"web{number}", INKWELL_DEVICES="no") for number in (1, 2)]
        self.server = self.web[0]
        make_people(self.server)
        self.cellar = self._server(
            "cellar", INKWELL_RECORDINGS_ROOT=str(root / "cellar"), INKWELL_CARRIERS_ROOT=str(root / "carriers")
        )
        for server in (*self.web, self.cellar):
            answer = server.api.post("/session", json={"name": PEOPLE["keeper"], "password": PASSWORD})
            assert answer.is_success, answer.text
        self.workers: dict[str, WorkerProcess] = {}
        self._of_workers = {one.name: (one, given) for one, given in map(self._machine, ("w1", "w2", "w3"))}
        for name in self._of_workers:
            self._begin_worker(name)
        for line in self.lines:
            line.delay_s, line.lost_share = _DELAY_S, _LOST_SHARE

    def kill_worker(self, chance: random.Random) -> None:
        name = chance.choice(list(self.workers))
        self.workers[name].kill()
        self._begin_worker(name)

    def freeze_worker(self, chance: random.Random) -> None:
        """Stop a worker and its jobs for longer than its lease, then let it go on as if nothing had been."""
        victim = self.workers[chance.choice(list(self.workers))]
        frozen = [victim.pid, *victim.job_processes]
        for number, pause_s in ((signal.SIGSTOP, _LEASE_S + 2), (signal.SIGCONT, 0)):
            for pid in frozen:
                with contextlib.suppress(ProcessLookupError):
                    os.kill(pid, number)
            time.sleep(pause_s)

    def kill_web_server(self, chance: random.Random) -> None:
        server = chance.choice(self.web)
        server.kill()
        server.start()

    def take_a_link_down(self, chance: random.Random) -> None:
        machine = chance.choice(self.machines)
        machine.down()
        time.sleep(_DOWN_S)
        machine.up()

    def cut_connections(self, chance: random.Random) -> None:
        for line in chance.sample(self.lines, 4):
            line.cut()

    def _machine(self, name: str) -> tuple[Machine, dict[str, str]]:
        """Return a machine, and the settings of what runs there: how it reaches database and broker."""
        machine = Machine(name, len(self.machines) + 1)
        self.machines.append(machine)
        self._stack.callback(machine.close)
        broker_port = urlsplit(self.broker.address).port or 0
        ports = {}
        for what, to in (("database", self.mariadb.port), ("broker", broker_port)):
            line = PoorLine(to, machine.near, self._chance)
            self.lines.append(line)
            self._stack.callback(line.close)
            ports[what] = line.port
        at = f"127.0.0.1:{self.mariadb.port}/"
        assert at in self.url
        return machine, {
            "NETNS": machine.netns,
            "INKWELL_ENGINE": "celery",
            "INKWELL_LEASE_S": str(_LEASE_S),
            "INKWELL_DATABASE_URL": self.url.replace(at, f"{machine.near}:{ports['database']}/"),
            "INKWELL_BROKER": f"redis://{machine.near}:{ports['broker']}/0",
        }

    def _server(self, name: str, **settings: str) -> Server:
        machine, given = self._machine(name)
        given |= {"INKWELL_HOST": machine.far, "INKWELL_PROXIES": "10.77.0.0/16", "INKWELL_NODE": name, **settings}
        (self._root / name).mkdir()
        server = Server(self.url, self._root / "media", host=machine.far, **given)
        self._stack.enter_context(server)
        return server

    def _begin_worker(self, name: str) -> None:
        _, given = self._of_workers[name]
        self.workers[name] = self._stack.enter_context(WorkerProcess(self.server, "--processes", "1", **given))


class NetStorm(Storm):
    """Whatever can go wrong between machines."""

    def __init__(self, house: House, seed: int, pause_s: float) -> None:
        threading.Thread.__init__(self, daemon=True)
        self.begin(
            seed,
            pause_s,
            [
                house.kill_worker,
                house.freeze_worker,
                house.kill_web_server,
                house.take_a_link_down,
                house.take_a_link_down,
                house.cut_connections,
                house.kill_database,
                house.empty_broker,
                house.kill_broker,
            ],
        )


def take_in(house: House, number: int, side: Path) -> int:
    """Open a docket and send its side, piece by piece to whichever web server answers, until all of it is there."""
    shelfmark, data = f"H-{number:03}", side.read_bytes()
    docket_id: int = patiently(lambda: _opened(house.web[number % 2], shelfmark))
    announced = {"name": side.name, "size_bytes": len(data)}
    upload_id = patiently(lambda: house.web[number % 2].post(f"/dockets/{docket_id}/uploads", announced))["id"]
    piece = len(data) // 4 + 1
    place = 0
    while place < len(data):
        place = patiently(lambda at=place: _received(house.web[(number + at // piece) % 2], upload_id, data, piece))  # type: ignore[misc]
    return docket_id


def _opened(server: Server, shelfmark: str) -> int:
    """Return the docket, which an answer that was lost may have opened already."""
    found = [one["id"] for one in server.get("/dockets", search=shelfmark) if one["shelfmark"] == shelfmark]
    number: int = found[0] if found else server.open_docket(shelfmark)["id"]
    return number


def _received(server: Server, upload_id: int, data: bytes, piece: int) -> int:
    """Send the next piece of an upload and return how much is there."""
    seen = server.api.get(f"/uploads/{upload_id}")
    if seen.status_code == 404 or (seen.is_success and seen.json()["state"] != "receiving"):
        return len(data)  # it is being taken in, or is a take
    assert seen.is_success, seen.text
    at = int(seen.json()["received_bytes"])
    headers = {"Upload-Offset": str(at)}
    answer = server.api.patch(f"/uploads/{upload_id}", content=data[at : at + piece], headers=headers)
    assert answer.is_success, answer.text
    return int(answer.json()["received_bytes"])


def run(given: argparse.Namespace, root: Path, stack: ExitStack) -> list[str]:
    sides = [root / f"side {number}.wav" for number in range(given.dockets)]
    for number, side in enumerate(sides):
        record_side(side, tracks_s=(9.0, 8.0, 10.0), rate_hz=48_000, seed=number)
    broker = stack.enter_context(broker_in(root))
    house = House(root, broker, random.Random(given.seed), stack)
    expected = calmly(house, root, sides)
    store = Store(house.url)
    stack.callback(store.close)
    by_hand = {"at_run_out": False, "silence_s": None}
    deck = AtTheDeck(house.cellar, "REC-1", source="turntable@cellar", pre_roll_s=0, ends=by_hand)
    deck.hand("record", "T-1")
    deck.hand("lower")
    time.sleep(4)
    deck.do("record")
    listeners = [Listener(server, headers=_cookie(server)) for server in house.web]
    for listener in listeners:
        listener.start()
    storm, began = NetStorm(house, given.seed, given.pause), time.monotonic()
    storm.start()
    dockets = [take_in(house, number, side) for number, side in enumerate(sides)]
    all_ended(store)
    sealed(house.server, store, dockets)
    storm.end()
    took_s = time.monotonic() - began
    deck.do("stop")
    until(deck.takes, "the recording became no take", patience_s=300)
    (take,) = deck.takes()
    all_ended(store)
    faults = [fault for listener in listeners for fault in faults_of(house, store, listener)]
    if storm.fault is not None:
        faults.append(f"the storm itself broke: {storm.fault!r}")
    blows = ", ".join(f"{count} x {blow}" for blow, count in sorted(storm.blows.items()))
    print(f"{len(sides)} dockets in {took_s:.0f} s, through {blows}")
    recorded = samples_of(house.cellar, take)
    lies_in(groove(1, music_s=_MUSIC_S)[0].astype(recorded.dtype), recorded[RATE_HZ:])
    faults += [f"recording: {fault['words']}" for fault in take["transferred"]["faults"]]
    print(f"recorded {len(recorded) / RATE_HZ:.0f} s, every sample as the deck played it")
    with store.begin() as session:
        kept = set(session.scalars(select(Take.sha256)))
    faults += [f"{one.name} is no take" for one in sides if hashlib.sha256(one.read_bytes()).hexdigest() not in kept]
    found = samples(root / "media")
    faults += [f"{path} is not what one server makes" for path in expected if found.get(path) != expected[path]]
    for listener in listeners:
        print(f"{len(listener.ends)} ends of jobs were heard of, over {listener.connections} connections")
        listener.end()
    print(f"{len(expected)} masters compared")
    return faults


def _cookie(server: Server) -> dict[str, str]:
    return {"Cookie": "; ".join(f"{name}={value}" for name, value in server.api.cookies.items())}


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--dockets", type=int, default=60)
    parser.add_argument("--pause", type=float, default=3.0, help="seconds between two blows, in the mean")
    parser.add_argument("--seed", type=int, default=random.SystemRandom().randrange(10**6))
    given = parser.parse_args()
    print(f"seed {given.seed}", flush=True)
    leave_the_network()
    with tempfile.TemporaryDirectory(prefix="house-") as name, ExitStack() as stack:
        faults = run(given, Path(name), stack)
    for fault in faults:
        print(f"FAULT: {fault}")
    print("no fault" if not faults else f"{len(faults)} faults")
    return 1 if faults else 0


if __name__ == "__main__":
    sys.exit(main())
