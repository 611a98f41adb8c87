"""Paths, messages and the launcher's error."""

from __future__ import annotations

import os
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
VENV = ROOT / ".venv"
PYTHON = VENV / "bin" / "python"
INKWELL = (PYTHON, "-m", "inkwell_groove")  # what is the command `inkwell` where the application is installed
FRONTEND = ROOT / "frontend"


def var() -> Path:
    """Return the folder for database, media and logs; INKWELL_VAR names another one."""
    return Path(os.environ.get("INKWELL_VAR") or ROOT / "var").resolve()


class CannotGoOn(Exception):
    """The launcher cannot continue. The message says what is wrong and what to do."""


def say(line: str) -> None:
    print(line, flush=True)
