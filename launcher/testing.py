"""`./inkwell test`: run style checks, type checks and all tests."""

from __future__ import annotations

import argparse
import os
import shutil
import subprocess
import tempfile
import time
from collections.abc import Iterable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from pathlib import Path

from launcher import debian, environment, frontend
from launcher.coverage import run_with_coverage
from launcher.places import FRONTEND, PYTHON, ROOT, VENV, CannotGoOn, say

_Check = tuple[str, Sequence[str | Path], Path]
_Done = tuple[str, float, str | None]

# These take a minute of processor time each: they run while the tests wait for servers and browsers.
_SLOW: tuple[_Check, ...] = (("Types (mypy --strict)", [VENV / "bin" / "mypy"], ROOT),)
_STYLE: tuple[_Check, ...] = (
    ("Front end tests (Vitest)", ["npm", "run", "--silent", "test"], FRONTEND),
    ("Front end types (tsc, oxlint)", ["npm", "run", "--silent", "check"], FRONTEND),
    ("Style (ruff)", [VENV / "bin" / "ruff", "check", "."], ROOT),
    ("Layout (ruff format)", [VENV / "bin" / "ruff", "format", "--check", "--quiet", "."], ROOT),
    ("Import order (import-linter)", [VENV / "bin" / "lint-imports"], ROOT),
)
_FRONTEND_STYLE: _Check = ("Front end style (ESLint, Prettier)", ["npm", "run", "--silent", "lint"], FRONTEND)
# Half of the time a test waits for a server or a browser: two processes a core keep it busy. A module's tests share a
# server, and often what the ones before have done there: they stay in one process and in their order. Modules go in
# the order of `tests/conftest.py`, the long ones first.
_PROCESSES = str(2 * (os.cpu_count() or 1))
_SPREAD = ("-n", _PROCESSES, "--dist", "loadfile", "--no-loadscope-reorder")
_PYTEST = (PYTHON, "-m", "pytest", "-q", *_SPREAD, "--durations=10")
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
    """Run all checks and tests and return 0 if they pass.

    `quick` skips the slow ones and the browser; `only` passes its words to pytest and runs nothing else.
    Raises CannotGoOn with the names of the checks that failed.
    """
    debian.need({**debian.RUNNING, **debian.TESTING})
    environment.ensure(testing=True)
    if arguments.only:
        return _run_some(arguments)
    slow = _SLOW if arguments.quick else (_FRONTEND_STYLE, *_SLOW)
    words = _QUICK if arguments.quick else ()
    with _temporary_folder(), ThreadPoolExecutor(1) as pool:
        with environment.compiled_meanwhile():
            _make_frontend_ready(quick=arguments.quick)
            beside = pool.map(_run_in_the_background, slow)
            failed = _run_beside_each_other(_STYLE)
        if not _streams("Tests (pytest)", (*_PYTEST, *words), coverage=arguments.coverage):
            failed.append("Tests (pytest)")
        failed += _told(beside)
    if failed:
        raise CannotGoOn(f"Of {len(slow) + len(_STYLE) + 1} checks these failed: {', '.join(failed)}")
    return 0


def _run_some(arguments: argparse.Namespace) -> int:
    """Run the tests that the words name, and return 0 if they pass."""
    with environment.compiled_meanwhile():
        _make_frontend_ready(quick=arguments.quick)
    with _temporary_folder():
        command: list[str | Path] = [PYTHON, "-m", "pytest", *arguments.only]
        return 0 if _streams("Tests (pytest)", command, coverage=arguments.coverage) else 1


def _make_frontend_ready(*, quick: bool) -> None:
    """Have the front end's packages and types there, and the front end built unless nothing will look at it."""
    frontend.ensure_packages()
    if quick or not frontend.ensure_built():
        frontend.ensure_types()  # a build has made them


@contextmanager
def _temporary_folder() -> Iterator[None]:
    """Put temporary files into memory if there is room: tests sync and delete tens of thousands of files."""
    if not _MEMORY.is_dir() or shutil.disk_usage(_MEMORY).free < _ROOM_BYTES:
        yield
        return
    before = os.environ.get("TMPDIR")
    with tempfile.TemporaryDirectory(prefix="inkwell-", dir=_MEMORY, ignore_cleanup_errors=True) as folder:
        os.environ["TMPDIR"] = folder
        try:
            yield
        finally:
            if before is None:
                del os.environ["TMPDIR"]
            else:
                os.environ["TMPDIR"] = before


def _run_beside_each_other(checks: Sequence[_Check]) -> list[str]:
    """Run the checks, one for each core at a time, and return the names of those that failed."""
    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        return _told(pool.map(_run_quietly, checks))


def _told(done: Iterable[_Done]) -> list[str]:
    """Say of each check how it ended, and return the names of those that failed."""
    failed = []
    for name, seconds, output in done:
        say(f"── {name}\n   {'passed' if output is None else 'FAILED'} in {seconds:.1f} s")
        if output is not None:
            say(output)
            failed.append(name)
    return failed


def _run_in_the_background(check: _Check) -> _Done:
    """Run one check as `_run_quietly` does, behind what somebody waits for."""
    name, command, where = check
    return _run_quietly((name, ["nice", *command], where))


def _run_quietly(check: _Check) -> _Done:
    """Run one check; return its name, its seconds, and its output if it failed."""
    name, command, where = check
    began_s = time.monotonic()
    done = subprocess.run(
        [str(part) for part in command],
        cwd=where,
        stdin=subprocess.DEVNULL,
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        text=True,
        check=False,
    )
    return name, time.monotonic() - began_s, done.stdout if done.returncode else None


def _streams(name: str, command: Sequence[str | Path], *, coverage: bool) -> bool:
    """Run a command, show its output as it comes, and return whether it succeeded."""
    say(f"── {name}")
    began_s = time.monotonic()
    if coverage:
        passed = run_with_coverage(command)
    else:
        words = [str(part) for part in command]
        passed = subprocess.run(words, cwd=ROOT, stdin=subprocess.DEVNULL, check=False).returncode == 0
    say(f"   {'passed' if passed else 'FAILED'} in {time.monotonic() - began_s:.1f} s")
    return passed
