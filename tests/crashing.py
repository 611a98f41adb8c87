"""Kill a process at a named point: before or after a commit, rename, unlink, sync, or lines appended to a journal.

What is on the disk and in the database then is what a killed process leaves: nothing of it tidies up. The work runs in
a forked process, which must connect to a database by itself.
"""

from __future__ import annotations

import itertools
import os
import random
import threading
import traceback
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, NamedTuple

from sqlalchemy.engine.default import DefaultDialect

from inkwell_groove.store import journal
from inkwell_groove.workroom.files import orders
from tests.patience import SHARE

_KILLED = 9
_ALWAYS, _ONE_IN = 8, 1 if SHARE == 1 else 3
# A sync changes nothing that another process sees: before and after it is one point.
_SYNCS = ("fsync", "fdatasync")
# What is replaced, and whether its first argument is a path by which the point is named.
_POINTS: tuple[tuple[Any, str, bool], ...] = (
    (DefaultDialect, "do_commit", False),
    (Path, "rename", True),
    (Path, "replace", True),
    (Path, "unlink", True),
    (Path, "rmdir", True),
    (os, "rename", True),
    (os, "replace", True),
    (os, "unlink", True),
    (os, "fsync", False),
    (os, "fdatasync", False),
    (journal, "append_whole", True),
    (orders, "append_whole", True),
)


class Point(NamedTuple):
    """A point that the work passes, as in "7, before replace of 01 a.flac"."""

    number: int
    name: str

    def __str__(self) -> str:
        return f"{self.number}, {self.name}"


def killed_at(work: Callable[[], object], number: int) -> Point | None:
    """Run work in a forked process that is killed at its n-th point, and return that point.

    None where work came to its end before. Fails where it raises.
    """
    reader, writer = os.pipe()
    pid = os.fork()
    if pid == 0:
        os.close(reader)
        try:
            _watch(number, writer)
            work()
        except BaseException:  # noqa: BLE001 - whatever it was, this process must not go on as another pytest
            traceback.print_exc()
            os._exit(1)
        os._exit(0)
    os.close(writer)
    with os.fdopen(reader) as told:
        name = told.read()
    _, status = os.waitpid(pid, 0)
    code = os.waitstatus_to_exitcode(status)
    assert code in (0, _KILLED), f"the work failed before point {number}: its traceback is above"
    return Point(number, name) if code == _KILLED else None


def every_kill(work: Callable[[], object], anew: Callable[[], object]) -> Iterator[Point]:
    """Kill work at each of its points in turn, from the first to the last; `anew` makes what it works on each time.

    Of the points behind the first eight a third is tried each run, another one each time.
    """
    drawn = random.randrange(_ONE_IN)
    for number in itertools.count():
        if number >= _ALWAYS and number % _ONE_IN != drawn:
            continue
        anew()
        point = killed_at(work, number)
        if point is None:
            return
        yield point


def _watch(stop_at: int, told: int) -> None:
    """Have this process killed at a point, whose name goes into the pipe `told`."""
    passed, lock = [0], threading.RLock()

    def pass_point(name: str) -> None:
        with lock:
            if passed[0] == stop_at:
                os.write(told, name.encode())
                os._exit(_KILLED)
            passed[0] += 1

    def watched(real: Callable[..., Any], name: str, is_of_path: bool) -> Callable[..., Any]:
        def call(*arguments: Any, **more: Any) -> Any:
            words = f"{name} of {Path(arguments[0]).name}" if is_of_path and arguments else name
            # What a point calls of its own is not another point: Path.rename is os.rename.
            if inside.depth:
                return real(*arguments, **more)
            pass_point(f"before {words}")
            inside.depth += 1
            try:
                result = real(*arguments, **more)
            finally:
                inside.depth -= 1
            if name not in _SYNCS:
                pass_point(f"after {words}")
            return result

        return call

    inside = _Inside()
    for owner, name, is_of_path in _POINTS:
        setattr(owner, name, watched(getattr(owner, name), name.removeprefix("do_"), is_of_path))


class _Inside(threading.local):
    depth = 0
