"""Create the Python environment from the hashed lock files."""

from __future__ import annotations

import hashlib
import os
import shutil
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from launcher.commands import run
from launcher.debian import need_venv
from launcher.places import PYTHON, ROOT, VENV, CannotGoOn, say


def ensure(*, testing: bool = False) -> None:
    """Create or update `.venv` if a lock file has changed."""
    if sys.version_info < (3, 11):  # noqa: UP036 - this very line is what tells an older Python
        raise CannotGoOn(f"Python 3.11 or newer is needed, this is {sys.version.split()[0]}.")
    _install(VENV, "runtime.txt")
    if testing:
        _install(VENV, "test.txt")
    version = f"python{sys.version_info.major}.{sys.version_info.minor}"
    path_file = VENV / "lib" / version / "site-packages" / "inkwell_groove.pth"
    wanted = f"{ROOT / 'src'}\n"
    if not path_file.is_file() or path_file.read_text() != wanted:
        path_file.write_text(wanted)


def generator() -> Path:
    """Return the program that generates the API's client, in an environment of its own: it needs what we cannot have.

    The environment is created or updated if its lock file has changed.
    """
    _install(VENV / "generator", "generator.txt")
    return VENV / "generator" / "bin" / "openapi-python-client"


def _install(venv: Path, lock: str) -> None:
    """Install what a lock file lists into an environment, which is made if need be."""
    path = ROOT / "requirements" / lock
    marker = venv / f"installed-{lock}"
    digest = hashlib.sha256(path.read_bytes() + sys.version.encode()).hexdigest()
    if marker.is_file() and marker.read_text() == digest:
        return
    python = venv / "bin" / "python"
    if not python.exists():
        need_venv()
        say("Making the Python environment")
        shutil.rmtree(venv, ignore_errors=True)
        run([sys.executable, "-m", "venv", venv], what="Making the Python environment")
    say(f"Installing {lock.removesuffix('.txt')} packages")
    run(
        [python, "-m", "pip", "install", "--quiet", "--disable-pip-version-check", "--require-hashes", "-r", path],
        what=f"Installing {lock}",
    )
    marker.write_text(digest)


@contextmanager
def compiled_meanwhile() -> Iterator[None]:
    """Compile the core's numba kernels while the block runs, if they have changed: most of a minute."""
    digest = hashlib.sha256(sys.version.encode())
    for path in sorted((ROOT / "src" / "inkwell_groove" / "core").rglob("*.py")):
        digest.update(path.read_bytes())
    marker = Path(os.environ.get("NUMBA_CACHE_DIR") or VENV) / "compiled-from"
    if marker.is_file() and marker.read_text() == digest.hexdigest():
        yield
        return
    say("Compiling what works on sound")
    command: list[str | Path] = [PYTHON, "-m", "inkwell_groove.core.compiled"]
    with subprocess.Popen(command, cwd=ROOT, stdin=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True) as process:
        yield
        _, errors = process.communicate()
    if process.returncode:
        raise CannotGoOn(f"Compiling what works on sound failed:\n{errors.strip()}")
    marker.write_text(digest.hexdigest())
