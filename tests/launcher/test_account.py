"""What root starts runs as another account, which then owns what is kept."""

from __future__ import annotations

import os
import pwd
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest

from launcher import account, processes
from launcher.places import ROOT, VENV, CannotGoOn
from tests.launcher.inside import inkwell
from tests.live import _children
from tests.patience import PATIENCE_S

NOBODY = "nobody"
as_root = pytest.mark.skipif(os.geteuid() != 0, reason="only root can give its rights up")


@pytest.fixture
def var() -> Iterator[Path]:
    """A folder that every account can reach; the tests' own is closed to others."""
    outer = Path(tempfile.mkdtemp(prefix="inkwell-account-", dir="/tmp"))
    outer.chmod(0o755)
    yield outer / "var"
    inkwell(outer / "var", "stop")
    shutil.rmtree(outer)


def where_all_may_look(command: list[str], hold: Path) -> list[str]:
    """Return a command that runs another one where the folders of Python and of the program are open to every account.

    Where they lie in a folder that is closed, as root's own is, another stands in its place, seen by that one alone.
    """
    kept = [Path(sys.base_prefix).resolve(), ROOT]
    closed = {one for path in kept for one in path.parents if not one.stat().st_mode & 0o001}
    if not closed:
        return command
    if subprocess.run(["unshare", "--mount", "true"], check=False, capture_output=True).returncode:
        pytest.skip("no mounts of one's own here")
    lines = ["set -e", "mount --make-rprivate /"]
    for number, path in enumerate(kept):
        (hold / str(number)).mkdir(parents=True, exist_ok=True)
        lines.append(f"mount --bind '{path}' '{hold}/{number}'")
    lines += [f"mount -t tmpfs -o mode=755 none '{one}'" for one in closed]
    for number, path in enumerate(kept):
        lines.append(f"mkdir -p '{path}'; mount --bind '{hold}/{number}' '{path}'")
    return ["unshare", "--mount", "sh", "-c", "; ".join([*lines, 'exec "$@"']), "sh", *command]


def owners(pid: int) -> set[str]:
    """Return whom a process and all that it started run as."""
    found = {pwd.getpwuid(Path(f"/proc/{pid}").stat().st_uid).pw_name}
    for child in _children(pid):
        found |= owners(child)
    return found


@as_root
def test_what_root_starts_runs_as_the_account_and_goes_on_as_another(
    var: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def typed(*words: str) -> subprocess.CompletedProcess[str]:
        command = where_all_may_look([str(ROOT / "inkwell"), *words], var.parent / "hold")
        return subprocess.run(command, cwd=var.parent, capture_output=True, text=True, check=False, timeout=600)

    def started_as(name: str) -> tuple[str, set[str]]:
        monkeypatch.setenv("INKWELL_ACCOUNT", name)
        port = processes.free_port()
        done = typed("serve", "--port", str(port))
        assert done.returncode == 0, done.stdout + done.stderr
        database, application = (processes.running(var / one) for one in ("database/process", "run/application"))
        assert database and application
        return f"http://127.0.0.1:{port}/api/v1", owners(database) | owners(application)

    monkeypatch.setenv("INKWELL_VAR", var.name)  # from the folder it is started in
    # Begun as root, as it was before there was an account.
    api, who = started_as("root")
    assert who == {"root"}
    body = {"shelfmark": "A-1", "carrier_format": "LP"}
    httpx.post(f"{api}/dockets", json=body, timeout=PATIENCE_S).raise_for_status()
    monkeypatch.setenv("INKWELL_ACCOUNT", NOBODY)
    beside = typed("serve", "--port", str(processes.free_port()))
    assert beside.returncode == 1 and "runs as root at the moment. End that first: ./inkwell stop" in beside.stderr
    assert typed("stop").returncode == 0

    # Compiling for the account takes a minute and is not what this is about.
    (var / "compiled").mkdir()
    shutil.copy(VENV / "compiled-from", var / "compiled")

    for name in (NOBODY, "root"):
        api, who = started_as(name)
        assert who == {name}
        assert [one["shelfmark"] for one in httpx.get(f"{api}/dockets", timeout=PATIENCE_S).json()] == ["A-1"]
        assert typed("stop").returncode == 0
    monkeypatch.setenv("INKWELL_ACCOUNT", NOBODY)
    examined = typed("admin", "doctor")
    assert examined.returncode == 0, examined.stdout + examined.stderr
    assert {path.owner() for path in (var, *var.rglob("*"))} == {NOBODY}


@as_root
def test_where_there_is_none_it_is_said(
    var: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setenv("INKWELL_VAR", str(var))
    monkeypatch.delenv("INKWELL_ACCOUNT", raising=False)
    monkeypatch.setattr(account, "DEFAULT", "surely-not-there")
    assert account.own() is None
    assert "It runs as root, for there is no account surely-not-there. Make one" in capsys.readouterr().out
    monkeypatch.setenv("INKWELL_ACCOUNT", "surely-not-there")
    with pytest.raises(CannotGoOn, match="there is no account surely-not-there"):
        account.own()


@as_root
def test_an_account_that_cannot_reach_it_is_not_used(
    var: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    var.parent.chmod(0o700)
    monkeypatch.setenv("INKWELL_VAR", str(var))
    monkeypatch.setattr(account, "DEFAULT", NOBODY)
    monkeypatch.delenv("INKWELL_ACCOUNT", raising=False)
    assert account.own() is None
    assert f"nobody cannot read the program or reach {var}" in capsys.readouterr().out
    monkeypatch.setenv("INKWELL_ACCOUNT", NOBODY)
    with pytest.raises(CannotGoOn, match="cannot read the program"):
        account.own()


def test_who_is_not_root_starts_it_as_nobody_else(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(os, "geteuid", lambda: pwd.getpwnam(NOBODY).pw_uid)
    monkeypatch.setenv("INKWELL_ACCOUNT", "root")
    with pytest.raises(CannotGoOn, match="only root can start it as root"):
        account.own()
    monkeypatch.setenv("INKWELL_ACCOUNT", NOBODY)
    assert account.own() is None
