"""Jobs: cancelled, broken, killed and begun again, with nothing lost and nothing half done."""

from __future__ import annotations

import os
import signal
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from launcher.database import Database
from tests.helddisk import HeldDisk
from tests.live import Server, new_schema
from tests.patience import until
from tests.sounds import noise, record_side, write

LONG_SAMPLES = 96_000 * 150


@pytest.fixture
def disk(tmp_path: Path) -> HeldDisk:
    """The disk of this test's server, which holds the first job that writes."""
    disk = HeldDisk(tmp_path / "held")
    disk.hold()
    return disk


@pytest.fixture
def fresh(mariadb: Database, disk: HeldDisk, tmp_path: Path) -> Iterator[Server]:
    """A server of this test's own, to be killed."""
    with Server(new_schema(mariadb), tmp_path / "media", free_bytes=disk) as running:
        yield running
    disk.release()


@pytest.fixture(scope="module")
def long_take(shared_folder: Path) -> Path:
    """A FLAC that takes a second or so to be read: noise does not compress."""
    return write(shared_folder / "long.flac", noise(LONG_SAMPLES), 96_000, form="FLAC")


def running_job(server: Server, kind: str) -> Any:
    return next(job for job in server.get("/jobs") if job["kind"] == kind and job["state"] == "running")


def is_alive(pid: int) -> bool:
    try:
        return "State:\tZ" not in Path(f"/proc/{pid}/status").read_text()
    except OSError:
        return False


def left_behind(server: Server) -> list[Path]:
    return list((server.media_root / "work").iterdir())


def test_a_server_killed_while_it_takes_in_begins_again_and_ends_well(
    fresh: Server, disk: HeldDisk, long_take: Path
) -> None:
    docket = fresh.open_docket("T-kill")
    fresh.upload(docket["id"], long_take)
    with disk.at_work():
        fresh.kill()
    assert not any((fresh.media_root / "takes").rglob("*/*")), "a take was in place before it was proven whole"
    fresh.start()
    jobs = fresh.wait_for_jobs()
    assert {job["state"] for job in jobs} == {"done"}
    side = fresh.get(f"/dockets/{docket['id']}")["carriers"][0]["sides"][0]
    assert side["takes"][0]["format"]["samples"] == LONG_SAMPLES
    assert left_behind(fresh) == []
    assert list((fresh.media_root / "uploads").iterdir()) == []


def test_a_server_killed_while_it_seals_leaves_no_half_package_and_seals_after_all(
    fresh: Server, disk: HeldDisk, tmp_path: Path
) -> None:
    side = tmp_path / "side.wav"
    record_side(side, tracks_s=(40.0, 50.0), rate_hz=96_000)
    disk.release()
    docket_id = fresh.open_docket("T-kill")["id"]
    fresh.upload(docket_id, side)
    fresh.wait_for_jobs()
    fresh.describe(docket_id, ["One", "Two"])
    disk.hold()
    fresh.post(f"/dockets/{docket_id}/seal")
    with disk.at_work():
        fresh.kill()
    assert list((fresh.media_root / "sealed").rglob("*.flac")) == []
    fresh.start()
    fresh.wait_for_jobs()
    assert fresh.get(f"/dockets/{docket_id}")["standing"] == "sealed"
    assert len(list((fresh.media_root / "sealed").rglob("*.flac"))) == 2
    assert left_behind(fresh) == []


def test_workers_do_not_outlive_a_killed_server(fresh: Server, disk: HeldDisk, long_take: Path) -> None:
    fresh.upload(fresh.open_docket("T-orphans")["id"], long_take)
    with disk.at_work():
        workers = fresh.workers
        assert workers
        fresh.kill()
    until(lambda: not any(is_alive(pid) for pid in workers), "they outlived it")


def test_a_take_comes_in_although_the_workers_die(fresh: Server, disk: HeldDisk, long_take: Path) -> None:
    docket = fresh.open_docket("T-worker")
    fresh.upload(docket["id"], long_take)
    with disk.at_work():
        for pid in fresh.workers:
            os.kill(pid, signal.SIGKILL)
    job = next(one for one in fresh.wait_for_jobs() if one["kind"] == "take in")
    assert job["state"] == "done"
    assert left_behind(fresh) == []
    docket = fresh.get(f"/dockets/{docket['id']}")
    assert docket["uploads"] == []
    (take,) = docket["carriers"][0]["sides"][0]["takes"]
    assert take["format"]["samples"] == LONG_SAMPLES


def test_a_job_that_keeps_killing_the_server_is_given_up(fresh: Server, disk: HeldDisk, long_take: Path) -> None:
    docket = fresh.open_docket("T-poison")
    fresh.upload(docket["id"], long_take)
    for _ in range(3):
        with disk.at_work():
            fresh.kill()
        disk.hold()
        fresh.start()
    disk.release()
    (job,) = fresh.wait_for_jobs()
    assert job["state"] == "failed"
    assert "stopped 3 times" in job["failure"]["what"]


def test_a_running_job_is_cancelled_and_leaves_nothing(fresh: Server, disk: HeldDisk, long_take: Path) -> None:
    docket = fresh.open_docket("T-cancel")
    fresh.upload(docket["id"], long_take)
    with disk.at_work():
        job = running_job(fresh, "take in")
        fresh.post(f"/jobs/{job['id']}/cancel")
    (ended,) = fresh.wait_for_jobs()
    assert ended["state"] == "cancelled"
    assert left_behind(fresh) == []
    upload = fresh.get(f"/dockets/{docket['id']}")["uploads"][0]
    assert upload["refusal"]["what"] == "it was cancelled"
    fresh.post(f"/uploads/{upload['id']}/retry")
    assert fresh.wait_for_jobs()[0]["state"] == "done"
    answer = fresh.api.post(f"/jobs/{job['id']}/cancel")
    assert answer.status_code == 409
    assert answer.json()["detail"] == "this job is cancelled already"


def test_a_database_that_goes_away_is_told_and_comes_back_without_loss(tmp_path: Path) -> None:
    own = Database(tmp_path / "own")
    own.ensure_running()
    try:
        with Server(new_schema(own), tmp_path / "media") as server:
            docket = server.open_docket("T-away")
            own.stop()
            answer = server.api.get("/dockets")
            assert answer.status_code == 503
            assert answer.json()["detail"] == "the database does not answer"
            assert "./inkwell" in answer.json()["remedy"]
            own.ensure_running()
            assert server.get(f"/dockets/{docket['id']}")["shelfmark"] == "T-away"
    finally:
        own.stop()
