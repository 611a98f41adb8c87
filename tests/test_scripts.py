"""What a script's author is shown works: the lines of docs/api.md, and the example of the generated client."""

from __future__ import annotations

import os
import re
import subprocess
import sys
import zipfile
from collections.abc import Iterator
from pathlib import Path

import bagit
import pytest

from launcher.database import Database
from launcher.places import PYTHON, ROOT
from launcher.wheel import build_client
from tests.live import Server, new_schema
from tests.people import make_people, signed_in
from tests.sounds import record_side

EXAMPLE = ROOT / "clients" / "python" / "example.py"


@pytest.fixture(scope="module")
def house(mariadb: Database, tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[Server, str]]:
    """A server where everybody signs in, and a token of an archivist."""
    with Server(new_schema(mariadb), tmp_path_factory.mktemp("scripts") / "media", INKWELL_SIGN_IN="always") as server:
        make_people(server)
        made = signed_in(server, "archivist").post(
            "/session/tokens", json={"purpose": "a script", "role": "archivist", "days": 1}
        )
        assert made.status_code == 201, made.text
        yield server, made.json()["token"]


def _lines() -> str:
    """Return the shell's lines of the document, but for those that set the address and those for pip and Python."""
    text = (ROOT / "docs" / "api.md").read_text().split("## Python")[0]
    blocks = re.findall(r"(?:^    .*\n)+", text, re.MULTILINE)
    return "".join(block for block in blocks if not block.lstrip().startswith("export "))


def test_every_line_of_the_document_works(house: tuple[Server, str], tmp_path: Path) -> None:
    server, token = house
    record_side(tmp_path / "side A.wav", tracks_s=(11.0, 12.0))
    lines = _lines()
    assert lines.count("api ") > 12
    done = subprocess.run(
        ["bash", "-euo", "pipefail", "-c", lines],
        cwd=tmp_path,
        env={**os.environ, "INKWELL": f"{server.address}/api/v1", "TOKEN": token},
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 0, done.stdout + done.stderr
    with zipfile.ZipFile(tmp_path / "package.zip") as archive:
        titles = [name for name in archive.namelist() if name.endswith(".flac")]
    assert any("Part 1" in name for name in titles), titles
    assert "Jon Maskell-Obi" in done.stdout, "the ledger's lines"
    assert '"shelfmark"' in done.stdout and '"carriers"' in done.stdout, "both values that are wrong"


@pytest.fixture(scope="module")
def client(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Return a folder that has the generated client, as pip installs it."""
    folder = tmp_path_factory.mktemp("client")
    target = folder / "packages"
    words = ["-m", "pip", "install", "--quiet", "--no-index", "--no-deps", "--target", target, build_client(folder)]
    subprocess.run([PYTHON, *words], check=True)
    return target


def example(client: Path, address: str, token: str, folder: Path) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, EXAMPLE, address, token, folder],
        env={**os.environ, "PYTHONPATH": str(client)},
        capture_output=True,
        text=True,
        check=False,
    )


def test_the_example_takes_a_folder_of_sides_to_a_sealed_package(
    house: tuple[Server, str], client: Path, tmp_path: Path
) -> None:
    server, token = house
    sides = tmp_path / "sides of S-2"
    sides.mkdir()
    record_side(sides / "a.wav", tracks_s=(11.0, 12.0))
    record_side(sides / "b.wav", tracks_s=(13.0,), seed=5)
    (sides / "titles.txt").write_text("The Quay Band\nSlack Water\nMoorings\nThe Ebb\nLow Light\n")
    done = example(client, server.address, token, sides)
    assert done.returncode == 0, done.stdout + done.stderr
    assert done.stdout.startswith("sides of S-2: 3 tracks sealed in ")
    with zipfile.ZipFile(sides / "package.zip") as archive:
        archive.extractall(tmp_path / "out")
    (bag,) = (path.parent for path in (tmp_path / "out").rglob("bagit.txt"))
    bagit.Bag(str(bag)).validate()


def test_the_example_stops_where_the_titles_do_not_fit(house: tuple[Server, str], client: Path, tmp_path: Path) -> None:
    server, token = house
    sides = tmp_path / "S-4"
    sides.mkdir()
    record_side(sides / "a.wav", tracks_s=(11.0, 12.0))
    (sides / "titles.txt").write_text("The Quay Band\nSlack Water\nMoorings\n")
    done = example(client, server.address, token, sides)
    assert done.returncode == 1 and "titles.txt names 1 tracks, and 2 were found" in done.stderr


def test_the_example_says_what_was_refused(house: tuple[Server, str], client: Path, tmp_path: Path) -> None:
    server, _ = house
    (tmp_path / "S-3").mkdir()
    done = example(client, server.address, "inkwell_wrong", tmp_path / "S-3")
    assert done.returncode == 1 and "Traceback" not in done.stderr and done.stderr.strip(), done.stderr
