"""A house full of people on loopback: `python -m benchmarks.crowd --readers 200 --archivists 20 --seconds 300`.

Each person has an event stream open, as every window has, and does something again and again with a pause of a few
seconds: readers search (most of the time), look at the shelf and open dockets; archivists search, open dockets and
describe them. Meanwhile a side is recorded in real time. Afterwards: how long each kind of request took, how many were
answered with 5xx, and whether the recording has every sample. `--servers 2` has a second server, and workers.

The people run in a process of their own, on the same processors as the servers.
"""

from __future__ import annotations

import argparse
import asyncio
import json
import multiprocessing
import os
import random
import shutil
import statistics
import sys
import tempfile
import time
from collections import Counter, defaultdict
from contextlib import ExitStack
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import httpx

from benchmarks.survey import collection, insert
from launcher.database import Database
from tests.broker import broker_in
from tests.carriers import RATE_HZ, groove, write_carrier
from tests.deck import AtTheDeck, lies_in, samples_of
from tests.live import Server, WorkerProcess, new_schema

_PAUSE_S = 5.0  # in the middle, from the answer to the next question
_DOCKETS = 400
_SPAN_S = 15
_MISS = "zzqx"


@dataclass
class Tally:
    """What people saw."""

    began_s: float = field(default_factory=time.monotonic)
    # When each was asked for, from the beginning on, and how long the answer took.
    times_s: dict[str, list[tuple[float, float]]] = field(default_factory=lambda: defaultdict(list))
    answers: Counter[int] = field(default_factory=Counter)
    faults: list[str] = field(default_factory=list)
    streams_lost: int = 0


class Person:
    """Somebody with a window open at one of the servers."""

    def __init__(self, address: str, words: list[str], dockets: list[int], seed: int, tally: Tally) -> None:
        self._http = httpx.AsyncClient(base_url=f"{address}/api/v1", timeout=60, verify=False)
        self._words, self._dockets, self._tally = words, dockets, tally
        self._chance = random.Random(seed)

    async def live(self, *, works: bool, until_s: float) -> None:
        # People come one after the other, within the first pause.
        await asyncio.sleep(self._chance.uniform(0, _PAUSE_S))
        listening = asyncio.ensure_future(self._listen(until_s))
        doings = [self._search, self._search, self._search, self._shelf, self._docket]
        if works:
            doings = [self._search, self._docket, self._describe, self._describe]
        while time.monotonic() < until_s:
            try:
                await self._chance.choice(doings)()
            except httpx.HTTPError as trouble:
                self._tally.faults.append(repr(trouble))
            await asyncio.sleep(min(self._chance.expovariate(1 / _PAUSE_S), 6 * _PAUSE_S))
        listening.cancel()
        await asyncio.gather(listening, return_exceptions=True)
        await self._http.aclose()

    async def _ask(self, what: str, path: str, **params: Any) -> httpx.Response:
        return await self._timed(what, "GET", path, params=params)

    async def _timed(self, what: str, method: str, path: str, **more: Any) -> httpx.Response:
        began_s = time.monotonic()
        answer = await self._http.request(method, path, **more)
        self._tally.times_s[what].append((began_s - self._tally.began_s, time.monotonic() - began_s))
        self._tally.answers[answer.status_code] += 1
        if answer.status_code >= 500:
            self._tally.faults.append(f"{what}: {answer.status_code} {answer.text[:200]}")
        return answer

    async def _search(self) -> None:
        word = self._chance.choice(self._words)
        way = self._chance.random()
        text = word if way < 0.5 else word[: self._chance.randint(3, 6)] if way < 0.9 else f"{word} {_MISS}"
        await self._ask("search", "/collection", text=text, most=100)

    async def _shelf(self) -> None:
        await self._ask("shelf", "/dockets")

    async def _docket(self) -> None:
        await self._ask("docket", f"/dockets/{self._chance.choice(self._dockets)}")

    async def _describe(self) -> None:
        body = {"release": {"notes": f"{self._chance.random():.9f}"}}
        await self._timed("describe", "PATCH", f"/dockets/{self._chance.choice(self._dockets)}/description", json=body)

    async def _listen(self, until_s: float) -> None:
        while time.monotonic() < until_s:
            try:
                async with self._http.stream("GET", "/events", timeout=None) as stream:
                    async for _ in stream.aiter_bytes():
                        pass
            except httpx.HTTPError:
                pass
            self._tally.streams_lost += 1
            await asyncio.sleep(1)


async def _crowd(
    addresses: list[str], words: list[str], dockets: list[int], counts: tuple[int, int], for_s: float
) -> Tally:
    tally, until_s = Tally(), time.monotonic() + for_s
    readers, archivists = counts
    people = [
        Person(addresses[number % len(addresses)], words, dockets, number, tally)
        for number in range(readers + archivists)
    ]
    await asyncio.gather(*(one.live(works=n >= readers, until_s=until_s) for n, one in enumerate(people)))
    return tally


def _people(told: Any, *arguments: Any) -> None:
    tally = asyncio.run(_crowd(*arguments))
    told.send((dict(tally.times_s), tally.answers, tally.faults, tally.streams_lost))


def _begin_recording(server: Server, source: str) -> AtTheDeck:
    by_hand = {"at_run_out": False, "silence_s": None}
    deck = AtTheDeck(server, "REC-1", source=source, pre_roll_s=0, ends=by_hand)
    deck.hand("record", "T-1")
    deck.hand("lower")
    time.sleep(3)
    deck.do("record")
    return deck


def _stolen_s() -> float:
    """Return for how long this machine's host gave its processors to others, since it started (proc_stat(5), steal)."""
    with Path("/proc/stat").open(encoding="ascii") as lines:
        return int(lines.readline().split()[8]) / os.sysconf("SC_CLK_TCK")


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--readers", type=int, default=200)
    parser.add_argument("--archivists", type=int, default=20)
    parser.add_argument("--seconds", type=float, default=300)
    parser.add_argument("--files", type=int, default=100_000, help="rows in the collection")
    parser.add_argument("--servers", type=int, default=1)
    given = parser.parse_args()
    root = Path(tempfile.mkdtemp(prefix="inkwell-crowd-"))
    mariadb = Database(root / "mariadb")
    try:
        mariadb.ensure_running()
        _run(given, root, mariadb)
    finally:
        mariadb.stop()
        shutil.rmtree(root, ignore_errors=True)


def _run(given: argparse.Namespace, root: Path, mariadb: Database) -> None:
    rows, beside, _ = collection(given.files)
    url = new_schema(mariadb)
    write_carrier(root / "carriers", "T-1", music_s=given.seconds + 60)
    settings = {"INKWELL_CARRIERS_ROOT": str(root / "carriers")}
    with ExitStack() as stack:
        if given.servers > 1:
            broker = stack.enter_context(broker_in(root))
            settings |= {"INKWELL_ENGINE": "celery", "INKWELL_BROKER": broker.address}
        servers = [
            Server(url, root / "media", **settings, INKWELL_NODE=f"n{number}") for number in range(given.servers)
        ]
        for server in servers:
            stack.enter_context(server)
        if given.servers > 1:
            stack.enter_context(WorkerProcess(servers[0]))
        insert(url, rows, beside)
        dockets = [servers[0].open_docket(f"CR-{number:04}")["id"] for number in range(_DOCKETS)]
        for server in servers:
            server.stop()
            server.start()
            server.get("/collection", most=1)  # answers once the index is there
        words = [row["fields"].get("title") or "song" for row in random.Random(3).sample(rows, 2_000)]
        source = "turntable" if given.servers == 1 else "turntable@n0"
        deck = _begin_recording(servers[0], source)
        near, far = multiprocessing.Pipe()
        arguments = [one.address for one in servers], words, dockets, (given.readers, given.archivists), given.seconds
        people = multiprocessing.get_context("spawn").Process(target=_people, args=(far, *arguments))
        people.start()
        stolen_before = _stolen_s()
        print("people come in", flush=True)
        times_s, answers, faults, streams_lost = near.recv()
        people.join()
        stolen_s = _stolen_s() - stolen_before
        deck.do("stop")
        (take,) = deck.takes()
        truth = groove(1, music_s=given.seconds + 60)[0]
        samples = samples_of(servers[0], take)
        lies_in(truth.astype(samples.dtype), samples[RATE_HZ:])
        print(f"{given.readers} readers, {given.archivists} archivists, {len(rows)} files, {given.servers} servers")
        searches: dict[int, list[float]] = defaultdict(list)
        for at_s, took_s in times_s["search"]:
            searches[int(at_s // _SPAN_S)].append(1_000 * took_s)
        in_turn = (f"{statistics.median(took_ms):.0f}" for _, took_ms in sorted(searches.items()))
        share = stolen_s / given.seconds / (os.cpu_count() or 1)
        print(f"the machine's host took {share:.0%} of its processors away meanwhile")
        print(f"searches, the median of every {_SPAN_S} s in ms:", *in_turn)
        for what, asked in sorted(times_s.items()):
            found = sorted(took_s for _, took_s in asked)
            at = {share: 1_000 * found[min(len(found) - 1, int(share * len(found)))] for share in (0.5, 0.95, 0.99)}
            rate = len(found) / given.seconds
            print(f"{what}: {len(found)} ({rate:.1f}/s)", *(f"{share:.0%} in {ms:.0f} ms" for share, ms in at.items()))
        print(f"answers {json.dumps(dict(answers))}, streams broken off {streams_lost}")
        seconds, lost = len(samples) / RATE_HZ, len(take["transferred"]["faults"])
        print(f"recorded {seconds:.0f} s, {lost} faults, every sample as the deck played it")
        for fault in faults[:20]:
            print("FAULT", fault)
        sys.exit(1 if faults or lost else 0)


if __name__ == "__main__":
    main()
