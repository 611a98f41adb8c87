"""`./inkwell test`: style, types, storeys, then every test, in one command."""

from __future__ import annotations

import argparse
import subprocess
import time

from launcher import debian, environment, frontend
from launcher.places import FRONTEND, PYTHON, ROOT, VENV, CannotGoOn, say

_CHECKS = (
    ("Style (ruff)", [VENV / "bin" / "ruff", "check", "."], ROOT),
    ("Layout (ruff format)", [VENV / "bin" / "ruff", "format", "--check", "--quiet", "."], ROOT),
    ("Types of core (mypy --strict)", [VENV / "bin" / "mypy"], ROOT),
    ("Storeys (import-linter)", [VENV / "bin" / "lint-imports"], ROOT),
    ("Front end style (ESLint)", ["npm", "run", "--silent", "lint"], FRONTEND),
    ("Front end tests (Vitest)", ["npm", "run", "--silent", "test"], FRONTEND),
)


def run_all(arguments: argparse.Namespace) -> int:
    """Every check and test. With arguments, only pytest with those. Exit status 0 only if all passed."""
    debian.need({**debian.RUNNING, **debian.TESTING})
    environment.ensure(testing=True)
    frontend.ensure_built()  # tsc runs in it
    if arguments.only:
        return _run("Tests (pytest)", [PYTHON, "-m", "pytest", *arguments.only], ROOT)
    failed = [name for name, command, where in _CHECKS if _run(name, command, where)]
    if _run("Tests (pytest)", [PYTHON, "-m", "pytest", "-q"], ROOT):
        failed.append("Tests (pytest)")
    if failed:
        raise CannotGoOn(f"{len(failed)} of {len(_CHECKS) + 1} checks failed: {', '.join(failed)}")
    return 0


def _run(name: str, command: list[object], where: object) -> int:
    say(f"── {name}")
    began = time.monotonic()
    status = subprocess.run(
        [str(part) for part in command], cwd=str(where), stdin=subprocess.DEVNULL, check=False
    ).returncode
    say(f"   {'passed' if status == 0 else 'FAILED'} in {time.monotonic() - began:.1f} s")
    return status
