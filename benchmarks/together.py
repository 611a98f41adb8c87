"""Sixteen people at one docket and one sheet: `python -m benchmarks.together --seconds 120`.

Each changes fields of the description, edits, undoes and redoes the plan, and changes cells of the sheet, on what they
saw last; a change that is refused because somebody else was first is made anew on what is there now. Afterwards every
accepted change must be told in the ledger, and every value must have been changed by one accepted change only, or be
what is there in the end: none was overwritten unseen. No answer may be a fault of the server.
"""

from __future__ import annotations

import argparse
import random
import shutil
import sys
import tempfile
import threading
import time
import uuid
from collections import Counter, defaultdict
from pathlib import Path
from typing import Any

import httpx

from launcher.database import Database
from tests.live import Server, new_schema
from tests.sounds import noise, record_side, write

_FIELDS = ("title", "label", "country", "notes")


class Person(threading.Thread):
    """Somebody at work, for as long as it goes on."""

    def __init__(self, server: Server, docket_id: int, bundle_id: int, until_s: float, seed: int) -> None:
        super().__init__(daemon=True)
        self._http = httpx.Client(base_url=f"{server.address}/api/v1", timeout=60)
        self._docket_id, self._bundle_id, self._until_s = docket_id, bundle_id, until_s
        self._chance = random.Random(seed)
        self.accepted: list[tuple[str, str, str]] = []  # what, the value that was seen, the value it is now
        self.plan_changes = 0
        self.answers: Counter[int] = Counter()
        self.faults: list[str] = []

    def run(self) -> None:
        with self._http:
            while time.monotonic() < self._until_s:
                self._chance.choice((self._describe, self._describe, self._edit_plan, self._cell, self._cell))()

    def _sent(self, answer: httpx.Response) -> bool:
        self.answers[answer.status_code] += 1
        if answer.status_code >= 500:
            self.faults.append(answer.text[:300])
        return answer.is_success

    def _describe(self) -> None:
        field = self._chance.choice(_FIELDS)
        seen = self._http.get(f"/dockets/{self._docket_id}").json()["release"].get(field, "")
        value = uuid.uuid4().hex
        body = {"release": {field: value}, "seen": {"release": {field: seen}}}
        if self._sent(self._http.patch(f"/dockets/{self._docket_id}/description", json=body)):
            self.accepted.append((field, seen, value))

    def _edit_plan(self) -> None:
        side = self._http.get(f"/dockets/{self._docket_id}").json()["carriers"][0]["sides"][0]
        version, tracks = side["plan"]["version"], side["plan"]["plan"]["tracks"]
        based_on = {"If-Match": f'"{version}"'}
        way = self._chance.choice(("edits", "edits", "undo", "redo"))
        body: dict[str, Any] | None = None
        if way == "edits":
            first = tracks[0]
            to_sample = first["end_sample"] + self._chance.randint(-400, 400)
            body = {"op": "move edge", "track_key": first["key"], "edge": "end", "to_sample": to_sample}
        if self._sent(self._http.post(f"/sides/{side['id']}/plan/{way}", json=body, headers=based_on)):
            self.plan_changes += 1

    def _cell(self) -> None:
        rows = [
            one
            for one in self._http.get("/sheet", params={"bundle": self._bundle_id}).json()["rows"]
            if one["kind"] == "audio"
        ]
        row, field = self._chance.choice(rows), "title"
        seen = row["pending"].get(field, row["fields"].get(field, ""))
        value = uuid.uuid4().hex
        change = {"file_id": row["id"], "field": field, "value": value, "seen": seen}
        if self._sent(self._http.patch("/sheet", json={"changes": [change]})):
            self.accepted.append((f"cell {row['id']}", seen, value))


def chains(accepted: list[tuple[str, str, str]], final: dict[str, str]) -> list[str]:
    """Return what is wrong with the accepted changes of each value: they must follow one another to the final one."""
    faults = []
    seen_by: dict[tuple[str, str], int] = Counter((what, seen) for what, seen, _ in accepted)
    by_what: dict[str, list[str]] = defaultdict(list)
    for what, _, value in accepted:
        by_what[what].append(value)
    faults += [f"{what}: {seen!r} was changed {n} times" for (what, seen), n in seen_by.items() if n > 1]
    for what, values in by_what.items():
        never = [value for value in values if not seen_by[what, value]]
        if never != [final[what]]:
            faults.append(f"{what}: {len(never)} values were never changed again; in the end there is {final[what]!r}")
    return faults


def main() -> int:
    """Let them work, look at what came of it, and print it; 1 if anything was lost or broke."""
    parser = argparse.ArgumentParser(description=(__doc__ or "").partition("\n")[0])
    parser.add_argument("--seconds", type=float, default=120.0)
    parser.add_argument("--people", type=int, default=16)
    wanted = parser.parse_args()
    root = Path(tempfile.mkdtemp(prefix="inkwell-together-"))
    mariadb = Database(root / "mariadb", is_durable=False)
    mariadb.ensure_running()
    (root / "files" / "sheet").mkdir(parents=True)
    for number in range(4):
        write(root / "files" / "sheet" / f"{number}.flac", noise(10_000, seed=number), 44_100, form="FLAC")
    record_side(root / "side.wav")
    try:
        with Server(new_schema(mariadb), root / "media", INKWELL_FILES_ROOT=str(root / "files")) as server:
            docket_id = server.open_docket("T-16")["id"]
            server.upload(docket_id, root / "side.wav")
            bundle_id = server.post("/bundles", {"folder": "sheet", "in_place": True})["id"]
            server.wait_for_jobs()
            before = len(server.get("/ledger", docket_id=docket_id, limit=200))
            until_s = time.monotonic() + wanted.seconds
            people = [Person(server, docket_id, bundle_id, until_s, seed) for seed in range(wanted.people)]
            for one in people:
                one.start()
            for one in people:
                one.join()
            return told(server, docket_id, bundle_id, before, people)
    finally:
        mariadb.stop()
        shutil.rmtree(root, ignore_errors=True)


def told(server: Server, docket_id: int, bundle_id: int, before: int, people: list[Person]) -> int:
    """Compare what was accepted with what is there, print it, and return 1 if anything is wrong."""
    answers = sum((one.answers for one in people), Counter[int]())
    accepted = [change for one in people for change in one.accepted]
    faults = [fault for one in people for fault in one.faults]
    release = server.get(f"/dockets/{docket_id}")["release"]
    rows = server.get("/sheet", bundle=[bundle_id])["rows"]
    final = {field: release.get(field, "") for field in _FIELDS}
    final |= {f"cell {row['id']}": row["pending"].get("title", row["fields"].get("title", "")) for row in rows}
    faults += chains(accepted, final)
    entries = _ledger(server, docket_id)
    of_docket = sum(not what.startswith("cell") for what, _, _ in accepted) + sum(one.plan_changes for one in people)
    if len(entries) - before != of_docket:
        faults.append(f"{of_docket} changes of the docket were accepted, the ledger tells of {len(entries) - before}")
    sys.stdout.write(f"{len(people)} people, answers by status: {dict(sorted(answers.items()))}\n")
    sys.stdout.write(f"{of_docket} changes of the docket, {len(accepted)} of values, one after the other\n")
    for fault in faults:
        sys.stdout.write(f"FAULT {fault}\n")
    return 1 if faults else 0


def _ledger(server: Server, docket_id: int) -> list[Any]:
    entries: list[Any] = []
    while True:
        more = {"before_id": entries[-1]["id"]} if entries else {}
        page = server.get("/ledger", docket_id=docket_id, limit=200, **more)
        if not page:
            return entries
        entries += page


if __name__ == "__main__":
    sys.exit(main())
