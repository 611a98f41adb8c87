"""Two thousand hostile files beside a recording: `python -m benchmarks.hostile --files 2000`.

Some people send what `benchmarks.rubbish` draws, by every way in, while a record is recorded over and over and somebody
else looks at the shelf. Each file must be refused with what is wrong and what to do, or taken in as it is: a recording
whose bytes are those that were sent, archives whose files lie in their own folder. No answer is a fault, no job breaks;
the recordings are the groove's own samples without one lost, the shelf answers within a second, and nothing is written
outside the store.
"""

from __future__ import annotations

import argparse
import hashlib
import shutil
import sys
import tempfile
import threading
import time
from collections import Counter
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import httpx
import numpy as np
import soundfile

from benchmarks.rubbish import Generator, Sent
from inkwell_groove.store.media import MediaStore
from launcher.database import Database
from tests.carriers import RATE_HZ, groove, write_carrier
from tests.live import Server, new_schema
from tests.sounds import noise, write

_SENDERS = 4
_RECORDED_S = 15.0
_LOOK_EVERY_S = 0.25
_LATE_S = 1.0
_MOST_WAIT_S = 300.0
_BUSY = 429


@dataclass
class Tally:
    """What happened, and what was not as it should be."""

    answers: Counter[str] = field(default_factory=Counter)
    words: Counter[str] = field(default_factory=Counter)
    recordings: int = 0
    looks_s: list[float] = field(default_factory=list)
    late: list[str] = field(default_factory=list)
    under_way: dict[int, str] = field(default_factory=dict)  # by the thread that sends it
    most_memory_mb: float = 0.0
    faults: list[str] = field(default_factory=list)


class Senders:
    """People who send one file after the other."""

    def __init__(self, server: Server, bundle_id: int, file_id: int, files: int, seed: int, tally: Tally) -> None:
        self._server, self._bundle_id, self._file_id, self._tally = server, bundle_id, file_id, tally
        self._generator, self._left, self._lock = Generator(seed), files, threading.Lock()
        self._docket_id = server.open_docket("H-0")["id"]
        self._threads = [threading.Thread(target=self._go_on, daemon=True) for _ in range(_SENDERS)]

    def work(self) -> None:
        for thread in self._threads:
            thread.start()
        for thread in self._threads:
            thread.join()

    def _go_on(self) -> None:
        with httpx.Client(base_url=f"{self._server.address}/api/v1", timeout=_MOST_WAIT_S) as http:
            while (sent := self._next()) is not None:
                size = f"{len(sent.data) / 1e6:.1f} MB"
                self._tally.under_way[threading.get_ident()] = f"{sent.way_in} {sent.name} {sent.how} {size}"
                try:
                    self._send(http, sent)
                except (httpx.HTTPError, KeyError, AssertionError) as cause:
                    self._fault(sent, f"{type(cause).__name__}: {cause}")

    def _next(self) -> Sent | None:
        with self._lock:
            if not self._left:
                return None
            self._left -= 1
            if self._left % 100 == 0:
                sys.stdout.write(f"{self._left} to go, {len(self._tally.faults)} faults\n")
                sys.stdout.flush()
            return self._generator.draw()

    def _fault(self, sent: Sent, what: str) -> None:
        self._tally.faults.append(f"{sent.way_in}, {sent.name}, {sent.how}: {what[:300]}")

    def _send(self, http: httpx.Client, sent: Sent) -> None:
        if sent.way_in == "recording":
            self._record_of(http, sent)
            return
        path, params = {
            "zip": ("/bundles/zip", {"name": sent.name.replace("/", " ")}),
            "parcel": ("/parcels", {}),
            "picture": ("/files/pictures", {"file": self._file_id}),
            "find-crop": ("/pictures/find-crop", {}),
            "spreadsheet": ("/sheet/spreadsheet", {"bundle": self._bundle_id}),
        }[sent.way_in]
        answer = http.post(path, params=params, content=sent.data)
        while answer.status_code == _BUSY:
            time.sleep(float(answer.headers["Retry-After"]))
            answer = http.post(path, params=params, content=sent.data)
        self._judge(sent, answer)

    def _judge(self, sent: Sent, answer: httpx.Response) -> bool:
        """Return whether it was taken in; note an answer that is neither that nor a refusal in words."""
        kind = "taken in" if answer.is_success else "refused"
        self._tally.answers[f"{sent.way_in} {kind}"] += 1
        if answer.is_success:
            return True
        told = answer.json() if answer.headers.get("content-type", "").startswith("application/problem+json") else {}
        if not 400 <= answer.status_code < 500 or not (told.get("detail") and told.get("remedy")):
            self._fault(sent, f"{answer.status_code} {answer.text}")
        self._tally.words[f"{sent.way_in}: {told.get('detail')}"] += 1
        return False

    def _record_of(self, http: httpx.Client, sent: Sent) -> None:
        """Send a recording as the interface does, and wait until it is a take or refused."""
        name = sent.name if "." in sent.name else f"{sent.name}.wav"
        docket = http.post("/dockets", json={"shelfmark": f"H-{time.monotonic_ns()}", "carrier_format": "LP"}).json()
        body = {"name": name, "size_bytes": len(sent.data)}
        begun = http.post(f"/dockets/{docket['id']}/uploads", json=body)
        if not self._judge(sent, begun):
            return
        upload = begun.json()
        if not sent.data:
            return
        answer = http.patch(f"/uploads/{upload['id']}", content=sent.data, headers={"Upload-Offset": "0"})
        if not self._judge(sent, answer):
            return
        until = time.monotonic() + _MOST_WAIT_S
        while time.monotonic() < until:
            now = http.get(f"/uploads/{upload['id']}")
            if now.status_code == 404:
                takes = http.get(f"/dockets/{docket['id']}").json()["carriers"][0]["sides"][0]["takes"]
                kept = {one["sha256"] for one in takes}
                if hashlib.sha256(sent.data).hexdigest() not in kept:
                    self._fault(sent, "it was taken in as something else")
                return
            if now.json()["state"] == "refused":
                what = now.json()["refusal"]["what"]
                self._tally.words[f"recording: {what}"] += 1
                if "fault" in what or "died" in what:
                    self._fault(sent, what)
                return
            time.sleep(0.1)
        self._fault(sent, "nothing came of it")


class Recording(threading.Thread):
    """A record that is recorded over and over."""

    def __init__(self, server: Server, tally: Tally) -> None:
        super().__init__(daemon=True)
        self._server, self._tally, self.stopping = server, tally, threading.Event()
        self._truth = groove(1)[0]

    def run(self) -> None:
        while not self.stopping.is_set():
            try:
                self._record()
            except (httpx.HTTPError, AssertionError, KeyError) as cause:
                self._tally.faults.append(f"recording: {type(cause).__name__}: {cause}")
                return

    def _record(self) -> None:
        with httpx.Client(base_url=f"{self._server.address}/api/v1", timeout=60) as http:

            def ask(method: str, path: str, body: Any = None) -> Any:
                answer = http.request(method, path, json=body)
                assert answer.is_success, f"{path}: {answer.text}"
                return answer.json() if answer.content else None

            mark = f"R-{self._tally.recordings}"
            docket = ask("POST", "/dockets", {"shelfmark": mark, "carrier_format": "LP"})
            side_id = docket["carriers"][0]["sides"][0]["id"]
            settings = {"side_id": side_id, "pre_roll_s": 0, "ends": {"at_run_out": False, "silence_s": None}}
            body = {"source_id": "turntable", "rate_hz": RATE_HZ, "settings": settings}
            key = ask("POST", f"/dockets/{docket['id']}/transfer", body)["key"]
            for control, value in (("record", "T-1"), ("lower", "")):
                ask("POST", f"/transfers/{key}/controls", {"control": control, "value": value})
            ask("POST", f"/transfers/{key}/record")
            time.sleep(_RECORDED_S)
            ask("POST", f"/transfers/{key}/stop")
            ask("DELETE", f"/transfers/{key}")
            until = time.monotonic() + _MOST_WAIT_S
            takes: list[Any] = []
            while not takes and time.monotonic() < until:
                time.sleep(0.3)
                takes = ask("GET", f"/dockets/{docket['id']}")["carriers"][0]["sides"][0]["takes"]
        assert takes, f"{mark} never became a take"
        self._compare(mark, takes[0])
        self._tally.recordings += 1

    def _compare(self, mark: str, take: Any) -> None:
        if take["transferred"]["faults"]:
            self._tally.faults.append(f"{mark}: {take['transferred']['faults']}")
        path = MediaStore(self._server.media_root).take(take["sha256"])
        samples, _ = soundfile.read(str(path), dtype="int32", always_2d=True)
        if len(samples) < (_RECORDED_S - 1) * RATE_HZ:
            self._tally.faults.append(f"{mark}: {len(samples) / RATE_HZ:.2f} s of {_RECORDED_S:g}")
        probe = samples[3 * RATE_HZ : 3 * RATE_HZ + 64]
        places = np.flatnonzero(self._truth[:-64, 0] == probe[0, 0])
        starts = [int(at) - 3 * RATE_HZ for at in places if np.array_equal(self._truth[at : at + 64], probe)]
        if not any(self._follows(samples, start) for start in starts):
            self._tally.faults.append(f"{mark}: its samples are not those of the groove")

    def _follows(self, samples: Any, start: int) -> bool:
        """Return whether, from where the stylus is down, each sample is the groove's."""
        first = max(0, -start) + RATE_HZ
        count = min(len(samples), len(self._truth) - start)
        return np.array_equal(samples[first:count], self._truth[start + first : start + count])


class Onlooker(threading.Thread):
    """Somebody who looks at the shelf, and how long each look took; and how much memory the house has."""

    def __init__(self, server: Server, tally: Tally) -> None:
        super().__init__(daemon=True)
        self._server, self._tally, self.stopping = server, tally, threading.Event()

    def run(self) -> None:
        with httpx.Client(base_url=self._server.address, timeout=60) as http:
            while not self.stopping.wait(_LOOK_EVERY_S):
                for path in ("/", "/api/v1/dockets?search=H-0"):
                    began_s = time.monotonic()
                    answer = http.get(path)
                    took_s = time.monotonic() - began_s
                    self._tally.looks_s.append(took_s)
                    if took_s > _LATE_S:
                        beside = "; ".join(self._tally.under_way.values())
                        self._tally.late.append(f"{path} took {took_s:.2f} s beside {beside}")
                    if not answer.is_success:
                        self._tally.faults.append(f"{path}: {answer.status_code} {answer.text[:200]}")
                for pid in self._server.processes:
                    self._tally.most_memory_mb = max(self._tally.most_memory_mb, _resident_mb(pid))


def _resident_mb(pid: int) -> float:
    """Return the memory of a process that it shares with no other; 0 for one that has ended."""
    try:
        status = Path(f"/proc/{pid}/status").read_text()
    except OSError:
        return 0.0
    return sum(int(line.split()[1]) for line in status.splitlines() if line.startswith("RssAnon:")) / 1024


def _outside(root: Path) -> set[str]:
    """Return what lies beside the store and in the temporary folder's top, where no file that is sent may get."""
    return {str(path) for path in (*root.iterdir(), *root.parent.glob("out*"), *Path("/").glob("out*"))}


def main() -> int:
    parser = argparse.ArgumentParser(description=(__doc__ or "").partition("\n")[0])
    parser.add_argument("--files", type=int, default=2_000)
    parser.add_argument("--seed", type=int, default=1)
    wanted = parser.parse_args()
    root = Path(tempfile.mkdtemp(prefix="inkwell-hostile-"))
    mariadb = Database(root / "mariadb", is_durable=False)
    mariadb.ensure_running()
    write_carrier(root / "carriers", "T-1")
    (root / "files" / "sheet").mkdir(parents=True)
    write(root / "files" / "sheet" / "one.flac", noise(10_000), 44_100, form="FLAC")
    settings = {"INKWELL_FILES_ROOT": str(root / "files"), "INKWELL_CARRIERS_ROOT": str(root / "carriers")}
    tally, began_s = Tally(), time.monotonic()
    try:
        with Server(new_schema(mariadb), root / "media", **settings) as server:
            bundle_id = server.post("/bundles", {"folder": "sheet", "in_place": True})["id"]
            server.wait_for_jobs()
            file_id = server.get("/sheet", bundle=bundle_id)["rows"][0]["id"]
            before = _outside(root)
            others = (Recording(server, tally), Onlooker(server, tally))
            senders = Senders(server, bundle_id, file_id, wanted.files, wanted.seed, tally)
            for one in others:
                one.start()
            senders.work()
            for one in others:
                one.stopping.set()
                one.join(_MOST_WAIT_S)
            jobs = server.wait_for_jobs(patience_s=_MOST_WAIT_S)
            tally.faults += [f"{one['kind']}: {one['failure']}" for one in jobs if _is_fault(one)]
            tally.faults += [f"{path} was written" for path in _outside(root) - before]
            log = (root / "server.log").read_text(errors="replace").splitlines()
            tally.faults += [line[:3_000] for line in log if '"level": "error"' in line or "Traceback" in line]
    finally:
        mariadb.stop()
        shutil.rmtree(root, ignore_errors=True)
    return _told(tally, time.monotonic() - began_s)


def _is_fault(job: Any) -> bool:
    """A job may refuse what it was given, in words; it may not break, and its process may not die."""
    failure = job["failure"] or {}
    broke = any(word in failure.get("what", "fault") for word in ("fault", "died", "cannot be kept"))
    return job["state"] == "failed" and (broke or not failure.get("remedy"))


def _told(tally: Tally, took_s: float) -> int:
    out = [f"{sum(tally.answers.values())} answers in {took_s:.0f} s, {tally.recordings} recordings beside them"]
    out += [f"  {number:5} {what}" for what, number in sorted(tally.answers.items())]
    out += [f"  {number:5} times {words[:110]}" for words, number in tally.words.most_common(12)]
    looks = np.array(tally.looks_s or [0.0])
    out.append(
        f"{len(looks)} looks at the shelf: median {np.median(looks):.3f} s, longest {looks.max():.2f} s, "
        f"{len(tally.late)} late"
    )
    out += [f"LATE {late}" for late in tally.late]
    out.append(f"the largest process: {tally.most_memory_mb:.0f} MB of its own")
    out += [f"FAULT {fault}" for fault in tally.faults]
    sys.stdout.write("\n".join(out) + "\n")
    return 1 if tally.faults or tally.late else 0


if __name__ == "__main__":
    sys.exit(main())
