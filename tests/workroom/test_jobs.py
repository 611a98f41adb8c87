"""Jobs: cancelled, broken, killed and begun again, with nothing lost and nothing half done."""

from __future__ import annotations

import os
import signal
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

import pytest

from launcher.database import Database
from tests.live import Server, new_schema
from tests.sounds import noise, record_side, write

LONG_SAMPLES = 96_000 * 300


@pytest.fixture
def fresh(mariadb: Database, tmp_path: Path) -> Iterator[Server]:
    """A server of this test's own, to be killed."""
    with Server(new_schema(mariadb), tmp_path / "media") as running:
        yield running


@pytest.fixture(scope="module")
def long_take(shared_folder: Path) -> Path:
    """A FLAC that takes a second or so to be read: noise does not compress."""
    return write(shared_folder / "long.flac", noise(LONG_SAMPLES), 96_000, form="FLAC")


def until_running(server: Server, kind: str, *, progress: float = -1.0) -> Any:
    until = time.monotonic() + 30
    while time.monotonic() < until:
        for job in server.get("/jobs"):
            if job["kind"] == kind and job["state"] == "running" and job["progress"] > progress:
                return job
        time.sleep(0.005)
    raise AssertionError(f"{kind} never ran")


def is_alive(pid: int) -> bool:
    try:
        return "State:\tZ" not in Path(f"/proc/{pid}/status").read_text()
    except OSError:
        return False


def left_behind(server: Server) -> list[Path]:
    return list((server.media_root / "work").iterdir())


@contextmanager
def held_at_work(server: Server) -> Iterator[None]:
    """Holds the workers still in the middle of a job, from when one has begun to write: it cannot end meanwhile."""
    until = time.monotonic() + 240
    while not left_behind(server):
        assert time.monotonic() < until, "no job began to write"
        time.sleep(0.001)
    workers = server.workers
    for pid in workers:
        os.kill(pid, signal.SIGSTOP)
    try:
        yield
    finally:
        for pid in workers:
            with suppress(ProcessLookupError):
                os.kill(pid, signal.SIGCONT)


def test_a_server_killed_while_it_takes_in_begins_again_and_ends_well(fresh: Server, long_take: Path) -> None:
    docket = fresh.open_docket("T-kill")
    fresh.upload(docket["id"], long_take)
    with held_at_work(fresh):
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
    fresh: Server, tmp_path: Path
) -> None:
    side = tmp_path / "side.wav"
    record_side(side, tracks_s=(100.0, 120.0), rate_hz=96_000)
    docket_id = fresh.open_docket("T-kill")["id"]
    fresh.upload(docket_id, side)
    fresh.wait_for_jobs()
    fresh.describe(docket_id, ["One", "Two"])
    fresh.post(f"/dockets/{docket_id}/seal")
    until = time.monotonic() + 20
    while not left_behind(fresh) and time.monotonic() < until:
        time.sleep(0.005)
    fresh.kill()
    assert list((fresh.media_root / "sealed").rglob("*.flac")) == []
    fresh.start()
    fresh.wait_for_jobs()
    assert fresh.get(f"/dockets/{docket_id}")["standing"] == "sealed"
    assert len(list((fresh.media_root / "sealed").rglob("*.flac"))) == 2
    assert left_behind(fresh) == []


def test_workers_do_not_outlive_a_killed_server(fresh: Server, long_take: Path) -> None:
    fresh.upload(fresh.open_docket("T-orphans")["id"], long_take)
    with held_at_work(fresh):
        workers = fresh.workers
        assert workers
        fresh.kill()
    until = time.monotonic() + 5
    while any(is_alive(pid) for pid in workers) and time.monotonic() < until:
        time.sleep(0.05)
    assert [pid for pid in workers if is_alive(pid)] == []


def test_a_take_comes_in_although_the_workers_die(fresh: Server, long_take: Path) -> None:
    docket = fresh.open_docket("T-worker")
    fresh.upload(docket["id"], long_take)
    with held_at_work(fresh):
        for pid in fresh.workers:
            os.kill(pid, signal.SIGKILL)
    job = next(one for one in fresh.wait_for_jobs() if one["kind"] == "take in")
    assert job["state"] == "done"
    assert left_behind(fresh) == []
    docket = fresh.get(f"/dockets/{docket['id']}")
    assert docket["uploads"] == []
    (take,) = docket["carriers"][0]["sides"][0]["takes"]
    assert take["format"]["samples"] == LONG_SAMPLES


def test_a_job_that_keeps_killing_the_server_is_given_up(fresh: Server, long_take: Path) -> None:
    docket = fresh.open_docket("T-poison")
    fresh.upload(docket["id"], long_take)
    for _ in range(3):
        with held_at_work(fresh):
            fresh.kill()
        fresh.start()
    (job,) = fresh.wait_for_jobs()
    assert job["state"] == "failed"
    assert "stopped 3 times" in job["failure"]["what"]


def test_a_running_job_is_cancelled_and_leaves_nothing(fresh: Server, long_take: Path) -> None:
    docket = fresh.open_docket("T-cancel")
    fresh.upload(docket["id"], long_take)
    with held_at_work(fresh):
        job = until_running(fresh, "take in")
        fresh.post(f"/jobs/{job['id']}/cancel")
    (ended,) = fresh.wait_for_jobs()
    assert ended["state"] == "cancelled"
    assert left_behind(fresh) == []
    upload = fresh.get(f"/dockets/{docket['id']}")["uploads"][0]
    assert upload["refusal"]["what"] == "it was cancelled"
    fresh.post(f"/uploads/{upload['id']}/try-again")
    assert fresh.wait_for_jobs()[0]["state"] == "done"
    answer = fresh.api.post(f"/jobs/{job['id']}/cancel")
    assert answer.status_code == 409
    assert answer.json()["detail"] == "this job is cancelled already"


def test_progress_is_told_with_the_time_that_is_left(fresh: Server, long_take: Path) -> None:
    fresh.upload(fresh.open_docket("T-progress")["id"], long_take)
    job = until_running(fresh, "take in", progress=0.0)
    assert 0 < job["progress"] <= 1
    fresh.wait_for_jobs()


def test_a_database_that_goes_away_is_told_and_comes_back_without_loss(tmp_path: Path) -> None:
    own = Database(tmp_path / "own")
    own.ensure_running()
    try:
        with Server(new_schema(own), tmp_path / "media") as server:
            docket = server.open_docket("T-away")
            own.stop()
            answer = server.api.get("/health")
            assert answer.status_code == 503
            assert answer.json()["detail"] == "the database does not answer"
            assert "./inkwell" in answer.json()["remedy"]
            own.ensure_running()
            assert server.get(f"/dockets/{docket['id']}")["shelfmark"] == "T-away"
    finally:
        own.stop()
