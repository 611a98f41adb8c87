"""Second copies in object storage, through the API: made when a docket is sealed, and what it is restored from."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.live import Server
from tests.objects import Storage, storage_in
from tests.sounds import record_side
from tests.web.test_packages import described, docket, fixity_of, package_folder


@pytest.fixture(scope="module")
def storage(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Storage]:
    with storage_in(tmp_path_factory.mktemp("storage")) as storage:
        yield storage


@pytest.fixture(scope="module")
def vault(database_url: str, tmp_path_factory: pytest.TempPathFactory, storage: Storage) -> Iterator[Server]:
    settings = {"INKWELL_SECOND_BUCKET": "s3://harbour/second copies", **storage.settings}
    with Server(database_url, tmp_path_factory.mktemp("media"), **settings) as running:
        yield running


def test_a_damaged_package_is_restored_from_a_bucket(vault: Server, storage: Storage, tmp_path: Path) -> None:
    record_side(tmp_path / "side.wav")
    docket_id = described(vault, "B-1", tmp_path / "side.wav")
    vault.post(f"/dockets/{docket_id}/seal")
    vault.wait_for_jobs()
    told = vault.get("/fixity")
    assert told["second_root"] == "s3://harbour/second copies"
    assert fixity_of(vault, docket_id)["second_copy"] == "there is one"
    folder, name = package_folder(vault, docket_id), "data/masters/01 One.flac"
    key = f"second copies/{docket(vault, docket_id)['packages'][-1]['folder']}/{name}"
    good = (folder / name).read_bytes()
    assert storage.get(key) == good

    def restored() -> list[str]:
        package_id = fixity_of(vault, docket_id)["package_id"]
        for act in ("check", "restore"):
            vault.post(f"/packages/{package_id}/{act}")
            vault.wait_for_jobs()
        return [finding["state"] for finding in fixity_of(vault, docket_id)["findings"]]

    (folder / name).write_bytes(good[:-1] + b"?")
    assert restored() == []
    assert (folder / name).read_bytes() == good

    # A copy that was altered as well is not put in its place.
    storage.put(key, good[1:])
    (folder / name).write_bytes(good[:-1] + b"!")
    assert restored() == ["damaged"]
    assert (folder / name).read_bytes() == good[:-1] + b"!"
    refused = next(job for job in vault.get("/jobs") if job["kind"] == "restore package")
    assert refused["failure"]["what"] == "it is not what it was"
    assert refused["failure"]["where"] == f"s3://harbour/{key}"
