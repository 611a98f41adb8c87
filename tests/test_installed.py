"""The application as pip installs it: a wheel in an environment of its own, with no source tree beside it."""

from __future__ import annotations

import os
import subprocess
import sys
import tomllib
import venv
import zipfile
from collections.abc import Iterator, Mapping
from pathlib import Path

import httpx
import pytest

from launcher import wheel
from launcher.database import Database
from launcher.places import PYTHON, ROOT, VENV
from launcher.processes import free_port
from tests.live import new_schema
from tests.patience import PATIENCE_S, until
from tests.sounds import noise, write


@pytest.fixture(scope="module")
def built(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path, client, needs = wheel.build(tmp_path_factory.mktemp("built"))
    assert needs.read_bytes() == (ROOT / "requirements" / "runtime.txt").read_bytes()
    assert client.name.startswith("inkwell_client-")
    return path


@pytest.fixture(scope="module")
def installed(built: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Return the folder of the environment's commands. The packages it needs are those of the tests' environment."""
    folder = tmp_path_factory.mktemp("installed")
    venv.create(folder, with_pip=False, symlinks=True)
    words = ["-m", "pip", "--python", folder / "bin" / "python", "install", "--quiet", "--no-index", "--no-deps", built]
    subprocess.run([PYTHON, *words], check=True)
    packages = Path("lib") / f"python{sys.version_info.major}.{sys.version_info.minor}" / "site-packages"
    # What is named in a .pth file is searched, and the .pth files in there are not read: the source tree stays unknown.
    (folder / packages / "others.pth").write_text(f"{VENV / packages}\n")
    return folder / "bin"


@pytest.fixture
def environment(mariadb: Database, tmp_path: Path) -> dict[str, str]:
    kept = {name: value for name, value in os.environ.items() if name in ("PATH", "TMPDIR", "LANG")}
    return {
        **kept,
        "INKWELL_DATABASE_URL": new_schema(mariadb, migrated=False),
        "INKWELL_PORT": str(free_port()),
        "XDG_DATA_HOME": str(tmp_path / "data"),
        "NUMBA_DISABLE_JIT": "1",  # to compile all anew would take a minute, and what is compiled is tested elsewhere
    }


def typed(
    installed: Path, environment: Mapping[str, str], *words: str, given: str = ""
) -> subprocess.CompletedProcess[str]:
    command, *rest = words
    return subprocess.run(
        [installed / command, *rest], env=environment, cwd="/", input=given, capture_output=True, text=True, check=False
    )


@pytest.fixture
def served(installed: Path, environment: dict[str, str], tmp_path: Path) -> Iterator[str]:
    """Start the server with tables that are not there yet, and return its address."""
    address = f"http://127.0.0.1:{environment['INKWELL_PORT']}"
    with (tmp_path / "log").open("wb") as log:
        process = subprocess.Popen([installed / "inkwell", "serve"], env=environment, cwd="/", stdout=log, stderr=log)
    with process:
        try:
            until(lambda: process.poll() is not None or _is_ready(address), "the server did not start")
            assert process.poll() is None, (tmp_path / "log").read_text()
            yield address
        finally:
            process.terminate()


def _is_ready(address: str) -> bool:
    try:
        return httpx.get(f"{address}/api/v1/ready", timeout=PATIENCE_S).is_success
    except httpx.TransportError:
        return False


def test_a_wheel_has_what_is_run_and_nothing_else(built: Path) -> None:
    with zipfile.ZipFile(built) as archive:
        names = archive.namelist()
        metadata = archive.read(next(name for name in names if name.endswith("METADATA"))).decode()
    assert {"inkwell_groove/frontend/index.html", "inkwell_groove/store/migrations/env.py"} <= set(names)
    assert any(name.startswith("inkwell_groove/frontend/assets/") and name.endswith(".js") for name in names)
    assert {name.split("/")[0].split("-")[0] for name in names} == {"inkwell_groove"}
    assert not [name for name in names if "__pycache__" in name or name.endswith((".nbi", ".nbc"))]
    project = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]
    assert metadata.count("Requires-Dist:") == len(project["dependencies"])


def test_it_makes_its_tables_serves_its_pages_and_works(served: str, tmp_path: Path) -> None:
    page = httpx.get(served, timeout=PATIENCE_S)
    assert page.is_success and "<title>" in page.text
    script = page.text.split('src="/')[1].split('"')[0]
    assert httpx.get(f"{served}/{script}", timeout=PATIENCE_S).is_success
    with httpx.Client(base_url=f"{served}/api/v1", timeout=PATIENCE_S) as api:
        docket = api.post("/dockets", json={"shelfmark": "W-1", "carrier_format": "LP"}).json()
        sound = write(tmp_path / "a.wav", noise(4_800)).read_bytes()
        body = {"name": "a.wav", "size_bytes": len(sound)}
        upload = api.post(f"/dockets/{docket['id']}/uploads", json=body).json()
        sent = api.patch(f"/uploads/{upload['id']}", content=sound, headers={"Upload-Offset": "0"})
        assert sent.is_success, sent.text
        until(lambda: _listened(api, docket["id"]), "the recording was not listened to")
    assert (tmp_path / "data" / "inkwell-groove" / "media" / "takes").is_dir(), "below the account's folder for data"


def _listened(api: httpx.Client, docket_id: int) -> bool:
    jobs = [one for one in api.get("/jobs").json() if one["docket_id"] == docket_id]
    assert all(one["state"] != "failed" for one in jobs), jobs
    return bool(jobs) and all(one["state"] == "done" for one in jobs)


def test_it_is_looked_after_and_its_settings_are_tried(
    installed: Path, environment: dict[str, str], tmp_path: Path
) -> None:
    assert typed(installed, environment, "inkwell").stdout.startswith("usage: inkwell COMMAND")
    unknown = typed(installed, environment, "inkwell", "play")
    assert unknown.returncode == 2 and "serve, worker, admin, account" in unknown.stderr
    before = typed(installed, environment, "inkwell", "admin", "check-config")
    assert before.returncode == 1 and "tables are of release none" in before.stdout
    assert "inkwell admin upgrade" in before.stdout
    (tmp_path / "backup").mkdir()
    for words in (("upgrade",), ("doctor",), ("backup", str(tmp_path / "backup")), ("check-config",)):
        done = typed(installed, environment, "inkwell", "admin", *words)
        assert done.returncode == 0, done.stdout + done.stderr
    assert "WRONG" not in done.stdout
    made = typed(installed, environment, "inkwell", "account", "Ilse Vanterroe", "keeper", given="slack water at six\n")
    assert made.returncode == 0 and "Ilse Vanterroe may sign in" in made.stdout, made.stderr
    wrong = typed(installed, {**environment, "INKWELL_HOST": "archive.example"}, "inkwell", "serve")
    assert wrong.returncode == 1 and "INKWELL_HOST: archive.example is not an address" in wrong.stderr


def test_the_shell_commands_for_sound_come_with_it(
    installed: Path, environment: dict[str, str], tmp_path: Path
) -> None:
    path = write(tmp_path / "a.wav", noise(4_800))
    measured = typed(installed, environment, "groove", "measure", str(path), "--json")
    assert measured.returncode == 0 and '"rate_hz": 48000' in measured.stdout, measured.stderr
