"""What the launcher does before anything runs: packages, the environment, the front end, checks, stand-ins."""

from __future__ import annotations

import argparse
import re
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import httpx
import pytest

from launcher import debian, environment, frontend, processes, standins, testing
from launcher.places import ROOT, CannotGoOn
from tests.launcher.inside import inkwell, typed
from tests.patience import PATIENCE_S

PASSES, FAILS = [sys.executable, "-c", "pass"], [sys.executable, "-c", "import sys; sys.exit('a line too long')"]


class Commands:
    """Keeps what would have been run."""

    def __init__(self) -> None:
        self.run: list[str] = []

    def __call__(self, command: Any, *, what: str, **_: Any) -> str:
        self.run.append(" ".join(Path(str(part)).name for part in command))
        return "the document"


@pytest.fixture
def commands() -> Commands:
    return Commands()


def test_missing_packages_are_installed_by_root_and_told_if_they_are_still_missing(
    monkeypatch: pytest.MonkeyPatch, commands: Commands
) -> None:
    monkeypatch.setattr(debian, "run", commands)
    monkeypatch.setattr(debian.os, "geteuid", lambda: 0)
    monkeypatch.setattr(debian.shutil, "which", lambda name, path=None: name if name == "apt-get" else None)
    with pytest.raises(CannotGoOn, match="Still missing after installing: sealing-wax"):
        debian.need({"sealing-wax": "sealing-wax-program"})
    assert commands.run[-1].endswith("install -y -qq --no-install-recommends sealing-wax")


@pytest.mark.parametrize(
    ("system", "words"),
    [
        (
            "ID=fedora\n",
            "run as root: dnf install mariadb-server, and install what Debian calls flac.",
        ),
        ('ID="rocky"\nID_LIKE="rhel centos fedora"\n', "dnf install mariadb-server"),
        ('ID="opensuse-leap"\nID_LIKE="suse opensuse"\n', "zypper install mariadb,"),
        ("ID=arch\n", "pacman -S mariadb,"),
        ("ID=plan9\n", "this system is none that is known here"),
        (None, "These are Debian's names"),
    ],
)
def test_other_systems_are_told_what_to_install(
    system: str | None, words: str, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.setattr(debian.shutil, "which", lambda name, path=None: None)
    monkeypatch.setattr(debian, "_OS_RELEASE", tmp_path / "os-release")
    if system is not None:
        (tmp_path / "os-release").write_text(system)
    with pytest.raises(CannotGoOn, match=re.escape(words)):
        debian.need({"mariadb-server": "mariadbd", "flac": "flac"})


def test_an_environment_is_made_once_for_each_lock_file(
    monkeypatch: pytest.MonkeyPatch, commands: Commands, tmp_path: Path
) -> None:
    venv = tmp_path / ".venv"
    version = f"python{sys.version_info.major}.{sys.version_info.minor}"
    (venv / "lib" / version / "site-packages").mkdir(parents=True)
    (venv / "bin").mkdir()
    (venv / "bin" / "python").touch()
    monkeypatch.setattr(environment, "run", commands)
    monkeypatch.setattr(environment, "VENV", venv)
    monkeypatch.setattr(environment, "PYTHON", venv / "bin" / "python")
    environment.ensure(testing=True)
    assert [line.rsplit(" ", 1)[1] for line in commands.run] == ["runtime.txt", "test.txt"]
    assert (venv / "lib" / version / "site-packages" / "inkwell_groove.pth").read_text() == f"{ROOT / 'src'}\n"
    environment.ensure(testing=True)
    assert len(commands.run) == 2, "nothing has changed"


def test_kernels_that_cannot_be_compiled_are_told_with_the_reason(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    broken = tmp_path / "python"
    broken.write_text("#!/bin/sh\necho no compiler >&2\nexit 1\n")
    broken.chmod(0o755)
    monkeypatch.setattr(environment, "VENV", tmp_path)
    monkeypatch.setattr(environment, "PYTHON", broken)
    with pytest.raises(CannotGoOn, match="no compiler"), environment.compiled_meanwhile():
        pass


def test_a_front_end_is_built_again_only_if_a_source_has_changed(
    monkeypatch: pytest.MonkeyPatch, commands: Commands, tmp_path: Path
) -> None:
    here = tmp_path / "frontend"
    for name in ("src/api", "public", "dist", "node_modules"):
        (here / name).mkdir(parents=True)
    for name in ("package-lock.json", "index.html", "vite.config.ts", "tsconfig.json", "src/main.tsx"):
        (here / name).write_text(name)
    (tmp_path / "requirements").mkdir()
    (tmp_path / "requirements" / "runtime.txt").touch()
    monkeypatch.setattr(frontend, "run", commands)
    monkeypatch.setattr(frontend, "FRONTEND", here)
    monkeypatch.setattr(frontend, "ROOT", tmp_path)
    assert frontend.ensure_built()
    assert [line.split(" ", 1)[1] for line in commands.run] == [
        "ci --no-audit --no-fund",
        "-m inkwell_groove.web.openapi",
        "run --silent types",
        "run --silent build",
    ]
    assert not frontend.ensure_built()
    assert len(commands.run) == 4
    (here / "src" / "main.tsx").write_text("another")
    assert frontend.ensure_built()


@contextmanager
def nothing_to_compile() -> Iterator[None]:
    yield


@pytest.mark.parametrize(
    ("style", "tests", "failed"),
    [(PASSES, PASSES, ""), (FAILS, PASSES, "Style"), (PASSES, FAILS, "Tests (pytest)")],
)
def test_all_checks_are_run_and_those_that_failed_are_named(
    style: list[str],
    tests: list[str],
    failed: str,
    monkeypatch: pytest.MonkeyPatch,
    capsys: pytest.CaptureFixture[str],
) -> None:
    for module, name in ((testing.debian, "need"), (testing.environment, "ensure"), (testing, "_make_frontend_ready")):
        monkeypatch.setattr(module, name, lambda *words, **more: None)
    monkeypatch.setattr(testing.environment, "compiled_meanwhile", nothing_to_compile)
    monkeypatch.setattr(testing, "_STYLE", (("Style", style, ROOT),))
    monkeypatch.setattr(testing, "_SLOW", (("Types", PASSES, ROOT),))
    monkeypatch.setattr(testing, "_QUICK", ())
    monkeypatch.setattr(testing, "_PYTEST", tuple(tests))
    wanted = argparse.Namespace(quick=True, only=[], coverage=False)
    if failed:
        with pytest.raises(CannotGoOn, match=f"Of 3 checks these failed: {re.escape(failed)}"):
            testing.run(wanted)
    else:
        assert testing.run(wanted) == 0
    said = capsys.readouterr().out
    assert "── Types\n   passed" in said
    assert ("a line too long" in said) == (failed == "Style")


def test_words_for_pytest_run_those_tests_alone(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    for module, name in ((testing.debian, "need"), (testing.environment, "ensure"), (testing, "_make_frontend_ready")):
        monkeypatch.setattr(module, name, lambda *words, **more: None)
    monkeypatch.setattr(testing.environment, "compiled_meanwhile", nothing_to_compile)
    ran: list[Any] = []
    monkeypatch.setattr(testing, "_streams", lambda name, command, coverage: ran.append(command) is None)
    wanted = argparse.Namespace(quick=False, only=["tests/core", "-k", "cue"], coverage=False)
    assert testing.run(wanted) == 0
    assert [list(command[1:]) for command in ran] == [["-m", "pytest", "tests/core", "-k", "cue"]]


def test_the_simulated_register_is_started_once_and_ended(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.setenv("INKWELL_VAR", str(tmp_path / "var"))
    monkeypatch.setattr(standins, "REGISTER_PORT", processes.free_port())
    seeds = tmp_path / "register.json"
    (tmp_path / "var").mkdir()
    seeds.write_text("{}")
    try:
        where = standins._start_register(seeds)
        assert standins._start_register(seeds) == where
        assert httpx.get(f"{where}/v1/discs/{'0' * 64}", timeout=PATIENCE_S).is_success
        assert standins.status() == [f"register     running at {where} (simulated)"]
    finally:
        assert standins.stop("witness-register")
    assert standins.status() == []


def test_an_account_is_made_and_the_doctor_finds_a_new_house_well(tmp_path: Path) -> None:
    try:
        made = typed(tmp_path, "account", "Ilse Vanterroe", "keeper", given="a quiet harbour at night\n")
        assert made.returncode == 0, made.stderr
        assert made.stdout.endswith("Ilse Vanterroe may sign in, as keeper.\n")
        poor = typed(tmp_path, "account", "Someone Else", "reader", given="short\n")
        assert poor.returncode == 1 and "has 15 to 256 characters" in poor.stderr
        assert inkwell(tmp_path, "admin", "doctor").returncode == 0
        assert inkwell(tmp_path, "status").returncode == 1, "nothing serves"
    finally:
        stopped = inkwell(tmp_path, "stop")
    assert "database" in stopped.stdout


def test_a_log_that_has_grown_is_begun_anew_and_five_old_ones_are_kept(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.setattr(processes, "_LARGE_BYTES", 10)
    log = tmp_path / "a.log"
    for number in range(8):
        log.write_text(f"run {number}, long enough")
        processes._rotate(log)
        assert not log.exists()
    assert sorted(path.name for path in tmp_path.iterdir()) == [f"a.log.{number}" for number in range(1, 6)]
    assert (tmp_path / "a.log.1").read_text().startswith("run 7")
    assert (tmp_path / "a.log.5").read_text().startswith("run 3")
    log.write_text("short")
    processes._rotate(log)
    assert log.read_text() == "short"
