"""The launcher: starts, says what runs, stops what it started and nothing else, and is clear when it cannot."""

from __future__ import annotations

import errno
import os
import socket
import stat
import sys
from pathlib import Path

import httpx
import pytest
from sqlalchemy import select

from inkwell_groove.store.database import Database as StoreDatabase
from inkwell_groove.store.models import Docket
from launcher import application, debian, processes
from launcher.commands import run
from launcher.database import Database
from launcher.places import CannotGoOn
from tests.certificates import certificate_in
from tests.launcher.inside import inkwell, typed
from tests.patience import PATIENCE_S, until


def test_it_serves_says_so_and_stops(tmp_path: Path) -> None:
    """As users start it; all other tests call the launcher inside their own process."""
    inkwell = typed
    port = processes.free_port()
    try:
        assert inkwell(tmp_path, "status").returncode == 1
        started = inkwell(tmp_path, "serve", "--port", str(port))
        assert started.returncode == 0, started.stderr
        assert f"http://127.0.0.1:{port}" in started.stdout
        assert httpx.get(f"http://127.0.0.1:{port}/api/v1/health", timeout=PATIENCE_S).json()["status"] == "well"
        log = tmp_path / "log" / "application.log"
        assert stat.S_IMODE(log.stat().st_mode) == 0o600, "only who runs it reads its log"
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


def _with_tls(folder: Path) -> dict[str, str]:
    own, key = certificate_in(folder)
    return {"INKWELL_TLS_CERTIFICATE": str(own), "INKWELL_TLS_KEY": str(key)}


@pytest.mark.parametrize("with_tls", [False, True], ids=["http", "https"])
def test_it_serves_others_on_the_address_it_is_given(tmp_path: Path, with_tls: bool) -> None:
    """127.0.0.2 is an address of this machine, and not loopback's own: for the application it is elsewhere."""
    port = processes.free_port()
    settings = {
        "INKWELL_HOST": "127.0.0.2",
        **(_with_tls(tmp_path) if with_tls else {"INKWELL_PROXIES": "192.0.2.7"}),
    }
    where = f"{'https' if with_tls else 'http'}://127.0.0.2:{port}"
    try:
        started = inkwell(tmp_path, "serve", "--port", str(port), **settings)
        assert started.returncode == 0, started.stderr
        assert f"Inkwell Groove is at {where} " in started.stdout
        answer = httpx.get(f"{where}/api/v1/dockets", verify=False, timeout=PATIENCE_S)
        assert answer.status_code == 401
        # Whoever asks later need not know how it was started.
        assert f"running at {where}\n" in inkwell(tmp_path, "status").stdout
    finally:
        inkwell(tmp_path, "stop")


def test_the_database_and_the_store_that_the_environment_names_are_used(tmp_path: Path, database_url: str) -> None:
    port, media = processes.free_port(), tmp_path / "elsewhere"
    settings = {"INKWELL_DATABASE_URL": database_url, "INKWELL_MEDIA_ROOT": str(media)}
    try:
        started = inkwell(tmp_path / "var", "serve", "--port", str(port), **settings)
        assert started.returncode == 0, started.stderr
        body = {"shelfmark": "E-1", "carrier_format": "LP"}
        assert httpx.post(f"http://127.0.0.1:{port}/api/v1/dockets", json=body, timeout=PATIENCE_S).is_success
        assert "the one that INKWELL_DATABASE_URL names" in inkwell(tmp_path / "var", "status", **settings).stdout
        second = inkwell(tmp_path / "other var", "serve", "--port", str(processes.free_port()), **settings)
        assert second.returncode == 1
        assert "another server works with these recordings: process" in second.stderr
        assert "Traceback" not in second.stderr
    finally:
        inkwell(tmp_path / "var", "stop", **settings)
        inkwell(tmp_path / "other var", "stop", **settings)
    base = StoreDatabase(database_url)
    with base.begin() as session:
        assert [docket.shelfmark for docket in session.scalars(select(Docket))] == ["E-1"]
    base.close()
    assert media.is_dir()
    assert not (tmp_path / "var" / "database").exists() and not (tmp_path / "var" / "media").exists()


@pytest.mark.parametrize(
    ("command", "settings", "words"),
    [
        ("serve", {"INKWELL_TLS_CERTIFICATE": "cert.pem"}, "its companion is not"),
        ("serve", {"INKWELL_TLS_CERTIFICATE": "no.pem", "INKWELL_TLS_KEY": "no.key"}, "there is no file no.pem"),
        ("serve", {"INKWELL_HOST": "archive.example"}, "in INKWELL_NAMES"),
        ("serve", {"INKWELL_HOST": "127.0.0.2"}, "passwords would travel in the clear"),
        ("serve", {"INKWELL_PROXIES": "192.0.2.7, *"}, "* is neither an address nor a network"),
        ("demo", {"INKWELL_HOST": "127.0.0.2"}, "for this machine alone"),
        ("demo", {"INKWELL_SIGN_IN": "always"}, "for this machine alone"),
    ],
)
def test_settings_it_cannot_start_with_are_one_clear_sentence(
    tmp_path: Path, command: str, settings: dict[str, str], words: str
) -> None:
    done = inkwell(tmp_path, command, **settings)
    assert done.returncode == 1 and done.stderr.splitlines()[-1].count(words) == 1, done.stderr
    assert done.stderr.count("\n") <= 2, "what was being done, and what is wrong"


def test_a_worker_by_itself_is_told_what_it_lacks(tmp_path: Path) -> None:
    for settings in ({}, {"INKWELL_ENGINE": "celery"}):
        told = inkwell(tmp_path, "worker", **settings)
        assert told.returncode == 1 and "INKWELL_BROKER=redis://" in told.stderr


def test_a_worker_is_given_the_lanes_that_were_asked_for(tmp_path: Path) -> None:
    house = {"INKWELL_ENGINE": "celery", "INKWELL_BROKER": "redis://127.0.0.1:1/0"}
    alone = inkwell(tmp_path, "worker", **house)
    assert alone.returncode == 1 and "Set INKWELL_DATABASE_URL to the address of the server's" in alone.stderr
    house["INKWELL_DATABASE_URL"] = "mysql+pymysql://inkwell@127.0.0.1:1/inkwell"
    told = typed(tmp_path, "worker", "--lanes", "quick,slow", "--processes", "3", **house)
    assert told.returncode == 2 and "there is no lane slow: quick, steady, bulk" in told.stderr


def test_an_address_of_another_machine_is_one_clear_line(tmp_path: Path) -> None:
    with pytest.raises(CannotGoOn, match=r"192.0.2.7 is no address of this machine"):
        processes.port_is_free(8420, "192.0.2.7")


def test_a_port_for_root_alone_is_one_clear_line(monkeypatch: pytest.MonkeyPatch) -> None:
    def refuse(*_: object) -> None:
        raise PermissionError(errno.EACCES, "Permission denied")

    monkeypatch.setattr(socket.socket, "bind", refuse)
    with pytest.raises(CannotGoOn, match=r"Port 443 is for root alone.*ip_unprivileged_port_start=443"):
        processes.port_is_free(443)


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
    until(lambda: "ready" in log.read_text(), "it was not ready")
    assert processes.stop(record, patience_s=0.3) is True
    assert processes.running(record) is None


def test_a_missing_package_is_told_with_the_command_to_install_it(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(os, "geteuid", lambda: 1000)
    with pytest.raises(CannotGoOn, match=r"Missing: sealing-wax. Run as root: apt-get install .* sealing-wax"):
        debian.need({"sealing-wax": "sealing-wax-program"})


def test_what_is_kept_is_for_nobody_but_its_owner(tmp_path: Path) -> None:
    """Data and logs of a house that was served: each file, or a folder above it, is closed to all others."""
    port = processes.free_port()
    media = tmp_path / "media"
    media.mkdir(mode=0o755)  # as an earlier version left it
    try:
        assert inkwell(tmp_path, "serve", "--port", str(port)).returncode == 0
        open_to_others = [
            path
            for folder in ("media", "database", "log")
            for path in (tmp_path / folder).rglob("*")
            if path.is_file()
            and all(one.stat().st_mode & 0o007 for one in (path, *path.parents) if tmp_path in one.parents)
        ]
        assert (tmp_path / "database" / "password").is_file() and (tmp_path / "log" / "application.log").is_file()
        assert open_to_others == []
    finally:
        inkwell(tmp_path, "stop")


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
    assert application.health(f"http://127.0.0.1:{processes.free_port()}") is None
