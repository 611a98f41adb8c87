"""`./inkwell test`: style, types, import order, then every test, in one command."""

from __future__ import annotations

import argparse
import os
import shutil
import subprocess
import tempfile
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

from launcher import debian, environment, frontend
from launcher.places import FRONTEND, PYTHON, ROOT, VENV, CannotGoOn, say

_Check = tuple[str, Sequence[str | Path], Path]

_STYLE: tuple[_Check, ...] = (
    ("Style (ruff)", [VENV / "bin" / "ruff", "check", "."], ROOT),
    ("Layout (ruff format)", [VENV / "bin" / "ruff", "format", "--check", "--quiet", "."], ROOT),
    ("Types (mypy --strict)", [VENV / "bin" / "mypy"], ROOT),
    ("Import order (import-linter)", [VENV / "bin" / "lint-imports"], ROOT),
    ("Front end tests (Vitest)", ["npm", "run", "--silent", "test"], FRONTEND),
)
_FRONTEND_TYPES: _Check = ("Front end types (tsc)", ["npm", "run", "--silent", "check"], FRONTEND)
_FRONTEND_STYLE: _Check = ("Front end style (ESLint, Prettier)", ["npm", "run", "--silent", "lint"], FRONTEND)
# Half of the time a test waits for a server or a browser: two processes a core keep it busy. A module's tests share a
# server and stay in one process, unless another has nothing left to do.
_PROCESSES = str(2 * (os.cpu_count() or 1))
_PYTEST = (PYTHON, "-m", "pytest", "-q", "-n", _PROCESSES, "--dist", "worksteal", "--durations=10")
_MEMORY, _ROOM_BYTES = Path("/dev/shm"), 8 << 30  # noqa: S108 - a folder of our own is made in it
_QUICK = (
    "-m",
    "not slow",
    "tests/core",
    "tests/standards",
    "tests/cli",
    "tests/test_logs.py",
    "tests/test_crashing.py",
)


def run(arguments: argparse.Namespace) -> int:
    """Every check and test; with `quick` the ones that take under three minutes; with `only` pytest with those.

    Returns 0 only if all passed.
    """
    debian.need({**debian.RUNNING, **debian.TESTING})
    environment.ensure(testing=True)
    with environment.compiled_meanwhile():
        frontend.ensure_packages()
        frontend.ensure_types()
        if not arguments.quick:
            frontend.ensure_built()
    if arguments.only:
        with _temporary_folder():
            return _run("Tests (pytest)", [PYTHON, "-m", "pytest", *arguments.only], ROOT)
    checks: list[tuple[str, Sequence[str | Path], Path]] = [
        *_STYLE,
        ("Quick tests (pytest)", [*_PYTEST, *_QUICK], ROOT),
    ]
    if not arguments.quick:
        # The build has checked the front end's types.
        checks = [*_STYLE, _FRONTEND_STYLE, ("Tests (pytest)", _PYTEST, ROOT)]
    with _temporary_folder():
        failed = [name for name, command, where in checks if _run(name, command, where)]
    if failed:
        raise CannotGoOn(f"Of {len(checks)} checks these failed: {', '.join(failed)}")
    return 0


@contextmanager
def _temporary_folder() -> Iterator[None]:
    """Has what tests write lie in memory, where there is room: they sync and remove tens of thousands of files."""
    if not _MEMORY.is_dir() or shutil.disk_usage(_MEMORY).free < _ROOM_BYTES:
        yield
        return
    with tempfile.TemporaryDirectory(prefix="inkwell-", dir=_MEMORY, ignore_cleanup_errors=True) as folder:
        os.environ["TMPDIR"] = folder
        try:
            yield
        finally:
            del os.environ["TMPDIR"]


def _run(name: str, command: Sequence[str | Path], where: Path) -> int:
    say(f"── {name}")
    began_s = time.monotonic()
    status = subprocess.run(
        [str(part) for part in command], cwd=where, stdin=subprocess.DEVNULL, check=False
    ).returncode
    say(f"   {'passed' if status == 0 else 'FAILED'} in {time.monotonic() - began_s:.1f} s")
    return status
