"""A house with a second disk, through the API: takes and packages lie there, and everything is done with them."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import bagit
import pytest

from tests.live import Server
from tests.sounds import record_side
from tests.web.test_packages import described, docket, fixity_of


@pytest.fixture(scope="module")
def place(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return tmp_path_factory.mktemp("vault")


@pytest.fixture(scope="module")
def house(database_url: str, tmp_path_factory: pytest.TempPathFactory, place: Path) -> Iterator[Server]:
    settings = {"INKWELL_PLACES": json.dumps([{"name": "vault", "path": str(place), "budget_bytes": 10**12}])}
    with Server(database_url, tmp_path_factory.mktemp("media"), **settings) as running:
        yield running


def test_a_record_is_taken_in_sealed_checked_and_restored_on_another_disk(
    house: Server, place: Path, tmp_path: Path
) -> None:
    record_side(tmp_path / "side.wav")
    docket_id = described(house, "V-1", tmp_path / "side.wav")
    side = docket(house, docket_id)["carriers"][0]["sides"][0]
    house.post(f"/sides/{side['id']}/scan")
    house.post(f"/dockets/{docket_id}/seal")
    house.wait_for_jobs()
    sha256 = side["takes"][0]["sha256"]
    assert (place / "takes" / sha256[:2] / sha256).is_file()
    folder = place / "sealed" / docket(house, docket_id)["packages"][-1]["folder"]
    bagit.Bag(str(folder)).validate()
    assert [path for path in (house.media_root / "sealed").rglob("*") if path.is_file()] == []
    assert list((place / "work").iterdir()) == []
    (told,) = house.get("/fixity")["places"]
    assert (told["name"], told["kinds"], told["budget_bytes"]) == ("vault", ["takes", "packages"], 10**12)
    assert told["free_bytes"] > 0

    track = side["tracks"][0]["key"]
    assert house.api.get(f"/dockets/{docket_id}/tracks/{track}/sound").status_code == 200
    master = next((folder / "data" / "masters").glob("01 *.flac"))
    moved = master.rename(folder / "data" / "elsewhere.flac")
    package_id = fixity_of(house, docket_id)["package_id"]
    for act in ("check", "restore"):
        house.post(f"/packages/{package_id}/{act}")
        house.wait_for_jobs()
    assert fixity_of(house, docket_id)["findings"] == [] and master.is_file() and not moved.exists()

    # Sealed anew, what did not change is taken over from the package before.
    house.post(f"/dockets/{docket_id}/seal?anew=true")
    house.wait_for_jobs()
    assert docket(house, docket_id)["packages"][-1]["folder"] != str(folder.relative_to(place / "sealed"))
    bagit.Bag(str(place / "sealed" / docket(house, docket_id)["packages"][-1]["folder"])).validate()

    doctor = [sys.executable, "-m", "inkwell_groove", "admin", "doctor", "--thorough"]
    said = subprocess.run(doctor, env={**os.environ, **house.environment}, capture_output=True, text=True, check=False)
    assert said.returncode == 0, said.stdout + said.stderr
