"""Run other programs; show their output only when they fail."""

from __future__ import annotations

import os
import subprocess
from collections.abc import Mapping, Sequence
from pathlib import Path

from launcher.places import CannotGoOn


def run(
    command: Sequence[str | Path],
    *,
    what: str,
    cwd: Path | None = None,
    env: Mapping[str, str] | None = None,
    given: str = "",
) -> str:
    """Run a command with `given` as its input and return its output.

    Raises CannotGoOn with `what` was being done and the last lines of output if it fails.
    """
    try:
        done = subprocess.run(
            [str(part) for part in command],
            cwd=cwd,
            env={**os.environ, **(env or {})},
            input=given,
            capture_output=True,
            text=True,
            check=False,
        )
    except FileNotFoundError as error:
        raise CannotGoOn(f"{what}: there is no program {error.filename}. Install it and try again.") from error
    if done.returncode:
        told = [line for line in (done.stdout + done.stderr).splitlines() if line.strip()]
        raise CannotGoOn(f"{what} failed:\n  " + "\n  ".join(told[-15:]))
    return done.stdout
