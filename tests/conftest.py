"""Fixtures that all tests share: a private database, a real server, demo data."""

from __future__ import annotations

import os
import shutil
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from hypothesis import HealthCheck, settings

from inkwell_groove import logs
from inkwell_groove.demo.carriers import CARRIERS, write_carrier
from inkwell_groove.demo.imports import IMPORTS_FOLDER, IMPORTS_NAME, write_imports
from launcher.database import Database
from tests.discs import HIDDEN, Running, lay_out
from tests.live import Server, new_schema
from tests.patience import until
from tests.people import guarded
from tests.sources import RunningSources, write_catalogue

__all__ = ["guarded"]

# Otherwise what a test makes fail is printed with every local variable of every frame, which takes seconds.
logs.configure()
settings.register_profile("house", deadline=None, suppress_health_check=[HealthCheck.too_slow], print_blob=True)
settings.load_profile("house")


# Modules that start browsers and servers take minutes: they come first, so that none of them is left for the end.
_FIRST = ("browser", "launcher", "demo", "workroom", "web")


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Put the folders whose modules take longest first; tests keep their order within a module."""

    def place(item: pytest.Item) -> int:
        folder = item.path.relative_to(Path(__file__).parent).parts[0]
        return _FIRST.index(folder) if folder in _FIRST else len(_FIRST)

    items.sort(key=place)


@pytest.fixture(scope="session")
def mariadb(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Database]:
    """A private MariaDB server for the test session."""
    database = Database(tmp_path_factory.mktemp("mariadb"), is_durable=False)
    database.ensure_running()
    yield database
    database.stop()


@pytest.fixture(scope="module")
def database_url(mariadb: Database) -> str:
    """The address of an empty, migrated schema for one module."""
    return new_schema(mariadb)


@pytest.fixture(scope="module")
def server(database_url: str, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    """The application, running on its own port."""
    with Server(database_url, tmp_path_factory.mktemp("media")) as running:
        yield running


def made_once(factory: pytest.TempPathFactory, name: str, make: Callable[[Path], object]) -> Path:
    """Return a folder that one test process fills and all of them read."""
    own = factory.getbasetemp()
    # Under xdist each process has its own folder in the one of the run.
    shared = own.parent if os.environ.get("PYTEST_XDIST_WORKER") else own
    target = shared / f"made once, {name}"
    try:
        (shared / f"making {name}").mkdir()
    except FileExistsError:
        until(target.is_dir, f"nobody made {name}")
        return target
    beside = shared / f"half made, {name}"
    beside.mkdir()
    make(beside)
    return beside.rename(target)


@pytest.fixture(scope="session")
def messy_originals(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo's folder of messy files; copy it, never change it."""
    return made_once(tmp_path_factory, "archive", write_imports) / IMPORTS_FOLDER / IMPORTS_NAME


@pytest.fixture(scope="module")
def messy_root(messy_originals: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A files root that holds a copy of the messy folder."""
    root = tmp_path_factory.mktemp("files")
    shutil.copytree(messy_originals, root / "messy")
    return root


@pytest.fixture(scope="module")
def messy_house(database_url: str, messy_root: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    """The application with the messy folder edited in place and surveyed once."""
    with Server(database_url, tmp_path_factory.mktemp("media"), INKWELL_FILES_ROOT=str(messy_root)) as running:
        running.post("/bundles", {"folder": "messy", "in_place": True})
        running.wait_for_jobs()
        running.post("/survey")
        running.wait_for_jobs()
        yield running


@pytest.fixture(scope="session")
def shared_folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder for recordings that many tests read and none changes."""
    return tmp_path_factory.mktemp("shared")


@pytest.fixture(scope="session")
def demo_carriers(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The carriers of the demo's simulated decks, with their ground truth. They take 20 s to make."""

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
    """A witness register that knows one of the discs."""
    file = tmp_path_factory.mktemp("register") / "register.json"
    file.write_bytes((discs / "plain" / "register.json").read_bytes())
    running = Running(file)
    yield running
    running.stop()


@pytest.fixture(scope="module")
def house(
    database_url: str, tmp_path_factory: pytest.TempPathFactory, discs: Path, register: Running
) -> Iterator[Server]:
    """The application with those discs and that register."""
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
    """The catalogue entries of the simulated sources."""
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
    """The application with those sources."""
    settings = {"INKWELL_DISCS_ROOT": str(discs), "INKWELL_DEVICE_SPEED": "100", **sources.settings}
    with Server(database_url, tmp_path_factory.mktemp("media"), **settings) as running:
        yield running
