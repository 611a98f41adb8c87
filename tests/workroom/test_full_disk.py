"""A disk without room for more than recordings: each writing act is refused with what is free, and goes on later."""

from __future__ import annotations

import errno
import io
import zipfile
from collections.abc import Iterator
from pathlib import Path

import pytest
from fastapi import FastAPI
from fastapi.testclient import TestClient

from inkwell_groove.core.errors import DiskFull
from inkwell_groove.core.full_disk import disk_full
from inkwell_groove.store.disk import DiskSpace, in_words
from inkwell_groove.web import problems
from inkwell_groove.workroom.jobs.kind import failure_of
from launcher.database import Database
from tests.live import Server, new_schema
from tests.smalldisk import SmallDisk
from tests.sounds import noise, record_side, write

KEPT_BYTES = 50_000_000
AMPLE_BYTES = 1_000_000_000


@pytest.fixture
def disk(tmp_path: Path) -> SmallDisk:
    return SmallDisk.of(tmp_path / "disk", AMPLE_BYTES)


@pytest.fixture
def server(mariadb: Database, tmp_path: Path, disk: SmallDisk) -> Iterator[Server]:
    with Server(
        new_schema(mariadb),
        tmp_path / "media",
        free_bytes=disk,
        INKWELL_RESERVE_BYTES="0",
        INKWELL_RECORDING_BYTES=str(KEPT_BYTES),
    ) as running:
        yield running


def used_bytes(server: Server) -> int:
    return sum(path.stat().st_size for path in server.media_root.rglob("*") if path.is_file())


def test_an_upload_is_refused_before_and_in_its_middle_and_goes_on_with_room(
    server: Server, disk: SmallDisk, tmp_path: Path
) -> None:
    file = write(tmp_path / "side.wav", noise(1_000_000), 44_100)
    data, docket = file.read_bytes(), server.open_docket("FULL-10")
    body = {"name": file.name, "size_bytes": len(data)}
    disk.resize(KEPT_BYTES + len(data) // 2)
    answer = server.api.post(f"/dockets/{docket['id']}/uploads", json=body)
    assert answer.status_code == 507
    assert f"{in_words(round(1.1 * len(data)))} are needed" in answer.json()["detail"]
    assert "50.0 MB that are kept for recordings" in answer.json()["detail"]
    disk.resize(AMPLE_BYTES)
    upload = server.post(f"/dockets/{docket['id']}/uploads", body)
    # Something else fills the disk meanwhile.
    disk.resize(used_bytes(server) + KEPT_BYTES + len(data) // 2)
    address, at = f"/uploads/{upload['id']}", {"Upload-Offset": "0"}
    refused = server.api.patch(address, content=data, headers=at)
    assert refused.status_code == 507, refused.text
    assert refused.json()["code"] == "DiskFull"
    received = server.get(address)["received_bytes"]
    assert 0 < received < len(data)
    disk.resize(AMPLE_BYTES)
    answer = server.api.patch(address, content=data[received:], headers={"Upload-Offset": str(received)})
    assert answer.is_success, answer.text
    server.wait_for_jobs()
    (carrier,) = server.get(f"/dockets/{docket['id']}")["carriers"]
    (take,) = carrier["sides"][0]["takes"]
    assert (server.media_root / "takes" / take["sha256"][:2] / take["sha256"]).read_bytes() == data


def test_an_archive_that_finds_no_room_leaves_nothing_behind(server: Server, disk: SmallDisk) -> None:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("a.txt", bytes(3_000_000))
    disk.resize(used_bytes(server) + KEPT_BYTES + 1_000_000)
    answer = server.api.post("/bundles/zip", params={"name": "old.zip"}, content=out.getvalue())
    assert answer.status_code == 507, answer.text
    assert list((server.media_root / "bundles").iterdir()) == []


def test_a_job_that_finds_no_room_ends_with_the_reason_and_is_done_later(
    server: Server, disk: SmallDisk, tmp_path: Path
) -> None:
    side = tmp_path / "side.wav"
    tracks = record_side(side)
    docket = server.open_docket("FULL-11")
    server.upload(docket["id"], side)
    server.wait_for_jobs()
    server.describe(docket["id"], [f"Track {number}" for number in range(len(tracks))])
    disk.resize(used_bytes(server) + KEPT_BYTES)
    server.post(f"/dockets/{docket['id']}/seal")
    (failed, *_) = server.wait_for_jobs()
    assert failed["state"] == "failed"
    assert failed["failure"]["code"] == "DiskFull"
    assert "there is no room on the disk" in failed["failure"]["what"]
    assert list((server.media_root / "sealed").rglob("*")) == []
    assert list((server.media_root / "work").iterdir()) == []
    disk.resize(AMPLE_BYTES)
    server.post(f"/dockets/{docket['id']}/seal")
    (done, *_) = server.wait_for_jobs()
    assert done["state"] == "done", done["failure"]


def test_a_disk_that_is_really_full_is_told_as_one_wherever_it_is_met() -> None:
    app = FastAPI()
    problems.install(app)

    @app.get("/full")
    def full() -> None:
        raise OSError(errno.ENOSPC, "No space left on device", "/archive/x")

    @app.get("/broken")
    def broken() -> None:
        raise OSError(errno.EIO, "Input/output error", "/archive/x")

    client = TestClient(app, raise_server_exceptions=False)
    assert client.get("/full").status_code == 507
    assert client.get("/full").json()["where"] == "/archive/x"
    assert client.get("/broken").status_code == 500
    assert failure_of(OSError(errno.EDQUOT, "Disk quota exceeded"), "a job")["code"] == "DiskFull"
    assert disk_full(ValueError()) is None


def test_room_is_what_is_free_beside_what_is_kept(tmp_path: Path) -> None:
    room = DiskSpace(tmp_path, kept_bytes=100, free_bytes=lambda folder: 150)
    assert room.left_bytes() == 50
    room.need(50)
    with pytest.raises(DiskFull, match=r"51 B are needed, 50 B are free beside the 100 B"):
        room.need(51)
    full = DiskSpace(tmp_path, kept_bytes=200, free_bytes=lambda folder: 150)
    with pytest.raises(DiskFull, match=r"on the disk: 0 B are free"):
        full.need(0)


@pytest.mark.parametrize(
    ("size_bytes", "words"),
    [(0, "0 B"), (999, "999 B"), (1_000, "1.0 kB"), (12_345_678, "12.3 MB"), (3_000_000_000, "3.0 GB")],
)
def test_sizes_in_words(size_bytes: int, words: str) -> None:
    assert in_words(size_bytes) == words
