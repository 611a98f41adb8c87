"""Kills at random moments while everything goes on at once: `python -m benchmarks.chaos --application 200`.

A real server, its job workers and a durable MariaDB work on a recording, uploads, sealing, tags and renaming with swaps
in folders that are edited in place, and filing back; each in turn is killed with SIGKILL. After each kill what died is
started again, and after a number of kills everything is let come to rest and is examined:

- recordings: every sample as the deck played it, and at most 1 s lost before the kill;
- files: every sound as it was, under its old name or its new one, none missing, none twice;
- packages: every bag valid;
- rows: none that hangs; the doctor finds nothing that it does not put right.
"""

from __future__ import annotations

import argparse
import contextlib
import os
import random
import shutil
import signal
import sys
import tempfile
import threading
import time
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import bagit
import httpx
import numpy as np
import soundfile

from inkwell_groove.core.files.audio_bytes import digests
from inkwell_groove.store.database import Database as Store
from inkwell_groove.store.media import MediaStore
from inkwell_groove.workroom.doctor.examination import examine
from launcher.database import Database
from tests.carriers import RATE_HZ, groove, write_carrier
from tests.live import Server, new_schema
from tests.sounds import noise, record_side, write

_FILES = 12
_REST_EVERY = 10  # kills
_Victim = str  # "application", "worker" or "database"


@dataclass
class Tally:
    """What happened, and what was not as it should be."""

    kills: Counter[str] = field(default_factory=Counter)
    done: Counter[str] = field(default_factory=Counter)
    refused: Counter[str] = field(default_factory=Counter)
    lost_s: list[float] = field(default_factory=list)
    faults: list[str] = field(default_factory=list)


class House:
    """The application, its database, and the folders that it works on."""

    def __init__(self, root: Path) -> None:
        self.root = root
        self.mariadb = Database(root / "mariadb", is_durable=True)
        self.mariadb.ensure_running()
        files, carriers = root / "files", root / "carriers"
        write_carrier(carriers, "T-1")
        self.edited, self.filed = files / "edited", files / "filed"
        for folder in (self.edited, self.filed):
            for number in range(_FILES):
                write(_folder(folder) / f"{number:02}.flac", noise(20_000, seed=number), 44_100, form="FLAC")
        self.sounds = {folder: sorted(_sounds(folder)) for folder in (self.edited, self.filed)}
        self.side = root / "side.wav"
        record_side(self.side, tracks_s=(5.0, 6.0))
        settings = {"INKWELL_FILES_ROOT": str(files), "INKWELL_CARRIERS_ROOT": str(carriers)}
        self.server = Server(new_schema(self.mariadb), root / "media", **settings)
        self.server.start()

    def close(self) -> None:
        self.server.stop()
        self.server.api.close()
        self.mariadb.stop()

    def kill(self, victim: _Victim, chance: random.Random) -> None:
        """Kill one of them, and start it again."""
        if victim == "application":
            self.server.kill()
            self.server.start()
        elif victim == "worker":
            workers = self.server.workers
            if workers:
                with contextlib.suppress(ProcessLookupError):
                    os.kill(chance.choice(workers), signal.SIGKILL)
        else:
            pid = int((self.mariadb.folder / "mariadb.pid").read_text())
            with contextlib.suppress(ProcessLookupError):
                os.kill(pid, signal.SIGKILL)
            # It is a child of this process: until it is asked how it ended it seems to run.
            with contextlib.suppress(ChildProcessError):
                os.waitpid(pid, 0)
            self.mariadb.ensure_running()


def _folder(path: Path) -> Path:
    path.mkdir(parents=True, exist_ok=True)
    return path


def _sounds(folder: Path) -> list[str]:
    """The sound of each file, whatever its name and its tags; hidden files too."""
    return [digests(path).audio for path in folder.rglob("*.flac")]


class Work:
    """People at work: each kind goes round and round in a thread of its own, whatever is killed meanwhile."""

    def __init__(self, house: House, tally: Tally, chance: random.Random) -> None:
        self._house, self._tally, self._chance = house, tally, chance
        self._may_begin, self._stopping = threading.Event(), threading.Event()
        self._busy = threading.Semaphore(0)
        self._at_work = 0
        self._lock = threading.Lock()
        self.recorded: dict[int, float] = {}  # by docket: seconds that a recording went on at least, when it was killed
        self._threads = [
            threading.Thread(target=self._go_round, args=(kind,), daemon=True)
            for kind in (self.upload_and_seal, self.rename, self.file_back, self.record)
        ]
        self._may_begin.set()
        for thread in self._threads:
            thread.start()

    def _go_round(self, kind: Callable[[httpx.Client], None]) -> None:
        with httpx.Client(timeout=20) as http:
            while not self._stopping.is_set():
                self._may_begin.wait()
                with self._lock:
                    self._at_work += 1
                try:
                    http.base_url = f"{self._house.server.address}/api/v1"
                    kind(http)
                    self._tally.done[kind.__name__] += 1
                except (httpx.HTTPError, AssertionError) as cause:
                    self._tally.refused[f"{kind.__name__}: {str(cause)[:120]}"] += 1
                    time.sleep(0.05)  # killed meanwhile, or refused because something else goes on: begun anew
                finally:
                    with self._lock:
                        self._at_work -= 1

    def rest(self) -> None:
        """Let nothing new begin, and wait until what goes on has ended."""
        self._may_begin.clear()
        end = time.monotonic() + 300
        while time.monotonic() < end:
            with self._lock:
                if not self._at_work:
                    break
            time.sleep(0.1)
        else:
            self._tally.faults.append("people never came to rest")
        self._house.server.wait_for_jobs(patience_s=300)

    def go_on(self) -> None:
        self._may_begin.set()

    def stop(self) -> None:
        self._stopping.set()
        self._may_begin.set()
        for thread in self._threads:
            thread.join(60)

    def upload_and_seal(self, http: httpx.Client) -> None:
        docket = self._docket(http)
        size = self._house.side.stat().st_size
        upload = _asked(http.post(f"/dockets/{docket['id']}/uploads", json={"name": "side.wav", "size_bytes": size}))
        data = self._house.side.read_bytes()
        at = 0
        while at < len(data):
            part = data[at : at + 400_000]
            at = _asked(http.patch(f"/uploads/{upload['id']}", content=part, headers={"Upload-Offset": str(at)}))[
                "received_bytes"
            ]
        lines = _until(lambda: _tracks(http, docket["id"]))
        tracks = {key: {"title": f"Track {number}"} for number, key in enumerate(lines)}
        release = {"album_artist": "The Test Band", "title": f"Record {docket['id']}"}
        _asked(http.patch(f"/dockets/{docket['id']}/description", json={"release": release, "tracks": tracks}))
        _asked(http.post(f"/dockets/{docket['id']}/seal"))

    def rename(self, http: httpx.Client) -> None:
        """Titles written and names exchanged, two by two; sometimes taken back."""
        bundle = self._bundle(http, "edited", in_place=True)
        rows = [one for one in _asked(http.get("/sheet", params={"bundle": bundle}))["rows"] if one["kind"] == "audio"]
        self._chance.shuffle(rows)
        changes = []
        for one, other in zip(rows[::2], rows[1::2], strict=False):
            changes += [{"file_id": one["id"], "field": "path", "value": other["path"]}]
            changes += [{"file_id": other["id"], "field": "path", "value": one["path"]}]
            changes += [{"file_id": one["id"], "field": "title", "value": f"Title {self._chance.random()}"}]
        _asked(http.patch("/sheet", json={"changes": changes}))
        step = _asked(http.post("/sheet/write", json={"bundle_ids": [bundle]}))
        _until(lambda: _step(http, step["id"])["state"] != "under way")
        if self._chance.random() < 0.5:
            _asked(http.post(f"/file-steps/{step['id']}/undo"))

    def file_back(self, http: httpx.Client) -> None:
        """A copy is altered and filed back into the folder that it came from; sometimes taken back."""
        bundle = self._bundle(http, "filed", in_place=False)
        rows = [one for one in _asked(http.get("/sheet", params={"bundle": bundle}))["rows"] if one["kind"] == "audio"]
        changes = [
            {"file_id": one["id"], "field": "title", "value": f"Filed {self._chance.random()}"} for one in rows[:6]
        ]
        _asked(http.patch("/sheet", json={"changes": changes}))
        step = _asked(http.post("/sheet/write", json={"bundle_ids": [bundle]}))
        _until(lambda: _step(http, step["id"])["state"] != "under way")
        filed = _asked(http.post(f"/bundles/{bundle}/file-back"))
        _until(lambda: _step(http, filed["id"])["state"] != "under way")
        if self._chance.random() < 0.5:
            _asked(http.post(f"/file-steps/{filed['id']}/undo"))

    def record(self, http: httpx.Client) -> None:
        """A side is recorded for some seconds, or until the application is killed."""
        docket = self._docket(http)
        side = docket["carriers"][0]["sides"][0]["id"]
        settings = {"side_id": side, "pre_roll_s": 0, "ends": {"at_run_out": False, "silence_s": None}}
        body = {"source_id": "turntable", "rate_hz": RATE_HZ, "settings": settings}
        key = _asked(http.post(f"/dockets/{docket['id']}/transfer", json=body))["key"]
        for control, value in (("record", "T-1"), ("lower", "")):
            _asked(http.post(f"/transfers/{key}/controls", json={"control": control, "value": value}))
        _asked(http.post(f"/transfers/{key}/record"))
        began_s = time.monotonic()
        length_s = self._chance.uniform(2.0, 8.0)
        while time.monotonic() - began_s < length_s:
            live = _asked(http.get(f"/transfers/{key}/live", params={"after_sample": 10**15}))
            self.recorded[docket["id"]] = (live["recorded_samples"] or 0) / RATE_HZ
            time.sleep(0.1)
        _asked(http.post(f"/transfers/{key}/stop"))
        _asked(http.delete(f"/transfers/{key}"))

    def _docket(self, http: httpx.Client) -> Any:
        mark = f"C-{self._chance.randrange(10**9)}"
        return _asked(http.post("/dockets", json={"shelfmark": mark, "carrier_format": "LP"}))

    def _bundle(self, http: httpx.Client, name: str, *, in_place: bool) -> int:
        for one in _asked(http.get("/bundles")):
            if one["name"] == name and one["state"] == "ready":
                return int(one["id"])
        if not any(one["name"] == name for one in _asked(http.get("/bundles"))):
            _asked(http.post("/bundles", json={"folder": name, "in_place": in_place}))
        found = _until(
            lambda: [one for one in _asked(http.get("/bundles")) if one["name"] == name and one["state"] == "ready"]
        )
        return int(found[0]["id"])


def _asked(answer: httpx.Response) -> Any:
    assert answer.is_success, answer.text
    return answer.json() if answer.content else None


def _until(look: Callable[[], Any], *, most_s: float = 60.0) -> Any:
    end = time.monotonic() + most_s
    while time.monotonic() < end:
        if found := look():
            return found
        time.sleep(0.1)
    raise AssertionError("it never came")


def _tracks(http: httpx.Client, docket_id: int) -> list[str]:
    side = _asked(http.get(f"/dockets/{docket_id}"))["carriers"][0]["sides"][0]
    return [line["key"] for line in side["tracks"]]


def _step(http: httpx.Client, step_id: int) -> Any:
    return next(one for one in _asked(http.get("/file-steps")) if one["id"] == step_id)


def examined(house: House, work: Work, tally: Tally) -> None:
    """Look at everything while nothing goes on, and note what is not as it should be."""
    for folder, wanted in house.sounds.items():
        found = sorted(_sounds(folder))
        if found != wanted:
            tally.faults.append(f"{folder.name}: {len(wanted)} sounds were there, {len(found)} are, not all the same")
        if hidden := [path.name for path in folder.rglob(".*")]:
            tally.faults.append(f"{folder.name}: {hidden[:5]} are left")
    truth = groove(1)[0]
    for docket_id, seen_s in work.recorded.items():
        _look_at_recording(house, docket_id, seen_s, truth, tally)
    work.recorded.clear()
    sealed = house.root / "media" / "sealed"
    for bag in sealed.glob("*/*/*/bagit.txt"):
        if not bagit.Bag(str(bag.parent)).is_valid():
            tally.faults.append(f"{bag.parent} is no valid bag")
    jobs = house.server.get("/jobs")
    tally.faults += [f"{one['kind']}: {one['failure']['what']}" for one in jobs if _is_fault(one)]
    if left := list((house.root / "media" / "work").iterdir()):
        tally.faults.append(f"{len(left)} workspaces are left")
    store = Store(house.server.database_url)
    media = MediaStore(house.root / "media", others={"files": house.root / "files"})
    found_wrong = [one for one in examine(store, media) if one.mend is None]
    store.close()
    tally.faults += [f"{one.kind}: {one.where}: {one.what}" for one in found_wrong]


def _is_fault(job: Any) -> bool:
    """A job fails where it is killed three times, or where what it is to alter was altered since; else it may not."""
    if job["state"] != "failed":
        return False
    what = job["failure"]["what"]
    return not any(word in what for word in ("times while it ran", "no longer what", "altered"))


def _look_at_recording(house: House, docket_id: int, seen_s: float, truth: Any, tally: Tally) -> None:
    docket = house.server.get(f"/dockets/{docket_id}")
    takes = docket["carriers"][0]["sides"][0]["takes"]
    left = house.server.get(f"/dockets/{docket_id}/recordings")
    if not takes:
        if seen_s > 1.0 and not left:
            tally.faults.append(f"docket {docket_id}: {seen_s:.1f} s were recorded, and there is no take")
        return
    path = MediaStore(house.root / "media").take(takes[0]["sha256"])
    samples, _ = soundfile.read(str(path), dtype="int32", always_2d=True)
    lost_s = max(0.0, seen_s - len(samples) / RATE_HZ)
    tally.lost_s.append(lost_s)
    if lost_s > 1.0:
        tally.faults.append(f"docket {docket_id}: {lost_s:.2f} s of what was seen are lost")
    if len(samples) > 2 * RATE_HZ and not takes[0]["transferred"]["faults"]:
        probe = samples[RATE_HZ : RATE_HZ + 64]
        starts = [
            at for at in np.flatnonzero(truth[:-64, 0] == probe[0, 0]) if np.array_equal(truth[at : at + 64], probe)
        ]
        start = int(starts[0]) - RATE_HZ if starts else None
        count = 0 if start is None else min(len(samples), len(truth) - start)
        if start is None or start < 0 or not np.array_equal(samples[:count], truth[start : start + count]):
            tally.faults.append(f"docket {docket_id}: its samples are not those of the groove")


def main() -> int:
    """Kill, examine, and print what came of it; 1 if anything was not as it should be."""
    parser = argparse.ArgumentParser(description=(__doc__ or "").partition("\n")[0])
    parser.add_argument("--application", type=int, default=20)
    parser.add_argument("--worker", type=int, default=5)
    parser.add_argument("--database", type=int, default=5)
    parser.add_argument("--seed", type=int, default=1)
    wanted = parser.parse_args()
    chance = random.Random(wanted.seed)
    victims = [name for name in ("application", "worker", "database") for _ in range(getattr(wanted, name))]
    chance.shuffle(victims)
    tally, began_s = Tally(), time.monotonic()
    root = Path(tempfile.mkdtemp(prefix="inkwell-chaos-"))
    house = House(root)
    work = Work(house, tally, chance)
    try:
        for number, victim in enumerate(victims, start=1):
            time.sleep(chance.uniform(0.3, 3.0))
            house.kill(victim, chance)
            tally.kills[victim] += 1
            if number % _REST_EVERY == 0 or number == len(victims):
                work.rest()
                examined(house, work, tally)
                sys.stdout.write(f"{number} kills, {time.monotonic() - began_s:.0f} s: {len(tally.faults)} faults\n")
                sys.stdout.flush()
                work.go_on()
        work.stop()
    finally:
        house.close()
        if not tally.faults and sys.exc_info()[0] is None:
            shutil.rmtree(root, ignore_errors=True)
    sys.stdout.write(f"killed: {dict(tally.kills)}\ndone meanwhile: {dict(tally.done)}\n")
    for words, times in tally.refused.most_common(8):
        sys.stdout.write(f"  {times} times {words}\n")
    if tally.lost_s:
        sys.stdout.write(f"{len(tally.lost_s)} recordings, at most {max(tally.lost_s):.2f} s lost of what was seen\n")
    for fault in tally.faults:
        sys.stdout.write(f"FAULT {fault}\n")
    return 1 if tally.faults else 0


if __name__ == "__main__":
    sys.exit(main())
