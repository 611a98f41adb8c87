"""Install the Debian packages that the application needs; on other distributions, say what to install."""

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
    "curl": "curl",
    "flac": "flac",
    "jq": "jq",
    "libcue2": "libcue.so.2",
    "nginx-light": "nginx",
    "redis-server": "redis-server",
}
# How others install, and what they call the package, by the ID of os-release(5). From memory.
_OTHERS = {
    "fedora": ("dnf install", {"mariadb-server": "mariadb-server", "python3-venv": "python3"}),
    "suse": ("zypper install", {"mariadb-server": "mariadb", "python3-venv": "python3"}),
    "arch": ("pacman -S", {"mariadb-server": "mariadb", "python3-venv": "python"}),
    "alpine": ("apk add", {"mariadb-server": "mariadb mariadb-client", "python3-venv": "python3"}),
}
_OS_RELEASE = Path("/etc/os-release")


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
        raise CannotGoOn(_by_hand(missing))
    if os.geteuid() != 0:
        raise CannotGoOn(f"Missing: {', '.join(missing)}. Run as root: {command}")
    say(f"Installing {', '.join(missing)} from Debian's packages")
    # The server package would start a server of its own; ours is private, so packages are told not to.
    quiet = {"DEBIAN_FRONTEND": "noninteractive", "RUNLEVEL": "1"}
    run(["apt-get", "update", "-qq"], what="apt-get update", env=quiet)
    run(["apt-get", "install", "-y", "-qq", "--no-install-recommends", *missing], what=command, env=quiet)


def _by_hand(missing: list[str]) -> str:
    """Return what to install on a system that is not Debian's kind."""
    for family, (command, names) in _OTHERS.items():
        if family in _families():
            unknown = [name for name in missing if name not in names]
            known = [names[name] for name in missing if name in names]
            words = [f"run as root: {command} {' '.join(known)}"] if known else []
            words += [f"install what Debian calls {', '.join(unknown)}"] if unknown else []
            return f"Missing: {', '.join(missing)}. On this system, {', and '.join(words)}."
    return (
        f"Missing: {', '.join(missing)}. These are Debian's names, and this system is none that is known here: install "
        "the programs by hand, and try again."
    )


def _families() -> set[str]:
    """Return what the system calls itself, and what it says that it is like."""
    try:
        lines = _OS_RELEASE.read_text().splitlines()
    except OSError:
        return set()
    told = dict(line.split("=", 1) for line in lines if "=" in line)
    words = f"{told.get('ID', '')} {told.get('ID_LIKE', '')}".replace('"', "")
    return set(words.replace("opensuse", "suse").split())


def _is_there(program: str) -> bool:
    if ".so." in program:
        return any(Path("/usr/lib").glob(f"*/{program}"))
    return shutil.which(program, path=f"{os.environ.get('PATH', '')}:/usr/sbin:/usr/bin") is not None
