"""A pool of processes that run functions by name, tell how far they are, and stop when asked.

Each process stands alone: it has an executor and a pipe for its reports of its own, and shares no lock with the others.
One that is killed at any moment takes nothing but its own job with it.
"""

from __future__ import annotations

import importlib
import multiprocessing
import os
import pickle
import resource
import select
import signal
import threading
import time
from collections.abc import Callable, Sequence
from concurrent.futures import Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from dataclasses import dataclass
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

import structlog

from inkwell_groove import logs
from inkwell_groove.core.errors import Cancelled, Refused
from inkwell_groove.core.full_disk import disk_full
from inkwell_groove.store.media import MediaStore
from inkwell_groove.workroom.jobs.kind import Arguments, Result

OnProgress = Callable[[int, float, str], None]
_CANCEL_SLOTS = 64
_REPORT_EVERY_S = 0.1
_MESSAGE_LENGTH = 300
_NICENESS = 10
log = structlog.get_logger()

# Set once in each worker process.
_reports: Connection | None = None
_reporting = threading.Lock()
_cancelled: Any = None
_media: MediaStore | None = None
_memory_bytes = 0


@dataclass(frozen=True)
class Order:
    """One run of a job, as it is sent to a worker."""

    job_id: int
    token: str
    function: str
    arguments: Arguments
    needs_space: bool = True


class JobPool:
    """Runs orders in worker processes.

    `on_progress(job_id, share, message)` is called on a thread of this process. The modules in `preload` are imported
    once for all workers; none may start a thread. A job that needs space on the disk ends with DiskFull once there is
    none left but what is kept for recordings; one that needs more than `memory_bytes` beyond what an idle worker has
    ends with Refused.
    """

    def __init__(
        self,
        workers: int,
        on_progress: OnProgress,
        *,
        media: MediaStore,
        memory_bytes: int,
        preload: Sequence[str] = (),
    ) -> None:
        # Forking a process that has threads and database connections is asking for trouble; a process that has only
        # imported what jobs need is forked instead: a new worker is there at once, and shares that memory.
        context = multiprocessing.get_context("forkserver")
        context.set_forkserver_preload(list(preload))
        # Without a lock: a worker that is killed while it holds one would stop all others at their next report.
        self._cancelled = context.RawArray("Q", _CANCEL_SLOTS)
        self._next_cancelled = 0
        self._lock = threading.Lock()
        self._workers = [_Worker(context, self._cancelled, on_progress, media, memory_bytes) for _ in range(workers)]
        self._busy: set[_Worker] = set()
        self._closed = False

    def warm(self, function: str) -> None:
        """Starts every worker and has it call `module:function()` once: imports take seconds, ahead of need."""

        def begin() -> None:
            for worker in self._workers:
                with self._lock:
                    if self._closed:
                        return
                    worker.submit(_call, function)

        # The first worker is there once all is imported; whoever asks for this need not wait for that.
        threading.Thread(target=begin, name="job workers", daemon=True).start()

    def submit(self, order: Order) -> Future[Result]:
        """Begin a job on a worker that has none, and return its future.

        The future's exception is what the function raised, or BrokenProcessPool where the worker died or could not be
        started. Raises StopIteration where every worker is busy.
        """
        with self._lock:
            worker = next(one for one in self._workers if one not in self._busy)
            self._busy.add(worker)
            future = worker.submit(_run, order)
        future.add_done_callback(lambda done: self._busy.discard(worker))
        return future

    def cancel(self, token: str) -> None:
        """Ask one run of a job to stop at its next report. Another run of the same job goes on."""
        with self._lock:
            self._cancelled[self._next_cancelled] = int(token, 16)
            self._next_cancelled = (self._next_cancelled + 1) % _CANCEL_SLOTS

    def close(self) -> None:
        """Stops the workers at once; what they were doing is done again at the next start."""
        # Not in the middle of beginning one: nobody would know of it, and Python would wait for it for ever.
        with self._lock:
            self._closed = True
            for worker in self._workers:
                worker.terminate()
        for worker in self._workers:
            worker.join()


class _Worker:
    """One process, begun when there is something to do, and begun again where it died."""

    def __init__(
        self, context: Any, cancelled: Any, on_progress: OnProgress, media: MediaStore, memory_bytes: int
    ) -> None:
        self._context, self._cancelled, self._on_progress = context, cancelled, on_progress
        self._media, self._memory_bytes = media, memory_bytes
        self._executor: ProcessPoolExecutor | None = None
        self._processes: list[Any] = []

    def submit(self, function: Callable[..., Any], *arguments: Any) -> Future[Any]:
        for is_last in (False, True):
            try:
                if self._executor is None:
                    self._begin()
                assert self._executor is not None
                future = self._executor.submit(function, *arguments)
                self._processes = list((getattr(self._executor, "_processes", None) or {}).values())
                return future
            except (BrokenProcessPool, OSError) as cause:
                self._end()
                if is_last:
                    failed: Future[Any] = Future()
                    failed.set_exception(BrokenProcessPool(f"no process could be started ({cause})"))
                    return failed
        raise AssertionError("unreachable")

    def terminate(self) -> None:
        self._end(cancel=True)
        for process in self._processes:
            process.terminate()

    def join(self) -> None:
        for process in self._processes:
            process.join(5)

    def _begin(self) -> None:
        reader, self._writer = self._context.Pipe(duplex=False)
        self._executor = ProcessPoolExecutor(
            1,
            mp_context=self._context,
            initializer=_begin_worker,
            initargs=(self._writer, self._cancelled, self._media, self._memory_bytes),
        )
        threading.Thread(target=self._listen, args=(reader,), name="job progress", daemon=True).start()

    def _end(self, *, cancel: bool = False) -> None:
        """Close the pipe. The listener ends once nobody can write to it any more."""
        if self._executor is not None:
            self._executor.shutdown(wait=False, cancel_futures=cancel)
            self._executor = None
            self._writer.close()

    def _listen(self, reader: Connection) -> None:
        with reader:
            while True:
                try:
                    report = reader.recv()
                except (EOFError, OSError):
                    return
                try:
                    self._on_progress(*report)
                except Exception:
                    # Progress is only news: whatever is wrong with telling it, the next report may be told.
                    log.exception("progress of a job could not be told", report=report)


def _begin_worker(reports: Connection, cancelled: Any, media: MediaStore, memory_bytes: int) -> None:
    global _reports, _cancelled, _media, _memory_bytes
    _reports, _cancelled, _media, _memory_bytes = reports, cancelled, media, memory_bytes
    logs.configure()
    os.nice(_NICENESS)  # the server, which records and answers, goes first where the processors are busy
    # Of what is its own: files that it maps do not count, however long the recordings.
    resource.setrlimit(resource.RLIMIT_DATA, (_own_memory() + memory_bytes,) * 2)
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    threading.Thread(target=_leave_with_server, daemon=True).start()


def _own_memory() -> int:
    """Return the bytes that the kernel holds against this process's RLIMIT_DATA."""
    status = Path("/proc/self/status").read_text()
    return next(int(line.split()[1]) * 1024 for line in status.splitlines() if line.startswith("VmData:"))


def _leave_with_server() -> None:
    """End this worker once its server is gone: two of them would write to the same places."""
    server = multiprocessing.parent_process()  # which asked for this process, whatever forked it
    assert server is not None
    server.join()
    os._exit(1)


def _call(function: str) -> None:
    _named(function)()


def _named(function: str) -> Any:
    """Return what `module:function` names."""
    module, _, name = function.partition(":")
    return getattr(importlib.import_module(module), name)


def _run(order: Order) -> Result:
    assert _media is not None
    structlog.contextvars.clear_contextvars()
    structlog.contextvars.bind_contextvars(job_id=order.job_id)
    task = _RunningTask(order, _media.for_job(order.token, needs_space=order.needs_space))
    task.progress(0.0, "")
    try:
        result: Result = _named(order.function)(order.arguments, task)
    except MemoryError:
        raise Refused(
            f"it takes more than {_memory_bytes / 1024**3:g} GB of memory",
            remedy="If that can be right for it, allow jobs more with INKWELL_JOB_MEMORY_BYTES",
        ) from None
    except Exception as error:
        # Its cause is lost on the way to another process.
        if full := disk_full(error):
            raise full from None
        if _survives_the_way_back(error):
            raise
        raise RuntimeError(f"{type(error).__name__}: {error}") from None
    return result


class _RunningTask:
    """What a running job works with: `kind.Task` in a worker process."""

    def __init__(self, order: Order, media: MediaStore) -> None:
        self.media = media
        self._order, self._reported_s = order, 0.0

    def progress(self, share: float, message: str) -> None:
        if int(self._order.token, 16) in list(_cancelled):
            raise Cancelled("it was cancelled", remedy="Start it again when you like; nothing was changed")
        if time.monotonic() - self._reported_s > _REPORT_EVERY_S or share >= 1.0:
            self._reported_s = time.monotonic()
            if self._order.needs_space and share < 1.0:
                self.media.space.need(0)
            _report(self._order.job_id, share, message[:_MESSAGE_LENGTH])


def _report(job_id: int, share: float, message: str) -> None:
    """Sends a report if the pipe has room: a job does not wait for somebody to read how far it is.

    A report is shorter than PIPE_BUF, so it is written whole or not at all, even where the process is killed.
    """
    assert _reports is not None
    with _reporting:
        if select.select([], [_reports], [], 0)[1]:
            _reports.send((job_id, share, message))


def _survives_the_way_back(error: Exception) -> bool:
    """Return whether an error can be unpickled again. One that cannot would look as if the process had died."""
    try:
        pickle.loads(pickle.dumps(error))
    except Exception:  # noqa: BLE001 - a class may raise whatever it likes while it is made again
        return False
    return True
