"""What all tests share: patience for hypothesis, a private database, a real server."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import HealthCheck, settings

from inkwell_groove.demo.carriers import CARRIERS, write_carrier
from launcher.database import Database
from tests.live import Server, new_schema

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
