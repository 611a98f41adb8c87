"""The engine for one machine: processes of this server run the jobs, and no broker is needed."""

from __future__ import annotations

import threading
from collections.abc import Callable
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
    quick, steady, bulk = (running.get(lane, 0) for lane in (Lane.QUICK, Lane.STEADY, Lane.BULK))
    lanes = set()
    if quick + steady + bulk < workers + 1:
        lanes.add(Lane.QUICK)
        if steady + bulk < workers:
            lanes.add(Lane.STEADY)
            if bulk < max(1, workers - 1):
                lanes.add(Lane.BULK)
    return lanes


class LocalEngine:
    """Runs jobs in a pool of processes, `workers` at a time and one more that is quick."""

    def __init__(self, kinds: list[AnyKind], media: MediaStore, *, workers: int, memory_bytes: int) -> None:
        self._workers, self._media = workers, media
        preload = sorted({kind.module for kind in kinds} | {_PRELOADED})
        self._pool = JobPool(workers + 1, self._on_progress, media=media, memory_bytes=memory_bytes, preload=preload)
        self._running: dict[int, Claim] = {}
        self._lock = threading.Lock()
        self._wake = threading.Event()
        self._stopping = threading.Event()
        self._threads: list[threading.Thread] = []

    def start(self, queue: Queue) -> None:
        self._queue = queue
        self._pool.warm(_WARM)
        for work, name in ((self._dispatch, "job dispatcher"), (self._keep_leases, "job leases")):
            self._threads.append(threading.Thread(target=work, name=name, daemon=True))
            self._threads[-1].start()
        self._wake.set()

    def announce(self) -> None:
        self._wake.set()

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
        wait_s = 0.0
        while not self._stopping.is_set():
            self._wake.wait(max(wait_s, _SHORTEST_WAIT_S))
            self._wake.clear()
            try:
                while not self._stopping.is_set() and self._begin_next():
                    pass
                retry_s = self._queue.tend(list(self._running))
                wait_s = _LOOK_EVERY_S if retry_s is None else min(_LOOK_EVERY_S, retry_s)
            except Exception:
                # Whatever it was, jobs that wait must not wait for ever.
                log.warning("jobs wait: the next one could not be begun", exc_info=True)
                self._stopping.wait(_PAUSE_S)
                self._wake.set()

    def _begin_next(self) -> bool:
        with self._lock:
            lanes: dict[Lane, int] = {}
            for held in self._running.values():
                lanes[held.kind.lane] = lanes.get(held.kind.lane, 0) + 1
        claim = self._queue.claim(open_lanes(lanes, self._workers))
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
        while not self._stopping.wait(LEASE_S / 3):
            with self._lock:
                claims = list(self._running.values())
            try:
                for token in self._queue.renew(claims):
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
            return  # the next server finds it running, and runs it again
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
