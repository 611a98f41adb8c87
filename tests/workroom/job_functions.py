"""Functions for the runner's tests, which worker processes import by name."""

from __future__ import annotations

import os
import signal
import time
from pathlib import Path
from typing import Any

from inkwell_groove.workroom.jobs.pool import Progress


class CannotBeUnpickled(Exception):
    def __init__(self, one: str, two: str) -> None:
        super().__init__(f"{one} {two}")


def succeed(arguments: dict[str, Any], progress: Progress) -> dict[str, Any]:
    progress(0.5, "half way")
    return {}


def die(arguments: dict[str, Any], progress: Progress) -> dict[str, Any]:
    """Kills its own process, as the kernel does for want of memory, until it was tried `survives_try` times."""
    tries = Path(arguments["tries"])
    with tries.open("a") as file:
        file.write(".")
    if len(tries.read_text()) < arguments["survives_try"]:
        os.kill(os.getpid(), signal.SIGKILL)
    return {}


def wait_for(arguments: dict[str, Any], progress: Progress) -> dict[str, Any]:
    """Says that it runs by a file, and ends when there is another."""
    Path(arguments["runs"]).write_text(str(os.getpid()))
    until = time.monotonic() + 60
    while not Path(arguments["may_end"]).exists():
        assert time.monotonic() < until, "nobody let it end"
        progress(0.5, "waiting")
        time.sleep(0.01)
    return {"pid": os.getpid()}


def raise_oddly(arguments: dict[str, Any], progress: Progress) -> dict[str, Any]:
    if arguments["what"] == "exit":
        raise SystemExit(3)
    raise CannotBeUnpickled("an odd", "error")
