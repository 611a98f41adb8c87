"""Functions for the runner's tests, which worker processes import by name."""

from __future__ import annotations

import os
import signal
import time
from pathlib import Path

from inkwell_groove.workroom.jobs.kind import Arguments, Result, Task
from tests.patience import PATIENCE_S


class Told(Arguments):
    """What the functions below may be asked with."""

    tries: str = ""
    survives_try: int = 0
    runs: str = ""
    may_end: str = ""
    what: str = ""


class CannotBeUnpickled(Exception):
    def __init__(self, one: str, two: str) -> None:
        super().__init__(f"{one} {two}")


def succeed(arguments: Told, task: Task) -> Result:
    task.progress(0.5, "half way")
    return {}


def die(arguments: Told, task: Task) -> Result:
    """Kills its own process, as the kernel does for want of memory, until it was tried `survives_try` times."""
    tries = Path(arguments.tries)
    with tries.open("a") as file:
        file.write(".")
    if len(tries.read_text()) < arguments.survives_try:
        os.kill(os.getpid(), signal.SIGKILL)
    return {}


def die_at_work(arguments: Told, task: Task) -> Result:
    """Do as `die` does, with a half-written file in the job's workspace."""
    with task.media.workspace() as folder:
        (folder / "half").write_text("half")
        return die(arguments, task)


def tell_niceness(arguments: Told, task: Task) -> Result:
    """Return the niceness of the process that runs jobs."""
    return {"niceness": os.getpriority(os.PRIO_PROCESS, 0)}


def take_a_gigabyte(arguments: Told, task: Task) -> Result:
    """Allocates memory, and touches it."""
    return {"bytes": len(bytearray(1024**3))}


def wait_for(arguments: Told, task: Task) -> Result:
    """Says that it runs by a file, and ends when there is another."""
    Path(arguments.runs).write_text(str(os.getpid()))
    until = time.monotonic() + PATIENCE_S
    while not Path(arguments.may_end).exists():
        assert time.monotonic() < until, "nobody let it end"
        task.progress(0.5, "waiting")
        time.sleep(0.01)
    return {"pid": os.getpid()}


def raise_oddly(arguments: Told, task: Task) -> Result:
    if arguments.what == "exit":
        raise SystemExit(3)
    raise CannotBeUnpickled("an odd", "error")


def meet_another(arguments: Told, task: Task) -> Result:
    """Wait until another job is here too."""
    place = Path(arguments.runs)
    (place / arguments.what).touch()
    deadline_s = time.monotonic() + PATIENCE_S
    while len(list(place.iterdir())) < 2:
        if time.monotonic() > deadline_s:
            raise TimeoutError("no other job came")
        time.sleep(0.01)
    return {}
