"""`./inkwell test`: style, types, storeys, then every test, in one command."""

from __future__ import annotations

import argparse
import json
import subprocess
import time
from collections.abc import Sequence
from pathlib import Path

from launcher import debian, environment, frontend
from launcher.places import FRONTEND, PYTHON, ROOT, VENV, CannotGoOn, say

_CHECKS: tuple[tuple[str, Sequence[str | Path], Path], ...] = (
    ("Style (ruff)", [VENV / "bin" / "ruff", "check", "."], ROOT),
    ("Layout (ruff format)", [VENV / "bin" / "ruff", "format", "--check", "--quiet", "."], ROOT),
    ("Types (mypy --strict)", [VENV / "bin" / "mypy"], ROOT),
    ("Storeys (import-linter)", [VENV / "bin" / "lint-imports"], ROOT),
    ("Front end style (ESLint)", ["npm", "run", "--silent", "lint"], FRONTEND),
    ("Front end tests (Vitest)", ["npm", "run", "--silent", "test"], FRONTEND),
)

# Tests that record or play in real time: they run alone, after the others, which run side by side. Where something else
# takes the machine's time away they may lose a race that the code wins, so they get a second try. No other test does:
# what fails there now and then is a race of ours.
_BY_THE_CLOCK = (
    "tests/browser/test_listening.py",
    "tests/browser/test_transfer_stage.py",
    "tests/devices",
    "tests/workroom/test_transfer.py",
)
_SIDE_BY_SIDE = ("-n", "2", "--dist", "loadfile", *(f"--ignore={path}" for path in _BY_THE_CLOCK))
_PYTEST = (PYTHON, "-m", "pytest", "-q")
_TESTS_FAILED = 1  # pytest's exit status


def run_all(arguments: argparse.Namespace) -> int:
    """Every check and test. With arguments, only pytest with those. Exit status 0 only if all passed."""
    debian.need({**debian.RUNNING, **debian.TESTING})
    environment.ensure(testing=True)
    with environment.compiled_meanwhile():
        frontend.ensure_built()  # tsc runs in it
    if arguments.only:
        return _run("Tests (pytest)", [PYTHON, "-m", "pytest", *arguments.only], ROOT)
    failed = [name for name, command, where in _CHECKS if _run(name, command, where)]
    if _run("Tests side by side (pytest)", [*_PYTEST, *_SIDE_BY_SIDE], ROOT):
        failed.append("Tests side by side")
    if _run_by_the_clock():
        failed.append("Tests by the clock")
    if failed:
        raise CannotGoOn(f"Of {len(_CHECKS) + 2} checks these failed: {', '.join(failed)}")
    return 0


def _run_by_the_clock() -> int:
    """The tests in real time; the modules in which some failed are run once more, and that counts."""
    status = _run("Tests by the clock (pytest)", [*_PYTEST, *_BY_THE_CLOCK], ROOT)
    if status != _TESTS_FAILED:
        return status
    again = failed_modules(ROOT / ".pytest_cache" / "v" / "cache" / "lastfailed")
    say(f"   These go by the clock, and are run once more: {', '.join(again)}")
    return _run("Tests by the clock, once more (pytest)", [*_PYTEST, *again], ROOT)


def failed_modules(last_failed: Path) -> list[str]:
    """The modules of real-time tests that failed, by pytest's record; all of them where that cannot be read."""
    try:
        names = list(json.loads(last_failed.read_text()))
    except (OSError, ValueError):
        return list(_BY_THE_CLOCK)
    modules = sorted({name.partition("::")[0] for name in names})
    return [module for module in modules if module.startswith(_BY_THE_CLOCK)] or list(_BY_THE_CLOCK)


def _run(name: str, command: Sequence[str | Path], where: Path) -> int:
    say(f"── {name}")
    began = time.monotonic()
    status = subprocess.run(
        [str(part) for part in command], cwd=where, stdin=subprocess.DEVNULL, check=False
    ).returncode
    say(f"   {'passed' if status == 0 else 'FAILED'} in {time.monotonic() - began:.1f} s")
    return status
