"""A pool of processes that run functions by name, tell how far they are, and stop when asked."""

from __future__ import annotations

import importlib
import multiprocessing
import os
import signal
import threading
import time
from collections.abc import Callable, Sequence
from concurrent.futures import Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from typing import Any

from inkwell_groove.core.errors import Cancelled

Progress = Callable[[float, str], None]
_SLOTS = 64

# Set once in each worker process.
_reports: Any = None
_cancelled: Any = None


class JobPool:
    """Runs `module:function(arguments, progress)` in worker processes.

    `on_progress(job_id, share, message)` is called on a thread of this process. The modules in `preload` are imported
    once for all workers; none may start a thread.
    """

    def __init__(
        self, workers: int, on_progress: Callable[[int, float, str], None], *, preload: Sequence[str] = ()
    ) -> None:
        self._workers = workers
        self._on_progress = on_progress
        # Forking a process that has threads and database connections is asking for trouble; a process that has only
        # imported what jobs need is forked instead: a new worker is there at once, and shares that memory.
        self._context = multiprocessing.get_context("forkserver")
        self._context.set_forkserver_preload(list(preload))
        self._reports = self._context.Queue()
        self._cancelled = self._context.Array("q", _SLOTS)
        self._next_slot = 0
        self._lock = threading.Lock()
        self._pool = self._make_pool()
        self._listener = threading.Thread(target=self._listen, name="job progress", daemon=True)
        self._listener.start()

    def warm(self, function: str) -> None:
        """Starts every worker and has it call `module:function()` once: imports take seconds, ahead of need."""

        def begin() -> None:
            with self._lock:
                for _ in range(self._workers):
                    self._pool.submit(_call, function)

        # The first worker is there once all is imported; whoever asks for this need not wait for that.
        threading.Thread(target=begin, name="job workers", daemon=True).start()

    def submit(self, job_id: int, function: str, arguments: dict[str, Any]) -> Future[dict[str, Any]]:
        """The future's exception is what the function raised, or BrokenProcessPool where its process died."""
        with self._lock:
            try:
                return self._pool.submit(_run, job_id, function, arguments)
            except BrokenProcessPool:
                # One dead worker spoils the executor for good: begin another.
                self._pool.shutdown(wait=False)
                self._pool = self._make_pool()
                return self._pool.submit(_run, job_id, function, arguments)

    def cancel(self, job_id: int) -> None:
        """Asks a running job to stop at its next report."""
        with self._cancelled.get_lock():
            self._cancelled[self._next_slot] = job_id
            self._next_slot = (self._next_slot + 1) % _SLOTS

    def close(self) -> None:
        """Stops the workers at once; what they were doing is done again at the next start."""
        # Not in the middle of beginning one: nobody would know of it, and Python would wait for it for ever.
        with self._lock:
            processes = list((getattr(self._pool, "_processes", None) or {}).values())
            self._pool.shutdown(wait=False, cancel_futures=True)
        for process in processes:
            process.terminate()
        for process in processes:
            process.join(5)
        self._reports.put(None)
        self._listener.join(5)

    def _make_pool(self) -> ProcessPoolExecutor:
        return ProcessPoolExecutor(
            self._workers,
            mp_context=self._context,
            initializer=_begin_worker,
            initargs=(self._reports, self._cancelled),
        )

    def _listen(self) -> None:
        while (report := self._reports.get()) is not None:
            self._on_progress(*report)


def _begin_worker(reports: Any, cancelled: Any) -> None:
    global _reports, _cancelled
    _reports, _cancelled = reports, cancelled
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    threading.Thread(target=_leave_with_server, daemon=True).start()


def _leave_with_server() -> None:
    """A worker must not outlive a server that was killed: two of them would write to the same places."""
    server = multiprocessing.parent_process()  # which asked for this process, whatever forked it
    assert server is not None
    server.join()
    os._exit(1)


def _call(function: str) -> None:
    module, _, name = function.partition(":")
    getattr(importlib.import_module(module), name)()


def _run(job_id: int, function: str, arguments: dict[str, Any]) -> dict[str, Any]:
    module, _, name = function.partition(":")
    last = [0.0]

    def progress(share: float, message: str) -> None:
        if job_id in _cancelled[:]:
            raise Cancelled("it was cancelled", remedy="Start it again when you like; nothing was changed")
        if time.monotonic() - last[0] > 0.1 or share >= 1.0:
            last[0] = time.monotonic()
            _reports.put((job_id, share, message))

    progress(0.0, "")
    result: dict[str, Any] = getattr(importlib.import_module(module), name)(arguments, progress)
    return result
