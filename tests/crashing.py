"""Stops a process at a named point, as `kill -9` would: before or after its n-th rename, unlink or sync.

What is on the disk then is what a killed process leaves: nothing of it tidies up.
"""

from __future__ import annotations

import os
import threading
import traceback
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

_KILLED = 9
_POINTS = ((Path, "rename"), (Path, "replace"), (Path, "unlink"), (Path, "rmdir"), (os, "fsync"), (os, "fdatasync"))


def _run(work: Callable[[], object], stop_at: int) -> None:
    """In a process of its own: leaves with how many points were passed, or is killed at one."""
    passed, lock = [0], threading.Lock()

    def watched(real: Callable[..., Any]) -> Callable[..., Any]:
        def call(*arguments: Any, **more: Any) -> Any:
            with lock:
                for done in (False, True):
                    if passed[0] == stop_at:
                        os._exit(_KILLED)
                    passed[0] += 1
                    if not done:
                        result = real(*arguments, **more)
            return result

        return call

    for owner, name in _POINTS:
        setattr(owner, name, watched(getattr(owner, name)))
    work()


def crashed_at(work: Callable[[], object], stop_at: int) -> bool:
    """Runs work in a forked process that is killed at its n-th point; whether it came to that."""
    pid = os.fork()
    if pid == 0:
        try:
            _run(work, stop_at)
        except BaseException:  # noqa: BLE001 - whatever it was, this process must not go on as another pytest
            traceback.print_exc()
            os._exit(1)
        os._exit(0)
    _, status = os.waitpid(pid, 0)
    code = os.waitstatus_to_exitcode(status)
    assert code in (0, _KILLED), f"the work failed before point {stop_at}: its traceback is above"
    return code == _KILLED


def every_crash(work: Callable[[], object], anew: Callable[[], None]) -> Iterator[int]:
    """Kills work at each of its points in turn, from the first to the last; `anew` makes what it works on each time."""
    stop_at = 0
    while True:
        anew()
        if not crashed_at(work, stop_at):
            return
        yield stop_at
        stop_at += 1
