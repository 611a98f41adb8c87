"""Where things are, and how the launcher says that it cannot go on."""

from __future__ import annotations

import os
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
VENV = ROOT / ".venv"
PYTHON = VENV / "bin" / "python"
FRONTEND = ROOT / "frontend"


def var() -> Path:
    """What this installation keeps: database, media, logs. Another place with INKWELL_VAR."""
    return Path(os.environ.get("INKWELL_VAR") or ROOT / "var").resolve()


class CannotGoOn(Exception):
    """One clear line: what is wrong and what to do."""


def say(line: str) -> None:
    print(line, flush=True)
