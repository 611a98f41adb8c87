"""The application as a background process on loopback."""

from __future__ import annotations

import json
import os
import time
import urllib.error
import urllib.request
from collections.abc import Mapping
from pathlib import Path

from launcher import processes
from launcher.commands import run
from launcher.database import Database
from launcher.places import FRONTEND, PYTHON, CannotGoOn, var

DEFAULT_PORT = 8420


def _record() -> Path:
    return var() / "run" / "application"


def _port_file() -> Path:
    return var() / "run" / "port"


def database() -> Database:
    return Database(var() / "database")


def environment(port: int, outside: Mapping[str, str]) -> dict[str, str]:
    """The settings the application is started with; where the caller's own environment says otherwise, that counts."""
    return {
        "INKWELL_DATABASE_URL": database().url,
        "INKWELL_MEDIA_ROOT": str(var() / "media"),
        "INKWELL_FRONTEND_ROOT": str(FRONTEND / "dist"),
        "INKWELL_PORT": str(port),
        "INKWELL_TARGETS_ROOT": os.environ.get("INKWELL_TARGETS_ROOT", str(var() / "targets")),
        **{name: os.environ.get(name, address) for name, address in outside.items()},
    }


def address() -> str | None:
    """Where the application answers, if it runs."""
    if processes.running(_record()) is None or not _port_file().is_file():
        return None
    return f"http://127.0.0.1:{_port_file().read_text()}"


def start(port: int, outside: Mapping[str, str]) -> str:
    """Migrates, starts and waits until it answers: its address. If it already runs, just that.

    `outside` are the settings that lead to the outside world.
    """
    if running := address():
        return running
    if not processes.port_is_free(port):
        raise CannotGoOn(f"Port {port} is in use by another program. Choose another: ./inkwell serve --port {port + 1}")
    env = environment(port, outside)
    run([PYTHON, "-m", "inkwell_groove.store.migrate"], what="Bringing the database up to date", env=env)
    log = var() / "log" / "application.log"
    pid = processes.start([PYTHON, "-m", "inkwell_groove.web"], record=_record(), log=log, env=env)
    _port_file().write_text(str(port))
    until = time.monotonic() + 60
    while time.monotonic() < until:
        if health(port) is not None:
            return f"http://127.0.0.1:{port}"
        if processes.running(_record()) != pid:
            break
        time.sleep(0.1)
    processes.stop(_record())
    raise CannotGoOn(f"The application did not start. Its log, {log}, ends:\n  {processes.tail(log)}")


def health(port: int) -> dict[str, object] | None:
    """What the application says of itself, or nothing where it does not answer."""
    try:
        with urllib.request.urlopen(f"http://127.0.0.1:{port}/api/health", timeout=2) as answer:
            return dict(json.load(answer))
    except urllib.error.HTTPError as error:
        return dict(json.load(error))
    except (OSError, ValueError):
        return None


def stop() -> bool:
    return processes.stop(_record())


def status() -> list[str]:
    """One line for each part."""
    lines = []
    where = address()
    if where is None:
        lines.append("application  not running. Start it with ./inkwell serve")
    else:
        answer = health(int(where.rpartition(":")[2]))
        well = answer is not None and answer.get("status") == "well"
        detail = "" if well else f", but {(answer or {}).get('detail') or 'it does not answer'}"
        lines.append(f"application  running at {where}{detail}")
    base = database()
    pid = processes.running(base.record)
    if pid is None:
        lines.append("database     not running. ./inkwell serve starts it")
    else:
        lines.append(f"database     running on port {base.port}, process {pid}")
    return lines
