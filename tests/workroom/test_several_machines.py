"""Workers beside a server, as on several machines: each job ends once, whatever happens to whoever runs it."""

from __future__ import annotations

import os
import signal
from collections.abc import Iterator
from contextlib import ExitStack, closing
from datetime import datetime
from pathlib import Path
from typing import Any

import pytest

from inkwell_groove.store.database import Database as Store
from inkwell_groove.store.models import Job
from launcher.database import Database
from tests.broker import Broker, broker_in
from tests.helddisk import HeldDisk
from tests.live import Server, WorkerProcess, new_schema
from tests.patience import until
from tests.sounds import noise, write

SAMPLES = 96_000 * 150  # long enough for a job to report while it writes, so that the disk can hold it
LEASE_S = 2


@pytest.fixture(scope="module")
def broker(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Broker]:
    with broker_in(tmp_path_factory.mktemp("broker")) as broker:
        yield broker


@pytest.fixture(scope="module")
def recording(shared_folder: Path) -> Path:
    return write(shared_folder / "house.flac", noise(SAMPLES), 96_000, form="FLAC")


@pytest.fixture
def disk(tmp_path: Path) -> HeldDisk:
    """The disk of this test's workers."""
    return HeldDisk(tmp_path / "held")


@pytest.fixture
def house(mariadb: Database, broker: Broker, tmp_path: Path) -> Iterator[Server]:
    """A server that leaves its jobs to workers."""
    settings = {"INKWELL_ENGINE": "celery", "INKWELL_BROKER": broker.address, "INKWELL_LEASE_S": str(LEASE_S)}
    with Server(new_schema(mariadb), tmp_path / "media", **settings) as running:
        yield running


@pytest.fixture
def two(house: Server, disk: HeldDisk) -> Iterator[list[WorkerProcess]]:
    """Two workers that are heard of."""
    with ExitStack() as stack:
        workers = [stack.enter_context(WorkerProcess(house, free_bytes=disk)) for _ in range(2)]
        until(lambda: len(others(house)) == 2, "the workers did not come")
        yield workers


def others(house: Server) -> list[Any]:
    """Return the lines of the workers, without the server's own."""
    return [one for one in house.get("/workers")["workers"] if not one["is_server"]]


def take_in(house: Server, recording: Path, shelfmark: str) -> int:
    docket_id: int = house.open_docket(shelfmark)["id"]
    house.upload(docket_id, recording)
    return docket_id


def busy(house: Server, workers: list[WorkerProcess]) -> WorkerProcess:
    """Return the worker that runs a job."""
    (line,) = [one for one in others(house) if one["jobs"]]
    return next(one for one in workers if str(one.pid) == line["name"].split()[-1])


def takes(house: Server, docket_id: int) -> list[Any]:
    found: list[Any] = house.get(f"/dockets/{docket_id}")["carriers"][0]["sides"][0]["takes"]
    return found


def taking_in(jobs: list[Any]) -> Any:
    (found,) = [job for job in jobs if job["kind"] == "take in"]
    return found


def taken_in_once(house: Server, docket_id: int) -> Any:
    """Return the job that took a docket's recording in, once all have ended; it must have made one take."""
    job = taking_in(house.wait_for_jobs())
    assert job["state"] == "done" and len(takes(house, docket_id)) == 1
    return job


def wait_for_renewal(house: Server, job_id: int) -> None:
    """Return once the lease of a job was renewed."""
    with closing(Store(house.database_url)) as store:

        def lease() -> datetime | None:
            with store.begin() as session:
                return session.get_one(Job, job_id).lease_until

        before = lease()
        until(lambda: lease() != before, "its lease is not renewed")


def left_behind(house: Server) -> list[Path]:
    return list((house.media_root / "work").iterdir())


def test_workers_take_in_what_the_server_was_sent_and_say_what_they_are(
    house: Server, two: list[WorkerProcess], recording: Path
) -> None:
    docket_id = take_in(house, recording, "H-1")
    assert taking_in(house.wait_for_jobs())["state"] == "done"
    assert [take["format"]["samples"] for take in takes(house, docket_id)] == [SAMPLES]
    seen = house.get("/workers")
    assert not seen["alone"]
    assert {lane["lane"]: lane["has_worker"] for lane in seen["lanes"]} == dict.fromkeys(
        ("quick", "steady", "bulk", "device"), True
    )
    for line in others(house):
        assert line["lanes"] == ["quick", "steady", "bulk"] and line["processes"] == 2
        assert line["cores"] == os.cpu_count() and line["version"] and not line["is_other_version"]
    assert {line["name"].split()[-1] for line in others(house)} == {str(one.pid) for one in two}


def test_a_worker_that_is_killed_loses_its_job_to_another(
    house: Server, two: list[WorkerProcess], disk: HeldDisk, recording: Path
) -> None:
    disk.hold()
    docket_id = take_in(house, recording, "H-2")
    with disk.at_work():
        busy(house, two).kill()
    taken_in_once(house, docket_id)
    assert left_behind(house) == []


def test_a_worker_that_was_stopped_for_longer_than_its_lease_changes_nothing_when_it_goes_on(
    house: Server, two: list[WorkerProcess], disk: HeldDisk, recording: Path
) -> None:
    disk.hold()
    docket_id = take_in(house, recording, "H-3")
    with disk.at_work():
        late = busy(house, two)
        frozen = [late.pid, *late.job_processes]
        for pid in frozen:
            os.kill(pid, signal.SIGSTOP)
    job = taking_in(house.wait_for_jobs())
    assert job["state"] == "done"
    for pid in frozen:
        os.kill(pid, signal.SIGCONT)
    until(lambda: not any(line["jobs"] or line["state"] != "idle" for line in others(house)), "it is not well again")
    until(lambda: left_behind(house) == [], "it left its work behind")
    assert len(takes(house, docket_id)) == 1
    assert {one["state"] for one in house.get("/jobs")} == {"done"}
    another = take_in(house, recording, "H-3b")
    house.wait_for_jobs()
    assert len(takes(house, another)) == 1


def test_what_is_cancelled_at_the_server_stops_on_the_machine_that_runs_it(
    house: Server, two: list[WorkerProcess], disk: HeldDisk, recording: Path
) -> None:
    disk.hold()
    docket_id = take_in(house, recording, "H-4")
    with disk.at_work():
        job = taking_in(house.get("/jobs"))
        house.post(f"/jobs/{job['id']}/cancel")
        for _ in range(2):  # by the second renewal it has done what it heard at the first
            wait_for_renewal(house, job["id"])
    ended = taking_in(house.wait_for_jobs())
    assert ended["state"] == "cancelled" and takes(house, docket_id) == []
    assert left_behind(house) == []


def test_a_worker_that_is_asked_to_leave_ends_its_job_first(
    house: Server, two: list[WorkerProcess], disk: HeldDisk, recording: Path
) -> None:
    disk.hold()
    docket_id = take_in(house, recording, "H-5")
    with disk.at_work():
        leaving = busy(house, two)
        (line,) = [one for one in others(house) if one["jobs"]]
        house.post(f"/workers/{line['id']}/drain")
        until(lambda: "drains" in (house.media_root.parent / "worker.log").read_text(), "it did not hear that")
        leaving.signal(signal.SIGTERM)  # as whoever supervises it does then
        assert leaving.is_running
    assert leaving.exit_code == 0
    job = taken_in_once(house, docket_id)
    assert job["started_at"] == line["jobs"][0]["started_at"], "nobody had to begin it again"
    assert len(others(house)) == 1


def test_a_worker_that_is_told_twice_gives_its_job_back_at_once(
    house: Server, two: list[WorkerProcess], disk: HeldDisk, recording: Path
) -> None:
    disk.hold()
    docket_id = take_in(house, recording, "H-6")
    with disk.at_work():
        leaving = busy(house, two)
        leaving.signal(signal.SIGTERM)
        until(lambda: "drains" in (house.media_root.parent / "worker.log").read_text(), "it did not hear that")
        leaving.signal(signal.SIGTERM)
        assert leaving.exit_code == 0
    taken_in_once(house, docket_id)
    assert left_behind(house) == []


def test_jobs_are_run_although_the_broker_forgets_them_and_is_away(
    house: Server, two: list[WorkerProcess], broker: Broker, recording: Path
) -> None:
    broker.stop()
    first = take_in(house, recording, "H-7")
    house.wait_for_jobs()
    broker.start()
    second = take_in(house, recording, "H-8")
    broker.empty()
    house.wait_for_jobs()
    assert [len(takes(house, one)) for one in (first, second)] == [1, 1]


def test_a_worker_that_sees_another_store_is_refused_in_words(
    house: Server, two: list[WorkerProcess], recording: Path, tmp_path: Path
) -> None:
    take_in(house, recording, "H-10")
    house.wait_for_jobs()
    with WorkerProcess(house, INKWELL_MEDIA_ROOT=str(tmp_path / "elsewhere")) as astray:
        assert astray.exit_code == 1
    told = (house.media_root.parent / "worker.log").read_text()
    assert "not the store that the server works with" in told and "INKWELL_MEDIA_ROOT" in told
    assert len(others(house)) == 2


def test_a_worker_needs_the_server_to_have_others_work(house: Server) -> None:
    with WorkerProcess(house, INKWELL_ENGINE="local") as alone:
        assert alone.exit_code == 1
    with WorkerProcess(house, INKWELL_BROKER="") as without:
        assert without.exit_code == 1
    told = (house.media_root.parent / "worker.log").read_text()
    assert "set INKWELL_ENGINE=celery and INKWELL_BROKER" in told
    assert "needs INKWELL_BROKER, the address of a broker" in told


def test_a_server_that_starts_again_leaves_the_jobs_of_workers_alone(
    house: Server, two: list[WorkerProcess], disk: HeldDisk, recording: Path
) -> None:
    disk.hold()
    docket_id = take_in(house, recording, "H-9")
    with disk.at_work():
        house.kill()
        house.start()
        assert left_behind(house), "the worker's folder was taken from under it"
        (line,) = [one for one in others(house) if one["jobs"]]
    job = taken_in_once(house, docket_id)
    assert line["jobs"][0]["id"] == job["id"]
