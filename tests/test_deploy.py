"""What is shipped for other ways to start it: units that systemd understands, settings that there are."""

from __future__ import annotations

import os
import re
import shutil
import signal
import socket
import subprocess
from collections.abc import Iterator
from pathlib import Path

import pytest

from inkwell_groove.admin import commands
from inkwell_groove.store.settings import Settings
from inkwell_groove.store.settings import settings as cached
from inkwell_groove.workroom import worker
from launcher.database import Database
from launcher.places import PYTHON, ROOT
from tests.live import Server, new_schema
from tests.patience import PATIENCE_S

DEPLOY = ROOT / "deploy"
UNITS = sorted((DEPLOY / "systemd").iterdir())


@pytest.mark.skipif(shutil.which("systemd-analyze") is None, reason="systemd is not installed")
@pytest.mark.parametrize("unit", UNITS, ids=lambda unit: unit.name)
def test_systemd_understands_each_unit(unit: Path, tmp_path: Path) -> None:
    for one in UNITS:  # a timer is looked at together with its service
        text = one.read_text().replace("/opt/inkwell/bin/inkwell", str(PYTHON))  # it must be there
        (tmp_path / one.name).write_text(text)
    done = subprocess.run(
        ["systemd-analyze", "verify", "--man=no", tmp_path / unit.name], capture_output=True, text=True, check=False
    )
    # Of other packages' units it complains too.
    own = [line for line in (done.stdout + done.stderr).splitlines() if "inkwell" in line]
    assert own == []


def test_each_unit_that_runs_something_writes_to_its_own_folders_alone() -> None:
    services = [unit for unit in UNITS if unit.suffix == ".service"]
    assert len(services) == 3
    for unit in services:
        lines = unit.read_text().splitlines()
        assert {"User=inkwell", "ProtectSystem=strict", "NoNewPrivileges=yes", "CapabilityBoundingSet="} <= set(lines)
        (command,) = re.findall(r"ExecStart=/opt/inkwell/bin/inkwell (.*)", unit.read_text())
        words = command.split()
        if words[0] == "serve":
            assert words == ["serve"]
        else:
            take = {"worker": worker.parsed, "admin": commands.parsed}[words[0]]
            take(words[1:])  # ends the process for words it does not know


def test_the_settings_that_are_shipped_are_settings(monkeypatch: pytest.MonkeyPatch) -> None:
    told = dict(re.findall(r"^([A-Z_]+)=(.*)$", (DEPLOY / "inkwell.env").read_text(), re.MULTILINE))
    known = {f"INKWELL_{name.upper()}" for name in Settings.model_fields} | {"NUMBA_CACHE_DIR"}
    assert told.keys() <= known
    for name, value in told.items():
        monkeypatch.setenv(name, value)
    cached.cache_clear()
    try:
        given = Settings()
        assert given.needs_sign_in and given.proxies == "127.0.0.1"
    finally:
        cached.cache_clear()


@pytest.fixture
def supervisor(tmp_path: Path) -> Iterator[tuple[socket.socket, str]]:
    """What systemd listens at."""
    with socket.socket(socket.AF_UNIX, socket.SOCK_DGRAM) as listening:
        address = str(tmp_path / "notify")
        listening.bind(address)
        listening.settimeout(PATIENCE_S)
        yield listening, address


def test_a_supervised_server_says_that_it_answers_and_falls_silent_if_it_hangs(
    mariadb: Database, supervisor: tuple[socket.socket, str], tmp_path: Path
) -> None:
    listening, address = supervisor
    server = Server(new_schema(mariadb), tmp_path / "media", NOTIFY_SOCKET=address, WATCHDOG_USEC=str(400_000))
    with server:
        assert listening.recv(100) == b"READY=1"
        assert server.api.get("/health").is_success
        assert [listening.recv(100) for _ in range(4)] == [b"WATCHDOG=1"] * 4
        (main, *_) = server.processes
        os.kill(main, signal.SIGSTOP)
        try:
            listening.settimeout(1.5)
            with pytest.raises(TimeoutError):
                while True:  # what was sent before it was stopped
                    listening.recv(100)
        finally:
            os.kill(main, signal.SIGCONT)
        listening.settimeout(PATIENCE_S)
        assert listening.recv(100) == b"WATCHDOG=1"
    said = []
    while (word := listening.recv(100)) != b"STOPPING=1":
        said.append(word)
    assert set(said) <= {b"WATCHDOG=1"}
