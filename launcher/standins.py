"""Start the simulated outside services of the demo as background processes on loopback."""

from __future__ import annotations

import shutil
import time
import urllib.error
import urllib.request
from collections.abc import Sequence
from pathlib import Path

from launcher import processes
from launcher.places import PYTHON, CannotGoOn, var

REGISTER_PORT, MERIDIAN_PORT, UNION_PORT, TERN_PORT = 8431, 8432, 8433, 8434
_LOOPBACK = "http://127.0.0.1"


def start(archive: Path) -> dict[str, str]:
    """Start the simulated services with the demo's data and return the settings that point to them."""
    return {
        "INKWELL_WITNESS_REGISTER": _start_register(archive / "register.json"),
        **_start_sources(archive / "sources"),
    }


def _start_register(seeds: Path) -> str:
    file = var() / "witness-register.json"
    if not file.exists() and seeds.exists():
        shutil.copyfile(seeds, file)
    command: list[str | Path] = [
        PYTHON,
        "-m",
        "inkwell_groove.standins.witness_register",
        "--port",
        str(REGISTER_PORT),
        "--file",
        file,
    ]
    _run("witness-register", command, {REGISTER_PORT: f"/v1/discs/{'0' * 64}"})
    return f"{_LOOPBACK}:{REGISTER_PORT}"


def _start_sources(folder: Path) -> dict[str, str]:
    ports = {"meridian": MERIDIAN_PORT, "union": UNION_PORT, "tern": TERN_PORT}
    command: list[str | Path] = [PYTHON, "-m", "inkwell_groove.standins.sources", folder]
    command += [part for name, port in ports.items() for part in (f"--{name}-port", str(port))]
    _run("sources", command, dict.fromkeys(ports.values(), "/asked"))
    return {
        "INKWELL_MERIDIAN": f"{_LOOPBACK}:{MERIDIAN_PORT}",
        "INKWELL_UNION_SHELF": f"{_LOOPBACK}:{UNION_PORT}",
        "INKWELL_TERN": f"{_LOOPBACK}:{TERN_PORT}",
    }


def _record(name: str) -> Path:
    return var() / "run" / name


def _run(name: str, command: Sequence[str | Path], answers_at: dict[int, str]) -> None:
    """Start a service unless it runs, and wait until it answers on all of its ports."""
    if processes.running(_record(name)) is not None:
        return
    for port in answers_at:
        if not processes.port_is_free(port):
            raise CannotGoOn(f"Port {port} is in use by another program, and the simulated {name} needs it.")
    log = var() / "log" / f"{name}.log"
    pid = processes.start([str(part) for part in command], record=_record(name), log=log, env={})
    until = time.monotonic() + 90
    while time.monotonic() < until and processes.running(_record(name)) == pid:
        try:
            for port, path in answers_at.items():
                urllib.request.urlopen(f"{_LOOPBACK}:{port}{path}", timeout=2).close()
            return
        except (urllib.error.URLError, OSError):
            time.sleep(0.1)
    processes.stop(_record(name))
    raise CannotGoOn(f"The simulated {name} did not start. Its log, {log}, ends:\n  {processes.tail(log)}")


def stop(name: str) -> bool:
    return processes.stop(_record(name))


def status() -> list[str]:
    """Return one line for each running service."""
    lines = []
    if processes.running(_record("witness-register")) is not None:
        lines.append(f"register     running at {_LOOPBACK}:{REGISTER_PORT} (simulated)")
    if processes.running(_record("sources")) is not None:
        lines.append(f"sources      running at {_LOOPBACK}:{MERIDIAN_PORT} to {TERN_PORT} (simulated)")
    return lines
