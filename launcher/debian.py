"""Install the Debian packages that the application needs."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from pathlib import Path

from launcher.commands import run
from launcher.places import CannotGoOn, say

RUNNING = {"mariadb-server": "mariadbd"}
TESTING = {
    "chromium-headless-shell": "chromium-headless-shell",
    "flac": "flac",
    "libcue2": "libcue.so.2",
    "redis-server": "redis-server",
}


def need(packages: dict[str, str]) -> None:
    """Install the missing ones of the packages, given as name: program or library.

    Raises CannotGoOn if that is not possible.
    """
    missing = [name for name, program in packages.items() if not _is_there(program)]
    if missing:
        _install(missing)
    still = [name for name, program in packages.items() if not _is_there(program)]
    if still:
        raise CannotGoOn(f"Still missing after installing: {', '.join(still)}. Look at what apt-get said.")


def need_venv() -> None:
    """Install venv and pip for this Python, which Debian packages separately."""
    if subprocess.run([sys.executable, "-c", "import ensurepip, venv"], capture_output=True, check=False).returncode:
        _install(["python3-venv"])


def _install(missing: list[str]) -> None:
    command = f"apt-get install --no-install-recommends {' '.join(missing)}"
    if shutil.which("apt-get") is None:
        raise CannotGoOn(f"Missing: {', '.join(missing)}. This is not a Debian system: install them by hand.")
    if os.geteuid() != 0:
        raise CannotGoOn(f"Missing: {', '.join(missing)}. Run as root: {command}")
    say(f"Installing {', '.join(missing)} from Debian's packages")
    # The server package would start a server of its own; ours is private, so packages are told not to.
    quiet = {"DEBIAN_FRONTEND": "noninteractive", "RUNLEVEL": "1"}
    run(["apt-get", "update", "-qq"], what="apt-get update", env=quiet)
    run(["apt-get", "install", "-y", "-qq", "--no-install-recommends", *missing], what=command, env=quiet)


def _is_there(program: str) -> bool:
    if ".so." in program:
        return any(Path("/usr/lib").glob(f"*/{program}"))
    return shutil.which(program, path=f"{os.environ.get('PATH', '')}:/usr/sbin:/usr/bin") is not None
