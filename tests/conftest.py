"""What all tests share: patience for hypothesis, a private database, a real server."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import HealthCheck, settings

from inkwell_groove.demo.carriers import CARRIERS, write_carrier
from inkwell_groove.demo.imports import write_imports
from launcher.database import Database
from tests.discs import HIDDEN, Running, lay_out
from tests.live import Server, new_schema
from tests.sources import RunningSources, write_catalogue

settings.register_profile("house", deadline=None, suppress_health_check=[HealthCheck.too_slow], print_blob=True)
settings.load_profile("house")


@pytest.fixture(scope="session")
def mariadb(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Database]:
    """A MariaDB of the tests' own, made and ended with the session."""
    database = Database(tmp_path_factory.mktemp("mariadb"))
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


@pytest.fixture(scope="session")
def messy_originals(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo's messy folder, made once: to be copied, never worked on."""
    return write_imports(tmp_path_factory.mktemp("archive"))


@pytest.fixture(scope="session")
def shared_folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """For recordings that many tests read and none changes."""
    return tmp_path_factory.mktemp("shared")


@pytest.fixture(scope="session")
def demo_carriers(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The carriers of the demo's simulated decks, with the truth about them: made once, since that takes 20 s."""
    folder = tmp_path_factory.mktemp("demo carriers")
    for script in CARRIERS:
        write_carrier(script, folder)
    return folder


@pytest.fixture(scope="session")
def discs(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder of discs for the simulated drives."""
    folder = tmp_path_factory.mktemp("discs")
    lay_out(folder)
    return folder


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
