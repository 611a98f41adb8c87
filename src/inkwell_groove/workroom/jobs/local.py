"""The engine for one machine: processes of this server run the jobs, and no broker is needed.

Where several machines work together it is what each of them runs its jobs with, those of some lanes.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Collection
from concurrent.futures import Future
from concurrent.futures.process import BrokenProcessPool

import structlog

from inkwell_groove.core.errors import InkwellError
from inkwell_groove.store.media import MediaStore
from inkwell_groove.workroom.jobs.engine import Claim, Outcome, Queue
from inkwell_groove.workroom.jobs.kind import AnyKind, Lane, Result
from inkwell_groove.workroom.jobs.pool import JobPool, Order
from inkwell_groove.workroom.jobs.queue import LEASE_S

_LOOK_EVERY_S = 5.0
_PAUSE_S = 1.0
_SHORTEST_WAIT_S = 0.01
_WARM = "inkwell_groove.workroom.jobs.sides:warm"
_PRELOADED = "inkwell_groove.workroom.jobs.preloaded"
log = structlog.get_logger()


def open_lanes(running: dict[Lane, int], workers: int) -> set[Lane]:
    """Return the lanes whose next job may begin.

    Of `workers` places, long work leaves one to what takes minutes, if there are two; quick work has a place more than
    all others together, so that it never waits for them.
    """
    quick, bulk = running.get(Lane.QUICK, 0), running.get(Lane.BULK, 0)
    steady = running.get(Lane.STEADY, 0) + running.get(Lane.DEVICE, 0)
    lanes = set()
    if quick + steady + bulk < workers + 1:
        lanes.add(Lane.QUICK)
        if steady + bulk < workers:
            lanes |= {Lane.STEADY, Lane.DEVICE}
            if bulk < max(1, workers - 1):
                lanes.add(Lane.BULK)
    return lanes


class LocalEngine:
    """Runs jobs in a pool of processes, `workers` at a time and one more that is quick."""

    def __init__(
        self,
        kinds: Collection[AnyKind],
        media: MediaStore,
        *,
        workers: int,
        memory_bytes: int,
        lanes: Collection[Lane] = frozenset(Lane),
        renew_every_s: float = LEASE_S / 3,
    ) -> None:
        """Only jobs of these lanes are run. A cancellation that comes from another process is heard at a renewal."""
        self._workers, self._media, self.lanes = workers, media, frozenset(lanes)
        self._renew_every_s = renew_every_s
        preload = sorted({kind.module for kind in kinds if kind.lane in self.lanes and kind.function} | {_PRELOADED})
        self._pool = JobPool(workers + 1, self._on_progress, media=media, memory_bytes=memory_bytes, preload=preload)
        self._running: dict[int, Claim] = {}
        self._lock = threading.Lock()
        self._wake = threading.Event()
        self._stopping = threading.Event()
        self._draining = threading.Event()
        self._threads: list[threading.Thread] = []
        self._looks = threading.Condition()
        self._looks_begun = self._looks_ended = 0
        self._tend_at_s = 0.0

    def start(self, queue: Queue) -> None:
        self._queue = queue
        self._pool.warm(_WARM)
        for work, name in ((self._dispatch, "job dispatcher"), (self._keep_leases, "job leases")):
            self._threads.append(threading.Thread(target=work, name=name, daemon=True))
            self._threads[-1].start()
        self._wake.set()

    def announce(self, lane: Lane) -> None:
        self._wake.set()

    def look(self, lane: Lane) -> bool:
        """Look whether a job waits, and return after that; return False at once if there is no place in this lane."""
        if lane not in self._open_lanes():
            return False
        with self._looks:
            wanted = self._looks_begun + 1
            self._wake.set()
            self._looks.wait_for(lambda: self._looks_ended >= wanted, _PAUSE_S)
        return True

    @property
    def running(self) -> tuple[Claim, ...]:
        """Return the claims that run here."""
        with self._lock:
            return tuple(self._running.values())

    def drain(self) -> None:
        """Begin no other job. What runs goes on to its end."""
        self._draining.set()

    def cancel(self, job_id: int) -> None:
        with self._lock:
            claim = self._running.get(job_id)
        if claim is not None:
            self._pool.cancel(claim.token)

    def close(self) -> None:
        self._stopping.set()
        self._wake.set()
        for thread in self._threads:
            thread.join(10)
        self._pool.close()

    def _dispatch(self) -> None:
        while not self._stopping.is_set():
            self._wake.wait(max(self._tend_at_s - time.monotonic(), _SHORTEST_WAIT_S))
            self._wake.clear()
            with self._looks:
                self._looks_begun += 1
            try:
                while not self._stopping.is_set() and self._begin_next():
                    pass
                if time.monotonic() >= self._tend_at_s:
                    retry_s = self._queue.tend(list(self._running), self.lanes)
                    self._tend_at_s = time.monotonic() + min(
                        _LOOK_EVERY_S, _LOOK_EVERY_S if retry_s is None else retry_s
                    )
            except Exception:
                # Whatever it was, jobs that wait must not wait for ever.
                log.warning("jobs wait: the next one could not be begun", exc_info=True)
                self._stopping.wait(_PAUSE_S)
                self._wake.set()
            finally:
                with self._looks:
                    self._looks_ended = self._looks_begun
                    self._looks.notify_all()

    def _open_lanes(self) -> set[Lane]:
        if self._draining.is_set():
            return set()
        with self._lock:
            lanes: dict[Lane, int] = {}
            for held in self._running.values():
                lanes[held.kind.lane] = lanes.get(held.kind.lane, 0) + 1
        return open_lanes(lanes, self._workers) & self.lanes

    def _begin_next(self) -> bool:
        claim = self._queue.claim(self._open_lanes())
        if claim is None:
            return False
        if claim.earlier_token is not None:
            self._media.remove_workspaces(claim.earlier_token)
        with self._lock:
            self._running[claim.job_id] = claim
        order = Order(claim.job_id, claim.token, claim.kind.function, claim.arguments, claim.kind.needs_space)
        self._pool.submit(order).add_done_callback(lambda done: self._on_end(claim, done))
        return True

    def _keep_leases(self) -> None:
        """Renew the leases of what runs here, and stop what was cancelled or is somebody else's."""
        while not self._stopping.wait(self._renew_every_s):
            try:
                for token in self._queue.renew(self.running):
                    self._pool.cancel(token)
            except Exception:
                log.warning("leases of jobs could not be renewed", exc_info=True)

    def _on_progress(self, job_id: int, share: float, message: str) -> None:
        claim = self._running.get(job_id)
        if claim is None:
            return
        try:
            self._queue.report(claim, share, message)
        except InkwellError:
            return  # progress is only news; the end of the job will be told when the database is back

    def _on_end(self, claim: Claim, done: Future[Result]) -> None:
        if self._stopping.is_set() or done.cancelled():
            return  # it is run again: by the next server, or by whoever it is given back to
        try:
            error = done.exception()
            if isinstance(error, BrokenProcessPool):
                self._media.remove_workspaces(claim.token)
                outcome = Outcome(process_died=True)
            else:
                outcome = Outcome(error=error) if error is not None else Outcome(result=done.result())
            self._until_recorded(lambda: self._queue.end(claim, outcome), claim.job_id)
        finally:
            with self._lock:
                self._running.pop(claim.job_id, None)
            if isinstance(done.exception(), BrokenProcessPool):
                self._tend_at_s = 0.0  # it waits for its next attempt
            self._wake.set()

    def _until_recorded(self, record: Callable[[], object], job_id: int) -> None:
        """Record how a job ended, however long the database is away, unless the server stops meanwhile."""
        while not self._stopping.is_set():
            try:
                record()
            except InkwellError:
                # The database is away: what was done must not be forgotten, so wait for it.
                log.warning("a job's end waits for the database", job=job_id, exc_info=True)
            except Exception:
                log.exception("the end of a job could not be recorded", job=job_id)
            else:
                return
            self._stopping.wait(_PAUSE_S)
