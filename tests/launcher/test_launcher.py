"""The launcher: starts, says what runs, stops what it started and nothing else, and is clear when it cannot."""

from __future__ import annotations

import os
import socket
import subprocess
import sys
import time
from pathlib import Path

import httpx
import pytest

from launcher import application, debian, processes
from launcher.commands import run
from launcher.database import Database
from launcher.places import ROOT, CannotGoOn


def inkwell(var: Path, *arguments: str) -> subprocess.CompletedProcess[str]:
    environment = {**os.environ, "INKWELL_VAR": str(var)}
    return subprocess.run(
        [ROOT / "inkwell", *arguments], env=environment, capture_output=True, text=True, check=False, timeout=120
    )


def test_it_serves_says_so_and_stops(tmp_path: Path) -> None:
    port = processes.free_port()
    try:
        assert inkwell(tmp_path, "status").returncode == 1
        started = inkwell(tmp_path, "serve", "--port", str(port))
        assert started.returncode == 0, started.stderr
        assert f"http://127.0.0.1:{port}" in started.stdout
        assert httpx.get(f"http://127.0.0.1:{port}/api/health").json()["status"] == "well"
        status = inkwell(tmp_path, "status")
        assert status.returncode == 0
        assert "running on port" in status.stdout
        again = inkwell(tmp_path, "serve", "--port", str(port))
        assert again.returncode == 0
        # A database that died under the application is told in one line.
        Database(tmp_path / "database").stop()
        assert "the database does not answer" in inkwell(tmp_path, "status").stdout
    finally:
        stopped = inkwell(tmp_path, "stop")
    assert "application" in stopped.stdout
    assert processes.port_is_free(port)
    assert inkwell(tmp_path, "stop").stdout == "Nothing was running.\n"


def test_a_port_in_use_is_one_clear_line(tmp_path: Path) -> None:
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        try:
            done = inkwell(tmp_path, "serve", "--port", str(port))
        finally:
            inkwell(tmp_path, "stop")
    assert done.returncode == 1
    assert (
        done.stderr
        == f"inkwell: Port {port} is in use by another program. Choose another: ./inkwell serve --port {port + 1}\n"
    )


def test_only_a_process_that_was_started_here_is_ended(tmp_path: Path) -> None:
    record = tmp_path / "record"
    pid = processes.start([sys.executable, "-c", "import time; time.sleep(60)"], record=record, log=tmp_path / "log")
    assert processes.running(record) == pid
    # The pid was given to another program meanwhile: its start time tells.
    stranger = tmp_path / "stranger"
    stranger.write_text(f"{pid} 12345")
    assert processes.running(stranger) is None
    assert processes.stop(stranger) is False
    assert processes.running(record) == pid
    assert processes.stop(record) is True
    assert processes.running(record) is None


def test_a_process_that_will_not_go_is_made_to(tmp_path: Path) -> None:
    stubborn = (
        "import signal, time; signal.signal(signal.SIGTERM, signal.SIG_IGN); print('ready', flush=True); time.sleep(60)"
    )
    record, log = tmp_path / "record", tmp_path / "log"
    processes.start([sys.executable, "-c", stubborn], record=record, log=log)
    until = time.monotonic() + 10
    while "ready" not in log.read_text() and time.monotonic() < until:
        time.sleep(0.02)
    assert processes.stop(record, patience_s=0.3) is True
    assert processes.running(record) is None


def test_a_missing_package_is_told_with_the_command_to_install_it(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(os, "geteuid", lambda: 1000)
    with pytest.raises(CannotGoOn, match=r"Missing: sealing-wax. Run as root: apt-get install .* sealing-wax"):
        debian.need({"sealing-wax": "sealing-wax-program"})


def test_a_failed_command_is_told_with_its_last_lines() -> None:
    with pytest.raises(CannotGoOn, match="Trying failed:\n  it was the cat"):
        run([sys.executable, "-c", "import sys; sys.exit('it was the cat')"], what="Trying")
    with pytest.raises(CannotGoOn, match="there is no program nowhere-to-be-found"):
        run(["nowhere-to-be-found"], what="Trying")


def test_a_database_that_cannot_start_says_why_and_where_its_log_is(tmp_path: Path) -> None:
    database = Database(tmp_path / "db")
    database.ensure_running()
    database.stop()
    (tmp_path / "db" / "data" / "ibdata1").write_bytes(b"scribbled over")
    with pytest.raises(CannotGoOn, match=r"The database did not start. Its log, .*mariadb.log, ends:"):
        database.ensure_running()


def test_health_of_nothing_is_nothing() -> None:
    assert application.health(processes.free_port()) is None
