"""The runner of jobs by itself: every job ends with an outcome that is recorded, and none holds up the others."""

from __future__ import annotations

import os
import signal
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import closing
from dataclasses import replace
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy.exc import OperationalError
from sqlalchemy.exc import TimeoutError as PoolTimeout
from sqlalchemy.orm import Session

from inkwell_groove.core.errors import Cancelled, Refused
from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import Docket, Job, now
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.jobs.engine import Claim, Outcome
from inkwell_groove.workroom.jobs.kind import AnyKind, JobKind, Lane, finish_nothing
from inkwell_groove.workroom.jobs.local import open_lanes
from inkwell_groove.workroom.jobs.pool import JobPool, Order
from inkwell_groove.workroom.jobs.queue import JobQueue
from inkwell_groove.workroom.jobs.runner import JobRunner
from tests.patience import PATIENCE_S, until
from tests.workroom.job_functions import Told

FUNCTIONS = "tests.workroom.job_functions:"
ENDED = ("done", "failed", "cancelled")


def kind(name: str, function: str = "succeed", finish: Any = finish_nothing, **more: Any) -> AnyKind:
    return JobKind(name, FUNCTIONS + function, Told, finish, **more)


class Runner:
    """A runner with some kinds of jobs, and what a test asks of it."""

    def __init__(self, database: Database, media: MediaStore, *kinds: AnyKind, workers: int = 2) -> None:
        self.database, self.media = database, media
        self.runner = JobRunner(database, Events(), list(kinds), media, workers=workers, memory_bytes=2 * 1024**3)

    def ask(self, kind_name: str, **arguments: Any) -> int:
        with self.database.begin() as session:
            job = self.runner.ask(session, kind_name, docket_id=None, subject="here", arguments=Told(**arguments))
            return job.id

    def job(self, number: int) -> Job:
        with self.database.begin() as session:
            return session.get_one(Job, number)

    def ended(self, number: int) -> Job:
        return until(lambda: job if (job := self.job(number)).state in ENDED else None, f"job {number} did not end")


@pytest.fixture
def database(database_url: str) -> Iterator[Database]:
    database = Database(database_url)
    yield database
    database.close()


@pytest.fixture
def media(tmp_path: Path) -> MediaStore:
    return MediaStore(tmp_path / "media")


@pytest.fixture
def started(database: Database, media: MediaStore) -> Iterator[Callable[..., Runner]]:
    """Starts a runner with the given kinds, and stops it after the test."""
    runners = []

    def start(*kinds: AnyKind, workers: int = 2) -> Runner:
        runner = Runner(database, media, *kinds, workers=workers)
        runners.append(runner)
        runner.runner.start()
        return runner

    yield start
    for runner in runners:
        runner.runner.close()


def test_what_breaks_a_rule_of_the_tables_fails_the_job_and_leaves_nothing(started: Callable[..., Runner]) -> None:
    tries = []

    def finish(session: Session, job: Job, arguments: Told, result: dict[str, Any]) -> None:
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

    def finish(session: Session, job: Job, arguments: Told, result: dict[str, Any]) -> None:
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
    runner.runner._engine.announce(Lane.STEADY)
    until(lambda: asked, "it did not look when it was woken")
    time.sleep(0.3)  # in which a runner that went round and round would ask hundreds of times
    assert len(asked) <= 6


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
    database: Database, media: MediaStore, started: Callable[..., Runner]
) -> None:
    older = Runner(database, media, kind("forgotten"), kind("good"))
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
    until(lambda: not left[0], "nobody asked for a connection")
    assert runner.ended(number).state == "done"
    assert runner.ended(runner.ask("good")).state == "done"


def queue_of(database: Database, owner: str, *kinds: AnyKind) -> JobQueue:
    return JobQueue(database, Events(), kinds, owner=owner)


def test_a_report_that_comes_late_makes_no_job_run_again(database: Database) -> None:
    """The page showed a job that had ended as running, and kept what waits for it disabled until it was reloaded."""
    events, told = Events(), []
    events.watch(lambda item: told.append(item["job"]["state"]))
    queue = JobQueue(database, events, [kind("take in")], owner="me")
    waiting_job(database, queue, "take in")
    claim = claimed(queue)
    queue.report(claim, 0.5, "half way")
    assert queue.end(claim, Outcome(result={}))
    queue.report(claim, 0.9, "nearly there")
    assert told == ["running", "running", "done"]


def test_a_job_that_waits_for_its_next_try_is_told_of_as_cancelled(database: Database) -> None:
    events, told = Events(), []
    events.watch(lambda item: told.append(item["job"]["state"]))
    queue = JobQueue(database, events, [kind("take in")], owner="me")
    number = waiting_job(database, queue, "take in")
    queue.end(claimed(queue), Outcome(process_died=True))
    queue.cancel(number)
    assert told == ["running", "waiting", "cancelled"]


def waiting_job(database: Database, queue: JobQueue, kind_name: str, **arguments: Any) -> int:
    with database.begin() as session:
        return queue.ask(session, kind_name, docket_id=None, subject="here", arguments=arguments).id


def claimed(queue: JobQueue) -> Claim:
    claim = queue.claim(list(Lane))
    assert claim is not None
    return claim


def let_lease_end(database: Database, job_id: int) -> None:
    with database.begin() as session:
        session.get_one(Job, job_id).lease_until = now() - timedelta(seconds=1)


def test_two_engines_never_claim_the_same_job(database: Database) -> None:
    one, other = queue_of(database, "one", kind("good")), queue_of(database, "other", kind("good"))
    asked = {waiting_job(database, one, "good") for _ in range(40)}
    with ThreadPoolExecutor(8) as pool:
        claims = list(pool.map(lambda number: claimed((one, other)[number % 2]), range(40)))
    assert {claim.job_id for claim in claims} == asked and len({claim.token for claim in claims}) == 40
    assert one.claim(list(Lane)) is None
    for number, claim in enumerate(claims):
        assert (one, other)[number % 2].end(claim, Outcome(result={}))


def test_whoever_finishes_after_the_lease_has_ended_changes_nothing(database: Database) -> None:
    """As a process does that was stopped for longer than its lease, and then goes on."""
    finished = []

    def finish(session: Session, job: Job, arguments: Told, result: dict[str, Any]) -> None:
        finished.append(result["by"])

    late, quick = (queue_of(database, owner, kind("long", finish=finish)) for owner in ("late", "quick"))
    job_id = waiting_job(database, late, "long")
    first = claimed(late)
    assert quick.tend([]) is None, "a lease that holds is nobody's"
    let_lease_end(database, job_id)
    assert late.tend([job_id]) is None, "what runs here is not given to others by ourselves"
    assert quick.tend([]) == 0.0
    with database.begin() as session:
        session.get_one(Job, job_id).retry_at = None
    second = claimed(quick)
    assert (second.job_id, second.earlier_token) == (job_id, first.token) and second.token != first.token
    assert late.renew([first]) == {first.token}, "this run is told to stop, and not the other"
    late.report(first, 0.9, "still at it")
    assert not late.end(first, Outcome(result={"by": "late"}))
    assert not late.end(first, Outcome(error=KeyError("late")))
    assert quick.renew([second]) == set()
    assert quick.end(second, Outcome(result={"by": "quick"}))
    with database.begin() as session:
        job = session.get_one(Job, job_id)
    assert (job.state, job.result, job.attempts) == ("done", {"by": "quick"}, 2) and finished == ["quick"]
    assert job.message != "still at it"


def test_a_retry_that_is_due_while_its_lane_is_full_does_not_keep_the_engine_busy(database: Database) -> None:
    queue = queue_of(database, "this", kind("long", lane=Lane.BULK))
    job_id = waiting_job(database, queue, "long")
    with database.begin() as session:
        session.get_one(Job, job_id).retry_at = now() - timedelta(seconds=5)
    wait_s = queue.tend([])
    assert wait_s is not None and 0.1 < wait_s < 1.0
    assert queue.end(claimed(queue), Outcome(result={}))


def test_a_job_that_nobody_renews_any_more_is_told_of_each_time(database: Database) -> None:
    """The page showed a job as running that had been given up, until it was reloaded."""
    events, told = Events(), []
    events.watch(lambda item: told.append(item["job"]["state"]))
    queue = JobQueue(database, events, [kind("long")], owner="frail")
    job_id = waiting_job(database, queue, "long")
    for _ in range(3):
        with database.begin() as session:
            session.get_one(Job, job_id).retry_at = None
        claimed(queue)
        let_lease_end(database, job_id)
        queue.tend([])
    assert told == ["running", "waiting", "running", "waiting", "running", "failed"]


def test_a_lease_that_is_renewed_holds(database: Database) -> None:
    one, other = queue_of(database, "one", kind("long")), queue_of(database, "other", kind("long"))
    job_id = waiting_job(database, one, "long")
    claim = claimed(one)
    let_lease_end(database, job_id)
    assert one.renew([claim]) == set()
    assert other.tend([]) is None and other.claim(list(Lane)) is None
    assert one.end(claim, Outcome(result={}))


def test_a_job_that_was_cancelled_is_not_run_again_by_a_server_that_starts(database: Database) -> None:
    queue = queue_of(database, "killed", kind("long"))
    job_id = waiting_job(database, queue, "long")
    claim = claimed(queue)
    queue.cancel(job_id)
    assert queue.renew([claim]) == {claim.token}
    queue_of(database, "next", kind("long")).requeue_all("the server stopped")
    with database.begin() as session:
        assert session.get_one(Job, job_id).state == "cancelled"


def test_progress_is_told_with_the_time_that_is_left(database: Database) -> None:
    queue = queue_of(database, "this", kind("long"))
    heard: list[Any] = []
    queue._events.watch(lambda news: heard.append(news["job"]))
    job_id = waiting_job(database, queue, "long")
    claim = claimed(queue)
    began = claim.view.started_at
    assert began is not None
    claim = replace(claim, view=claim.view.model_copy(update={"started_at": began - timedelta(seconds=30)}))
    queue.report(claim, 0.25, "a quarter")
    with database.begin() as session:
        job = session.get_one(Job, job_id)
    assert (job.progress, job.message) == (0.25, "a quarter")
    assert (heard[-1]["progress"], heard[-1]["message"]) == (0.25, "a quarter")
    assert heard[-1]["time_left_s"] == pytest.approx(90, abs=5)
    queue.report(claim, 0.26, "and more")
    with database.begin() as session:
        assert session.get_one(Job, job_id).progress == 0.25, "the row is written a few times a second"
    assert heard[-1]["progress"] == 0.26
    assert queue.end(claim, Outcome(result={}))


def test_arguments_of_another_version_fail_the_job_and_hold_up_no_other(database: Database) -> None:
    queue = queue_of(database, "this", kind("good"))
    bad = waiting_job(database, queue, "good", survives_try="many")
    good = waiting_job(database, queue, "good")
    assert claimed(queue).job_id == good
    with database.begin() as session:
        job = session.get_one(Job, bad)
    assert job.state == "failed" and job.failure is not None and "cannot read" in job.failure["what"]


@given(workers=st.integers(1, 8), asked=st.lists(st.sampled_from(list(Lane)), max_size=60))
def test_lanes_leave_room_for_what_is_quick(workers: int, asked: list[Lane]) -> None:
    running: dict[Lane, int] = {}
    for lane in asked:
        if lane in open_lanes(running, workers):
            running[lane] = running.get(lane, 0) + 1
    slow = running.get(Lane.STEADY, 0) + running.get(Lane.BULK, 0)
    assert sum(running.values()) <= workers + 1
    assert slow <= workers, "one place is always left to quick work"
    assert running.get(Lane.BULK, 0) <= max(1, workers - 1)
    if not running.get(Lane.QUICK):
        assert Lane.QUICK in open_lanes(running, workers)
    if asked.count(Lane.BULK) >= 1 and not (set(asked) - {Lane.BULK}):
        assert running.get(Lane.BULK), "bulk work goes on if nothing else is asked for"


def test_quick_work_does_not_wait_behind_long_work(started: Callable[..., Runner], tmp_path: Path) -> None:
    runner = started(
        kind("audit", "wait_for", lane=Lane.BULK),
        kind("seal", "wait_for", lane=Lane.STEADY),
        kind("take in", lane=Lane.QUICK),
        workers=2,
    )
    may_end = tmp_path / "may end"
    held = [
        runner.ask(name, runs=str(tmp_path / f"{name} {number}"), may_end=str(may_end))
        for name in ("audit", "seal")
        for number in range(3)
    ]
    assert runner.ended(runner.ask("take in")).state == "done"
    assert sorted(runner.job(number).state for number in held) == ["running"] * 2 + ["waiting"] * 4
    may_end.touch()
    assert {runner.ended(number).state for number in held} == {"done"}


def pool_of_one(media: MediaStore, *, memory_bytes: int = 2 * 1024**3) -> closing[JobPool]:
    return closing(JobPool(1, lambda *report: None, media=media, memory_bytes=memory_bytes))


def test_a_run_that_was_stopped_does_not_stop_the_next_of_the_same_job(media: MediaStore) -> None:
    """Its number was kept as cancelled, so that the job claimed anew by the same server was cancelled too."""
    with pool_of_one(media) as pool:
        pool.cancel("00000000000000aa")
        for token, is_stopped in (("00000000000000aa", True), ("ff000000000000bb", False)):
            done = pool.submit(Order(7, token, f"{FUNCTIONS}succeed", Told()))
            assert isinstance(done.exception(PATIENCE_S), Cancelled) == is_stopped


def test_jobs_let_the_server_go_first(media: MediaStore) -> None:
    with pool_of_one(media) as pool:
        job = pool.submit(Order(7, "00000000000000aa", f"{FUNCTIONS}tell_niceness", Told())).result(PATIENCE_S)
    assert job["niceness"] > os.getpriority(os.PRIO_PROCESS, 0)


def test_a_job_that_takes_too_much_memory_is_refused_and_its_process_goes_on(media: MediaStore) -> None:
    order = Order(7, "00000000000000aa", f"{FUNCTIONS}take_a_gigabyte", Told())
    with pool_of_one(media, memory_bytes=512 * 1024**2) as pool:
        with pytest.raises(Refused, match=r"it takes more than 0\.5 GB of memory"):
            pool.submit(order).result(PATIENCE_S)
        pool.submit(Order(8, "00000000000000bb", f"{FUNCTIONS}succeed", Told())).result(PATIENCE_S)
    with pool_of_one(media) as enough:
        assert enough.submit(order).result(PATIENCE_S) == {"bytes": 1024**3}


def test_what_a_dead_process_left_in_its_workspace_is_gone(started: Callable[..., Runner], tmp_path: Path) -> None:
    runner = started(kind("frail", "die_at_work"))
    job = runner.ended(runner.ask("frail", tries=str(tmp_path / "tries"), survives_try=2))
    assert (job.state, job.attempts) == ("done", 2)
    assert list((runner.media.root / "work").iterdir()) == []


def test_nothing_leaves_a_workspace_that_was_given_up(media: MediaStore) -> None:
    with media.for_job("0123").workspace() as folder, media.for_job("4567").workspace() as other:
        (folder / "half").write_text("half")
        media.remove_workspaces("0123")
        assert not folder.exists() and other.is_dir()
        with pytest.raises(FileNotFoundError):
            (folder / "half").rename(media.root / "takes" / "half")


def test_a_process_that_dies_means_once_more(started: Callable[..., Runner], tmp_path: Path) -> None:
    runner = started(kind("frail", "die"))
    job = runner.ended(runner.ask("frail", tries=str(tmp_path / "tries"), survives_try=2))
    assert (job.state, job.attempts) == ("done", 2)


def test_a_job_that_kills_every_process_is_given_up(started: Callable[..., Runner], tmp_path: Path) -> None:
    failures = []

    def note(session: Session, job: Job, arguments: Told, failure: dict[str, Any]) -> None:
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
    pid = until(lambda: runs.exists() and runs.read_text(), "it never ran")
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
