"""People who sign in, for tests: a house where everybody must, and clients of its API by role."""

from __future__ import annotations

import os
import subprocess
from collections.abc import Iterator

import httpx
import pytest

from launcher.database import Database
from launcher.places import PYTHON
from tests.live import Server, new_schema
from tests.patience import PATIENCE_S
from tests.plain import PLAIN

PASSWORD = "slack water at the ferry"
PEOPLE = {"reader": "Rosa Lind", "archivist": "Jon Maskell-Obi", "keeper": "Ilse Vanterroe"}
_clients: list[httpx.Client] = []


@pytest.fixture(scope="module")
def guarded(mariadb: Database, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    """The application as others reach it: everybody signs in. The keeper was made from the shell."""
    with Server(new_schema(mariadb), tmp_path_factory.mktemp("media"), INKWELL_SIGN_IN="always") as running:
        make_people(running)
        yield running
        while _clients:
            _clients.pop().close()


def make_people(house: Server, *, elsewhere: str | None = None) -> None:
    """Make an account for each role. `elsewhere` is what the button for single sign-on says."""
    made = shell(house, PEOPLE["keeper"], "keeper", PASSWORD)
    assert made.returncode == 0, made.stderr
    keeper = signed_in(house, "keeper")
    assert keeper.get("/session").json()["elsewhere"] == elsewhere
    for role in ("reader", "archivist"):
        body = {"name": PEOPLE[role], "password": PASSWORD, "role": role}
        assert keeper.post("/accounts", json=body).status_code == 201


def shell(house: Server, name: str, role: str, password: str) -> subprocess.CompletedProcess[str]:
    """Make an account as `./inkwell account` does."""
    env = {**os.environ, "INKWELL_DATABASE_URL": house.database_url, "INKWELL_MEDIA_ROOT": str(house.media_root)}
    command = [str(PYTHON), "-m", "inkwell_groove", "account", name, role]
    return subprocess.run(command, env=env, input=f"{password}\n", capture_output=True, text=True, check=False)


def client(house: Server) -> httpx.Client:
    """Return a client of the API that nobody has signed in; it is closed with the house."""
    _clients.append(httpx.Client(base_url=f"{house.address}/api/v1", timeout=PATIENCE_S, verify=PLAIN))
    return _clients[-1]


def signed_in(house: Server, role: str) -> httpx.Client:
    """Return a client that somebody of that role has signed in."""
    http = client(house)
    answer = http.post("/session", json={"name": PEOPLE[role], "password": PASSWORD})
    assert answer.status_code == 200, answer.text
    assert (answer.json()["name"], answer.json()["role"]) == (PEOPLE[role], role)
    return http


def cookie(house: Server, role: str) -> dict[str, str]:
    """Return the header by which a request is that person's."""
    return {"Cookie": f"inkwell_session={signed_in(house, role).cookies['inkwell_session']}"}
