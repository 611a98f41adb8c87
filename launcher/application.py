"""Start and check the application as a background process."""

from __future__ import annotations

import json
import os
import ssl
import time
import urllib.error
import urllib.request
from collections.abc import Mapping
from pathlib import Path

from launcher import processes
from launcher.commands import run
from launcher.database import Database
from launcher.places import INKWELL, PYTHON, CannotGoOn, var

DEFAULT_PORT = 8420
_LOOPBACK = ("127.0.0.1", "localhost", "::1")
_PATIENCE_S = 180.0  # while its process lives; a busy machine takes a minute


def _record() -> Path:
    return var() / "run" / "application"


def _address_file() -> Path:
    return var() / "run" / "address"


def database() -> Database:
    return Database(var() / "database")


def has_own_database() -> bool:
    """Return whether the launcher runs the database, or the environment names another one."""
    return not os.environ.get("INKWELL_DATABASE_URL")


def environment(port: int, outside: Mapping[str, str]) -> dict[str, str]:
    """Return the settings for the application. The caller's own environment variables override them."""
    settings = {"INKWELL_VAR": str(var()), "INKWELL_TARGETS_ROOT": str(var() / "targets"), **outside}
    if has_own_database():
        settings["INKWELL_DATABASE_URL"] = database().url
    # The port is an option of the command, whose default is the environment's.
    return {
        **settings,
        **{name: os.environ[name] for name in settings if name in os.environ},
        "INKWELL_VAR": str(var()),  # wherever the process runs
        "INKWELL_PORT": str(port),
    }


def host() -> str:
    return os.environ.get("INKWELL_HOST") or "127.0.0.1"


def is_for_others() -> bool:
    """Return whether other machines can reach the application, so that everybody must sign in."""
    return host() not in _LOOPBACK or os.environ.get("INKWELL_SIGN_IN") == "always"


def address_at(port: int) -> str:
    """Return the address at which this machine reaches the application."""
    scheme = "https" if os.environ.get("INKWELL_TLS_CERTIFICATE") else "http"
    name = {"0.0.0.0": "127.0.0.1", "::": "::1"}.get(host(), host())  # noqa: S104 - what is listened on, not done here
    return f"{scheme}://{f'[{name}]' if ':' in name else name}:{port}"


def address() -> str | None:
    """Return the address of the running application."""
    if processes.running(_record()) is None or not _address_file().is_file():
        return None
    return _address_file().read_text()


def check_settings() -> None:
    """Raise CannotGoOn with a sentence on each setting that cannot be meant."""
    run([PYTHON, "-m", "inkwell_groove.store.settings"], what="Reading the settings")


def start(port: int, outside: Mapping[str, str]) -> str:
    """Migrate the database, start the application, wait until it answers, and return its address.

    Only returns the address if it already runs.

    `outside` are the settings that lead to the outside world.
    """
    if running := address():
        return running
    if not processes.port_is_free(port, host()):
        raise CannotGoOn(f"Port {port} is in use by another program. Choose another: ./inkwell serve --port {port + 1}")
    env = environment(port, outside)
    run([*INKWELL, "admin", "upgrade"], what="Bringing the database up to date", env=env)
    log = var() / "log" / "application.log"
    pid = processes.start([*INKWELL, "serve"], record=_record(), log=log, env=env)
    where = address_at(port)
    _address_file().write_text(where)
    until = time.monotonic() + _PATIENCE_S
    while time.monotonic() < until:
        if health(where) is not None:
            return where
        if processes.running(_record()) != pid:
            break
        time.sleep(0.1)
    processes.stop(_record())
    raise CannotGoOn(f"The application did not start. Its log, {log}, ends:\n  {processes.tail(log)}")


def health(where: str) -> dict[str, object] | None:
    """Return what the application says of itself, or None if it does not answer."""
    # Its certificate is made out to the names by which others know it. Nothing secret is sent or asked.
    context = ssl.create_default_context()
    context.check_hostname, context.verify_mode = False, ssl.CERT_NONE
    try:
        with urllib.request.urlopen(f"{where}/api/v1/ready", timeout=2, context=context) as answer:
            return dict(json.load(answer))
    except urllib.error.HTTPError as error:
        return dict(json.load(error))
    except (OSError, ValueError):
        return None


def _not_well(answer: dict[str, object] | None) -> str:
    """Return what a report says that is not well, to be put behind where the application runs."""
    if answer is None:
        return ", but it does not answer"
    parts = answer.get("parts")
    wrong = [one for one in parts if not one["is_well"]] if isinstance(parts, list) else []
    return "".join(f", but {one['name']}: {one['words']}" for one in wrong)


def stop() -> bool:
    return processes.stop(_record())


def status() -> list[str]:
    """Return one line of status for each part."""
    lines = []
    where = address()
    if where is None:
        lines.append("application  not running. Start it with ./inkwell serve")
    else:
        answer = health(where)
        detail = _not_well(answer)
        lines.append(f"application  running at {where}{detail}")
    base = database()
    pid = processes.running(base.record)
    if not has_own_database():
        lines.append("database     the one that INKWELL_DATABASE_URL names")
    if pid is not None:
        lines.append(f"database     running on port {base.port}, process {pid}")
    elif has_own_database():
        lines.append("database     not running. ./inkwell serve starts it")
    return lines
