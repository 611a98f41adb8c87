"""A house whose takes and packages are in object storage, through the API: nothing is missed when the disks let go."""

from __future__ import annotations

import io
import os
import zipfile
from collections.abc import Iterator
from contextlib import closing
from hashlib import sha256
from pathlib import Path
from typing import Any

import bagit
import pytest
from sqlalchemy import select

from inkwell_groove.core.errors import Conflict
from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import Job, StoredObject
from inkwell_groove.store.settings import Settings
from inkwell_groove.workroom.doctor.examination import examine
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.packages.storing import Storing
from tests.live import Server
from tests.objects import Storage, storage_in
from tests.sounds import record_side
from tests.web.test_packages import described, docket, fixity_of, package_folder


@pytest.fixture(scope="module")
def storage(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Storage]:
    with storage_in(tmp_path_factory.mktemp("storage")) as storage:
        yield storage


@pytest.fixture(scope="module")
def house(database_url: str, tmp_path_factory: pytest.TempPathFactory, storage: Storage) -> Iterator[Server]:
    settings = {"INKWELL_MEDIA_BUCKET": "s3://harbour/house", "INKWELL_CACHE_BYTES": "0", **storage.settings}
    settings["INKWELL_SECOND_ROOT"] = str(tmp_path_factory.mktemp("second"))
    with Server(database_url, tmp_path_factory.mktemp("media"), **settings) as running:
        yield running


@pytest.fixture(scope="module")
def side(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("side") / "side.wav"
    record_side(path)
    return path


@pytest.fixture(scope="module")
def sealed(house: Server, side: Path) -> int:
    """A docket that was sealed; it, its package and its take are in the bucket."""
    docket_id = described(house, "O-1", side)
    house.post(f"/dockets/{docket_id}/seal")
    house.wait_for_jobs()
    assert house.get("/fixity")["storage"]["waiting"] == 2
    house.post("/fixity/storage")
    house.wait_for_jobs()
    return docket_id


@pytest.fixture
def database(database_url: str) -> Iterator[Database]:
    with closing(Database(database_url)) as database:
        yield database


@pytest.fixture
def storing(house: Server, database: Database, storage: Storage) -> Storing:
    return Storing(database, media_of(house, storage), Events(), Settings(cache_bytes=0))


def media_of(house: Server, storage: Storage) -> MediaStore:
    return MediaStore(house.media_root, object_storage=storage.how, bucket="s3://harbour/house")


def take_of(house: Server, docket_id: int) -> str:
    return str(docket(house, docket_id)["carriers"][0]["sides"][0]["takes"][0]["sha256"])


def samples_of_take(house: Server, docket_id: int) -> bytes:
    take_id = docket(house, docket_id)["carriers"][0]["sides"][0]["takes"][0]["id"]
    answer = house.api.get(f"/takes/{take_id}/samples", params={"first_sample": 1_000, "samples": 100})
    return answer.raise_for_status().content


def key_of(house: Server, docket_id: int, name: str) -> str:
    return f"house/sealed/{docket(house, docket_id)['packages'][-1]['folder']}/{name}"


def failed(house: Server, kind: str) -> Any:
    return next(job for job in house.get("/jobs") if job["kind"] == kind)["failure"]


def test_what_is_new_is_brought_there_and_read_back(house: Server, sealed: int, storage: Storage, side: Path) -> None:
    told = house.get("/fixity")["storage"]
    assert (told["bucket"], told["stored"], told["waiting"]) == ("s3://harbour/house", 2, 0)
    take = take_of(house, sealed)
    assert storage.get(f"house/takes/{take[:2]}/{take}/{take}") == side.read_bytes()
    name = "data/masters/01 One.flac"
    assert storage.get(key_of(house, sealed, name)) == (package_folder(house, sealed) / name).read_bytes()
    before = len(house.get("/jobs"))
    house.post("/fixity/storage")
    assert len(house.get("/jobs")) == before, "there is nothing to bring"


def test_what_the_disks_let_go_comes_back_when_it_is_wanted(
    house: Server, sealed: int, storing: Storing, side: Path, database: Database, storage: Storage
) -> None:
    folder = package_folder(house, sealed)
    take = house.media_root / "takes" / take_of(house, sealed)[:2] / take_of(house, sealed)
    assert storing.free() == 0, "what was in use an hour ago stays"
    assert storing.free(unused_s=0) > side.stat().st_size
    assert not take.exists() and not folder.exists()
    assert examine(database, media_of(house, storage), depth="thorough") == []

    # It is checked where it is, and stays there.
    package = docket(house, sealed)["packages"][-1]
    house.post(f"/packages/{package['id']}/check")
    house.wait_for_jobs()
    assert fixity_of(house, sealed)["state"] == "sound" and not folder.exists()

    # Its sound is heard, its files are handed out, and it is sealed anew.
    assert len(samples_of_take(house, sealed)) == 100 * 2 * 4
    content = house.api.get(f"/packages/{package['id']}/package.zip").content
    with zipfile.ZipFile(io.BytesIO(content)) as archive:
        assert any(name.endswith("01 One.flac") for name in archive.namelist())
    bagit.Bag(str(folder)).validate()
    assert sha256(take.read_bytes()).hexdigest() == take.name
    assert take.read_bytes() == side.read_bytes()

    storing.free(unused_s=0)
    assert not take.exists()
    house.api.patch(f"/dockets/{sealed}/description", json={"release": {"title": "Another title"}}).raise_for_status()
    house.post(f"/dockets/{sealed}/seal")
    assert [job["state"] for job in house.wait_for_jobs() if job["kind"] == "seal"] == ["done", "done"]
    assert take.read_bytes() == side.read_bytes()


def test_what_is_damaged_there_is_found_and_restored_from_the_second_copy(
    house: Server, sealed: int, storing: Storing, storage: Storage
) -> None:
    house.post("/fixity/storage")
    house.wait_for_jobs()
    storing.free(unused_s=0)
    name = "data/masters/02 Two.flac"
    key, package_id = key_of(house, sealed, name), docket(house, sealed)["packages"][-1]["id"]
    good = storage.get(key)
    storage.put(key, good[:-1] + b"?")
    house.post(f"/packages/{package_id}/check")
    house.wait_for_jobs()
    (finding,) = fixity_of(house, sealed)["findings"]
    assert (finding["file"], finding["state"]) == (name, "damaged") and "object storage" in finding["words"]
    assert house.api.get(f"/packages/{package_id}/package.zip").json()["detail"].startswith("it is not what it was")

    # Where the second copy is damaged too nothing is put on a disk: half a package would pass for one that is here.
    folder = package_folder(house, sealed)
    second = Path(house.environment["INKWELL_SECOND_ROOT"]) / docket(house, sealed)["packages"][-1]["folder"] / name
    second.chmod(0o644)
    second.write_bytes(good[:-1] + b"!")
    house.post(f"/packages/{package_id}/restore")
    house.wait_for_jobs()
    assert failed(house, "restore package")["what"] == "it is not what it was" and not folder.exists()
    second.write_bytes(good)

    house.post(f"/packages/{package_id}/restore")
    house.wait_for_jobs()
    assert fixity_of(house, sealed)["findings"] == []
    bagit.Bag(str(package_folder(house, sealed))).validate()
    assert house.get("/fixity")["storage"]["waiting"] == 1, "it counts as stored once it was brought there again"
    storing.free(unused_s=0)
    assert package_folder(house, sealed).exists()
    house.post("/fixity/storage")
    house.wait_for_jobs()
    assert storage.get(key) == good


def test_what_is_gone_from_the_bucket_is_never_taken_off_the_disks(
    house: Server, sealed: int, storing: Storing, storage: Storage
) -> None:
    take = take_of(house, sealed)
    path, key = house.media_root / "takes" / take[:2] / take, f"house/takes/{take[:2]}/{take}/{take}"
    samples_of_take(house, sealed)
    data = storage.get(key)
    storage.delete(key)
    storing.free(unused_s=0)
    assert path.exists()
    storage.put(key, data)
    os.utime(path, (0, 0))
    storing.free()
    assert not path.exists()


def test_what_a_waiting_job_may_work_with_stays(
    house: Server, sealed: int, storing: Storing, database: Database
) -> None:
    folder = package_folder(house, sealed)
    house.api.get(f"/packages/{docket(house, sealed)['packages'][-1]['id']}/package.zip").raise_for_status()
    with database.begin() as session:
        job = Job(kind="of another version", lane="nobody's", docket_id=sealed, subject="", arguments={})
        job.state, job.progress, job.message, job.attempts, job.is_cancelled = "waiting", 0.0, "", 0, False
        session.add(job)
    try:
        storing.free(unused_s=0)
        assert folder.exists()
    finally:
        with database.begin() as session:
            session.delete(session.get_one(Job, job.id))
    storing.free(unused_s=0)
    assert not folder.exists()


def test_a_house_without_a_bucket_says_so(database: Database, tmp_path: Path) -> None:
    storing = Storing(database, MediaStore(tmp_path), Events(), Settings())
    assert storing.overview() is None and storing.free() == 0
    with pytest.raises(Conflict, match="on disks alone"):
        storing.store_new()
    with database.begin() as session:
        assert session.scalars(select(StoredObject)).all()
