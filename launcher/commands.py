"""Running other programs: quiet when they succeed, telling when they fail."""

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
    """The command's output; `given` is its input. Raises CannotGoOn with its last lines if it fails.

    `what` says what was being done.
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
