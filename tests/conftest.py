"""What all tests share: patience for hypothesis, a private database, a real server."""

from __future__ import annotations

import os
import shutil
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from hypothesis import HealthCheck, settings

from inkwell_groove.demo.carriers import CARRIERS, write_carrier
from inkwell_groove.demo.imports import IMPORTS_FOLDER, IMPORTS_NAME, write_imports
from launcher.database import Database
from tests.discs import HIDDEN, Running, lay_out
from tests.live import Server, new_schema
from tests.sources import RunningSources, write_catalogue

settings.register_profile("house", deadline=None, suppress_health_check=[HealthCheck.too_slow], print_blob=True)
settings.load_profile("house")


@pytest.fixture(scope="session")
def mariadb(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Database]:
    """A MariaDB of the tests' own, made and ended with the session."""
    database = Database(tmp_path_factory.mktemp("mariadb"), is_durable=False)
    database.ensure_running()
    yield database
    database.stop()


@pytest.fixture(scope="module")
def database_url(mariadb: Database) -> str:
    """An empty schema, migrated, for this module alone."""
    return new_schema(mariadb)


@pytest.fixture(scope="module")
def server(database_url: str, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    """The real application on a port of its own."""
    with Server(database_url, tmp_path_factory.mktemp("media")) as running:
        yield running


def made_once(factory: pytest.TempPathFactory, name: str, make: Callable[[Path], object]) -> Path:
    """A folder that one of the processes that run tests makes, and all of them read."""
    own = factory.getbasetemp()
    # Under xdist each process has its own folder in the one of the run.
    shared = own.parent if os.environ.get("PYTEST_XDIST_WORKER") else own
    target = shared / f"made once, {name}"
    try:
        (shared / f"making {name}").mkdir()
    except FileExistsError:
        until = time.monotonic() + 300
        while not target.is_dir():
            assert time.monotonic() < until, f"nobody made {name}"
            time.sleep(0.1)
        return target
    beside = shared / f"half made, {name}"
    beside.mkdir()
    make(beside)
    return beside.rename(target)


@pytest.fixture(scope="session")
def messy_originals(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo's messy folder: to be copied, never worked on."""
    return made_once(tmp_path_factory, "archive", write_imports) / IMPORTS_FOLDER / IMPORTS_NAME


@pytest.fixture(scope="module")
def messy_root(messy_originals: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder of files with a copy of the messy folder in it."""
    root = tmp_path_factory.mktemp("files")
    shutil.copytree(messy_originals, root / "messy")
    return root


@pytest.fixture(scope="module")
def messy_house(database_url: str, messy_root: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    """The real application with the messy folder edited in place, and surveyed once."""
    with Server(database_url, tmp_path_factory.mktemp("media"), INKWELL_FILES_ROOT=str(messy_root)) as running:
        running.post("/bundles", {"folder": "messy", "in_place": True})
        running.wait_for_jobs()
        running.post("/survey")
        running.wait_for_jobs()
        yield running


@pytest.fixture(scope="session")
def shared_folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """For recordings that many tests read and none changes."""
    return tmp_path_factory.mktemp("shared")


@pytest.fixture(scope="session")
def demo_carriers(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The carriers of the demo's simulated decks, with the truth about them: made once, since that takes 20 s."""

    def make(folder: Path) -> None:
        for script in CARRIERS:
            write_carrier(script, folder)

    return made_once(tmp_path_factory, "demo carriers", make)


@pytest.fixture(scope="session")
def discs(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder of discs for the simulated drives."""
    return made_once(tmp_path_factory, "discs", lay_out)


@pytest.fixture(scope="module")
def register(discs: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Running]:
    """A witness register that knows one of them."""
    file = tmp_path_factory.mktemp("register") / "register.json"
    file.write_bytes((discs / "plain" / "register.json").read_bytes())
    running = Running(file)
    yield running
    running.stop()


@pytest.fixture(scope="module")
def house(
    database_url: str, tmp_path_factory: pytest.TempPathFactory, discs: Path, register: Running
) -> Iterator[Server]:
    """The real application beside those discs and that register."""
    settings = {
        "INKWELL_DISCS_ROOT": str(discs),
        "INKWELL_WITNESS_REGISTER": register.address,
        "INKWELL_DEVICE_SPEED": "100",
        "INKWELL_WITNESS_TIMEOUT_S": "1",
    }
    with Server(database_url, tmp_path_factory.mktemp("media"), **settings) as running:
        yield running


@pytest.fixture(scope="session")
def catalogue(tmp_path_factory: pytest.TempPathFactory, demo_carriers: Path) -> Path:
    """What the simulated sources hold in tests."""
    folder = tmp_path_factory.mktemp("catalogue")
    write_catalogue(folder, demo_carriers, HIDDEN)
    return folder


@pytest.fixture(scope="module")
def sources(catalogue: Path) -> Iterator[RunningSources]:
    """The three simulated sources."""
    running = RunningSources(catalogue)
    yield running
    running.stop()


@pytest.fixture(scope="module")
def library(
    database_url: str, tmp_path_factory: pytest.TempPathFactory, discs: Path, sources: RunningSources
) -> Iterator[Server]:
    """The real application with those sources to ask."""
    settings = {"INKWELL_DISCS_ROOT": str(discs), "INKWELL_DEVICE_SPEED": "100", **sources.settings}
    with Server(database_url, tmp_path_factory.mktemp("media"), **settings) as running:
        yield running
