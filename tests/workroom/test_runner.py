"""The runner of jobs by itself: every job ends with an outcome that is recorded, and none holds up the others."""

from __future__ import annotations

import os
import signal
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, TypeVar

import pytest
from sqlalchemy.exc import OperationalError
from sqlalchemy.exc import TimeoutError as PoolTimeout
from sqlalchemy.orm import Session

from inkwell_groove.store.database import Database
from inkwell_groove.store.models import Docket, Job
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.jobs.runner import Finish, JobKind, JobRunner

FUNCTIONS = "tests.workroom.job_functions:"
Found = TypeVar("Found")
ENDED = ("done", "failed", "cancelled")


def nothing(session: Session, job: Job, result: dict[str, Any]) -> None:
    """For jobs of which nothing else is to be kept."""


def kind(name: str, function: str = "succeed", finish: Finish = nothing, **more: Any) -> JobKind:
    return JobKind(name, FUNCTIONS + function, finish, **more)


class Runner:
    """A runner with some kinds of jobs, and what a test asks of it."""

    def __init__(self, database: Database, *kinds: JobKind, workers: int = 2) -> None:
        self.database = database
        self.runner = JobRunner(database, Events(), list(kinds), workers=workers)

    def ask(self, kind_name: str, **arguments: Any) -> int:
        with self.database.begin() as session:
            job = self.runner.ask(session, kind_name, docket_id=None, subject="here", arguments=arguments)
            number = job.id
        self.runner.wake()
        return number

    def job(self, number: int) -> Job:
        with self.database.begin() as session:
            return session.get_one(Job, number)

    def ended(self, number: int) -> Job:
        return until(lambda: job if (job := self.job(number)).state in ENDED else None, f"job {number} did not end")


def until(look: Callable[[], Found | None], otherwise: str) -> Found:
    end = time.monotonic() + 60
    while time.monotonic() < end:
        if (found := look()) is not None:
            return found
        time.sleep(0.02)
    raise AssertionError(otherwise)


@pytest.fixture
def database(database_url: str) -> Iterator[Database]:
    database = Database(database_url)
    yield database
    database.close()


@pytest.fixture
def started(database: Database) -> Iterator[Callable[..., Runner]]:
    """Starts a runner with the given kinds, and stops it after the test."""
    runners = []

    def start(*kinds: JobKind, workers: int = 2) -> Runner:
        runner = Runner(database, *kinds, workers=workers)
        runners.append(runner)
        runner.runner.start()
        return runner

    yield start
    for runner in runners:
        runner.runner.close()


def test_what_breaks_a_rule_of_the_tables_fails_the_job_and_leaves_nothing(started: Callable[..., Runner]) -> None:
    tries = []

    def finish(session: Session, job: Job, result: dict[str, Any]) -> None:
        tries.append(job.id)
        session.add(Docket(shelfmark="x" * 200, folder_pattern="", file_pattern=""))
        session.flush()

    runner = started(kind("breaks a rule", finish=finish))
    number = runner.ask("breaks a rule")
    job = runner.ended(number)
    assert job.state == "failed" and job.failure is not None and "cannot be kept" in job.failure["what"]
    assert tries == [number]


def test_a_result_that_meets_a_deadlock_is_kept_at_the_next_try(started: Callable[..., Runner]) -> None:
    tries = []

    def finish(session: Session, job: Job, result: dict[str, Any]) -> None:
        tries.append(job.id)
        if len(tries) < 3:
            raise OperationalError("UPDATE", None, Exception(1213, "Deadlock found when trying to get lock"))

    runner = started(kind("meets a deadlock", finish=finish))
    number = runner.ask("meets a deadlock")
    assert runner.ended(number).state == "done"
    assert tries == [number] * 3


def test_a_runner_with_nothing_to_do_leaves_the_database_alone(
    started: Callable[..., Runner], database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    runner = started(kind("good"))
    assert runner.ended(runner.ask("good")).state == "done"
    asked = []
    begin = database.begin
    monkeypatch.setattr(database, "begin", lambda: asked.append(1) or begin())  # type: ignore[func-returns-value]
    runner.runner.wake()
    until(lambda: asked or None, "it did not look when it was woken")
    time.sleep(0.3)  # in which a runner that went round and round would ask hundreds of times
    assert len(asked) <= 3


def raise_key_error(*_: Any) -> None:
    raise KeyError("a field that is not there")


@pytest.mark.parametrize("where", ["finish", "fail", "after"])
def test_any_exception_around_a_job_is_recorded_and_frees_its_place(started: Callable[..., Runner], where: str) -> None:
    broken = {
        "finish": kind("broken", finish=raise_key_error),
        "fail": kind("broken", function="raise_oddly", fail=raise_key_error),
        "after": kind("broken", after=raise_key_error),
    }[where]
    runner = started(broken, kind("good"), workers=2)
    numbers = [runner.ask("broken", what="odd") for _ in range(3)]  # one more than there are places
    ends = [runner.ended(number) for number in numbers]
    assert [job.state for job in ends] == (["done"] * 3 if where == "after" else ["failed"] * 3)
    if where == "finish":
        assert ends[0].failure is not None and "KeyError" in ends[0].failure["what"]
    assert runner.ended(runner.ask("good")).state == "done"


@pytest.mark.parametrize(("what", "told"), [("odd", "CannotBeUnpickled: an odd error"), ("exit", "SystemExit")])
def test_an_error_that_is_no_plain_exception_fails_the_job_at_once(
    started: Callable[..., Runner], what: str, told: str
) -> None:
    runner = started(kind("odd", "raise_oddly"))
    job = runner.ended(runner.ask("odd", what=what))
    assert job.state == "failed" and job.attempts == 1
    assert job.failure is not None and told in job.failure["what"]


def test_a_job_of_a_kind_that_is_not_known_fails_and_does_not_stop_the_start(
    database: Database, started: Callable[..., Runner]
) -> None:
    older = Runner(database, kind("forgotten"), kind("good"))
    waiting, running = older.ask("forgotten"), older.ask("forgotten")
    with database.begin() as session:
        session.get_one(Job, running).state = "running"
    runner = started(kind("good"))
    good = runner.ask("good")
    for number in (waiting, running):
        job = runner.ended(number)
        assert job.state == "failed" and job.failure is not None
        assert "does not know jobs of the kind 'forgotten'" in job.failure["what"]
    assert runner.ended(good).state == "done"


def test_threads_of_the_runner_survive_a_pool_of_connections_that_is_empty(
    started: Callable[..., Runner], monkeypatch: pytest.MonkeyPatch
) -> None:
    runner = started(kind("good"), workers=1)
    assert runner.ended(runner.ask("good")).state == "done"
    sessions, left = runner.database._sessions, [6]

    class EmptyPool:
        """Every third thread's share of the pool is used up, for a while."""

        @staticmethod
        def begin() -> Any:
            if left[0]:
                left[0] -= 1
                raise PoolTimeout("QueuePool limit of size 10 overflow 20 reached")
            return sessions.begin()

    number = runner.ask("good")
    monkeypatch.setattr(runner.database, "_sessions", EmptyPool())
    until(lambda: True if not left[0] else None, "nobody asked for a connection")
    assert runner.ended(number).state == "done"
    assert runner.ended(runner.ask("good")).state == "done"


def test_a_process_that_dies_means_once_more(started: Callable[..., Runner], tmp_path: Path) -> None:
    runner = started(kind("frail", "die"))
    job = runner.ended(runner.ask("frail", tries=str(tmp_path / "tries"), survives_try=2))
    assert (job.state, job.attempts) == ("done", 2)


def test_a_job_that_kills_every_process_is_given_up(started: Callable[..., Runner], tmp_path: Path) -> None:
    failures = []

    def note(session: Session, job: Job, failure: dict[str, Any]) -> None:
        failures.append(failure["what"])

    runner = started(kind("poison", "die", fail=note), kind("good"))
    job = runner.ended(runner.ask("poison", tries=str(tmp_path / "tries"), survives_try=99))
    assert (job.state, job.attempts) == ("failed", 3)
    assert failures == ["its process died 3 times while it ran"]
    assert runner.ended(runner.ask("good")).state == "done"


def test_a_process_that_dies_takes_only_its_own_job_with_it(started: Callable[..., Runner], tmp_path: Path) -> None:
    runner = started(kind("long", "wait_for"), kind("frail", "die"))
    runs, may_end = tmp_path / "runs", tmp_path / "may end"
    long = runner.ask("long", runs=str(runs), may_end=str(may_end))
    pid = until(lambda: runs.read_text() if runs.exists() and runs.read_text() else None, "it never ran")
    dead = runner.ended(runner.ask("frail", tries=str(tmp_path / "tries"), survives_try=3))
    assert (dead.state, dead.attempts) == ("done", 3)
    assert runner.job(long).state == "running"
    may_end.touch()
    job = runner.ended(long)
    assert (job.state, job.attempts, job.result) == ("done", 1, {"pid": int(pid)})


def test_a_worker_that_was_killed_while_it_had_nothing_to_do_is_replaced(
    started: Callable[..., Runner], tmp_path: Path
) -> None:
    runner = started(kind("long", "wait_for"), workers=1)
    runs, may_end = tmp_path / "runs", tmp_path / "may end"
    may_end.touch()
    runner.ended(runner.ask("long", runs=str(runs), may_end=str(may_end)))
    os.kill(int(runs.read_text()), signal.SIGKILL)
    job = runner.ended(runner.ask("long", runs=str(runs), may_end=str(may_end)))
    assert job.state == "done"
