"""The Python environment, from the hashed locks."""

from __future__ import annotations

import hashlib
import shutil
import sys

from launcher.commands import run
from launcher.debian import need_venv
from launcher.places import PYTHON, ROOT, VENV, CannotGoOn, say


def ensure(*, testing: bool = False) -> None:
    """Makes or completes `.venv` when a lock has changed. Takes a moment when nothing has."""
    if sys.version_info < (3, 11):  # noqa: UP036 - this very line is what tells an older Python
        raise CannotGoOn(f"Python 3.11 or newer is needed, this is {sys.version.split()[0]}.")
    locks = ["runtime.txt", "test.txt"] if testing else ["runtime.txt"]
    for lock in locks:
        path = ROOT / "requirements" / lock
        marker = VENV / f"installed-{lock}"
        digest = hashlib.sha256(path.read_bytes() + sys.version.encode()).hexdigest()
        if marker.is_file() and marker.read_text() == digest:
            continue
        if not PYTHON.exists():
            need_venv()
            say("Making the Python environment")
            shutil.rmtree(VENV, ignore_errors=True)
            run([sys.executable, "-m", "venv", VENV], what="Making the Python environment")
        say(f"Installing {lock.removesuffix('.txt')} packages")
        run(
            [PYTHON, "-m", "pip", "install", "--quiet", "--disable-pip-version-check", "--require-hashes", "-r", path],
            what=f"Installing {lock}",
        )
        marker.write_text(digest)
    version = f"python{sys.version_info.major}.{sys.version_info.minor}"
    path_file = VENV / "lib" / version / "site-packages" / "inkwell_groove.pth"
    wanted = f"{ROOT / 'src'}\n"
    if not path_file.is_file() or path_file.read_text() != wanted:
        path_file.write_text(wanted)
