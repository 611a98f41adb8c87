"""Start and stop background processes.

Each is identified by its pid and start time, so that no other process is ever stopped.
"""

from __future__ import annotations

import contextlib
import errno
import os
import signal
import socket
import time
from collections.abc import Mapping, Sequence
from pathlib import Path

from launcher.places import CannotGoOn

_LARGE_BYTES, _OLD_LOGS = 10_000_000, 5


def start(command: Sequence[str | Path], *, record: Path, log: Path, env: Mapping[str, str] | None = None) -> int:
    """Start a program in the background, with its output in `log` and its identity in `record`."""
    log.parent.mkdir(parents=True, exist_ok=True)
    record.parent.mkdir(parents=True, exist_ok=True)
    _rotate(log)
    # Only who runs it reads its log. One that an earlier version began may still be open to all.
    with open(log, "ab", opener=lambda path, flags: os.open(path, flags, 0o600)) as out:
        os.fchmod(out.fileno(), 0o600)
        # Not by subprocess, which warns of children that outlive whoever started them, as these are meant to.
        pid = os.posix_spawnp(
            str(command[0]),
            [str(part) for part in command],
            {**os.environ, **(env or {})},
            file_actions=[
                (os.POSIX_SPAWN_OPEN, 0, os.devnull, os.O_RDONLY, 0),
                (os.POSIX_SPAWN_DUP2, out.fileno(), 1),
                (os.POSIX_SPAWN_DUP2, out.fileno(), 2),
            ],
            setsid=True,
        )
    record.write_text(f"{pid} {_began(pid)}")
    return pid


def _rotate(log: Path) -> None:
    """Begin a log anew if it has grown: `name.log` becomes `name.log.1`, and so on; of the old ones five are kept."""
    if not log.is_file() or log.stat().st_size < _LARGE_BYTES:
        return
    for number in range(_OLD_LOGS - 1, 0, -1):
        old = log.with_name(f"{log.name}.{number}")
        if old.is_file():
            old.replace(log.with_name(f"{log.name}.{number + 1}"))
    log.replace(log.with_name(f"{log.name}.1"))


def running(record: Path) -> int | None:
    """Return the recorded pid if that process still runs."""
    try:
        pid_text, began = record.read_text().split()
    except (OSError, ValueError):
        return None
    pid = int(pid_text)
    return pid if _began(pid) == began else None


def stop(record: Path, *, patience_s: float = 20.0) -> bool:
    """Stop the recorded process: terminate, wait, then kill. Return whether it ran."""
    pid = running(record)
    if pid is not None:
        with contextlib.suppress(ProcessLookupError):
            os.kill(pid, signal.SIGTERM)
        until = time.monotonic() + patience_s
        while running(record) is not None and time.monotonic() < until:
            _reap(pid)
            time.sleep(0.05)
        if running(record) is not None:
            with contextlib.suppress(ProcessLookupError):
                os.kill(pid, signal.SIGKILL)
        _reap(pid)
    record.unlink(missing_ok=True)
    return pid is not None


def port_is_free(port: int, host: str = "127.0.0.1") -> bool:
    """Return whether nothing listens on the port.

    Raises CannotGoOn if the address is not one of this machine, or the port not for us.
    """
    with socket.socket(socket.AF_INET6 if ":" in host else socket.AF_INET) as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((host, port))
        except OSError as cause:
            if cause.errno == errno.EADDRNOTAVAIL:
                raise CannotGoOn(f"{host} is no address of this machine. Look at them with: ip address") from None
            if cause.errno == errno.EACCES:
                raise CannotGoOn(
                    f"Port {port} is for root alone on this machine. Choose one from 1024 on, or allow it: "
                    f"sysctl net.ipv4.ip_unprivileged_port_start={port}"
                ) from None
            return False
    return True


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def tail(log: Path, lines: int = 5) -> str:
    """Return the last lines of a log."""
    try:
        return "\n  ".join(log.read_text(errors="replace").splitlines()[-lines:])
    except OSError:
        return ""


def _began(pid: int) -> str:
    """Return the kernel's start time of a process; empty if it has ended."""
    try:
        fields = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
    except OSError:
        return ""
    return "" if fields[0] == "Z" else fields[19]


def _reap(pid: int) -> None:
    """Collect the exit status of a child that has ended, so that it does not stay as a zombie."""
    with contextlib.suppress(ChildProcessError):
        os.waitpid(pid, os.WNOHANG)
