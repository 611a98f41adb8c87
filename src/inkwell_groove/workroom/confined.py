"""Work on what others sent, in a process of its own, with limits on memory, time and what it may write.

A decoder that is led to take gigabytes or minutes is ended, and only the one request that asked for it is refused.
"""

from __future__ import annotations

import math
import multiprocessing
import os
import resource
import threading
from collections.abc import Callable
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any, TypeVar

import structlog

from inkwell_groove import logs
from inkwell_groove.core.errors import InkwellError, Refused, TooOften

T = TypeVar("T")
_AT_ONCE, _MOST_WAITING, _TRY_AGAIN_S = 2, 8, 5.0
# The clock of the wall may run that much longer than the processor's: the machine may be busy with other work.
_PATIENCE = 4.0
log = structlog.get_logger()


class Confined:
    """Runs functions with limits. Two run at once and eight wait; whoever comes then is told to try again."""

    def __init__(self) -> None:
        # The process that job workers are forked from: it has imported what is needed, and holds no connection.
        self._context = multiprocessing.get_context("forkserver")
        self._running = threading.BoundedSemaphore(_AT_ONCE)
        self._places = threading.BoundedSemaphore(_AT_ONCE + _MOST_WAITING)

    def run(
        self, function: Callable[..., T], *arguments: Any, where: str, memory_bytes: int, seconds: float, **named: Any
    ) -> T:
        """Return what a function of a module returns, which can be sent between processes.

        It may take so much memory more than an idle process has and so many seconds of the processor, and write no
        file. Raises what the function raises, Refused if it takes more, TooOften while too many others wait.
        """
        if not self._places.acquire(blocking=False):
            raise TooOften(
                "too much is being looked at in this moment",
                wait_s=_TRY_AGAIN_S,
                where=where,
                remedy="Try again in a few seconds",
            )
        try:
            with self._running:
                return self._run(function, arguments, named, where, memory_bytes, seconds)
        finally:
            self._places.release()

    def _run(
        self,
        function: Callable[..., T],
        arguments: tuple[Any, ...],
        named: dict[str, Any],
        where: str,
        memory_bytes: int,
        seconds: float,
    ) -> T:
        ours, theirs = self._context.Pipe(duplex=False)
        process = self._context.Process(
            target=_work, args=(theirs, function, arguments, named, memory_bytes, seconds), daemon=True
        )
        process.start()
        theirs.close()
        try:
            outcome = ours.recv() if ours.poll(_PATIENCE * seconds) else None
        except EOFError:
            outcome = None
        finally:
            ours.close()
            process.kill()
            process.join()
            process.close()
        if isinstance(outcome, InkwellError):
            raise outcome
        if outcome is None or isinstance(outcome, _TooMuch):
            raise Refused(
                f"looking at it takes more than {seconds:g} s or {memory_bytes // 1_000_000} MB",
                where=where,
                remedy="Give a smaller one",
            )
        result: T = outcome[0]
        return result


class _TooMuch:
    """What a process sends that came upon a limit."""


def _work(
    pipe: Connection,
    function: Callable[..., Any],
    arguments: tuple[Any, ...],
    named: dict[str, Any],
    memory_bytes: int,
    seconds: float,
) -> None:
    """Run in the process: set the limits, call the function, send what came of it."""
    logs.configure()
    whole_s = math.ceil(seconds)
    resource.setrlimit(resource.RLIMIT_AS, (address_space() + memory_bytes,) * 2)
    resource.setrlimit(resource.RLIMIT_CPU, (whole_s, whole_s + 1))
    resource.setrlimit(resource.RLIMIT_FSIZE, (0, resource.RLIM_INFINITY))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    outcome: object
    try:
        outcome = (function(*arguments, **named),)
    except InkwellError as refusal:
        refusal.__cause__ = refusal.__context__ = None  # a library's own errors may not be sendable
        outcome = refusal
    except MemoryError:
        outcome = _TooMuch()
    except Exception:
        resource.setrlimit(resource.RLIMIT_FSIZE, (resource.RLIM_INFINITY,) * 2)  # the log is a file
        log.exception("what was sent could not be looked at", function=function.__qualname__)
        outcome = Refused("it cannot be read", where="what was sent", remedy="Save it anew with another program")
    pipe.send(outcome)
    pipe.close()
    os._exit(0)


def address_space() -> int:
    """Return how much address space this process has, in bytes."""
    pages = int(Path("/proc/self/statm").read_text().split()[0])
    return pages * resource.getpagesize()
