"""Jobs in pieces: however their pieces end, and whoever runs them, the whole ends once, with all of them."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from inkwell_groove.core.errors import Cancelled, Refused
from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import Job
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.jobs.engine import Claim, Outcome
from inkwell_groove.workroom.jobs.kind import AnyKind, JobKind, Lane, finish_nothing
from inkwell_groove.workroom.jobs.pieces import ENDED, Piece
from inkwell_groove.workroom.jobs.queue import JobQueue
from inkwell_groove.workroom.jobs.runner import JobRunner
from tests.patience import until
from tests.workroom.job_functions import Told

FUNCTIONS = "tests.workroom.job_functions:"
ALL = frozenset(Lane)


class House:
    """A queue with a kind of job that has pieces, and what the whole was told at its end."""

    def __init__(self, database: Database, **whole: Any) -> None:
        self.database, self.told = database, list[tuple[str, str]]()
        self.events = Events()
        with database.begin() as session:  # of the tests before
            session.execute(delete(Job).where(Job.parent_id.is_not(None)))
            session.execute(delete(Job))

        def finish(session: Session, job: Job, arguments: Told, result: dict[str, Any]) -> None:
            self.told.append(("finished", arguments.what))

        def fail(session: Session, job: Job, arguments: Told, failure: dict[str, Any]) -> None:
            self.told.append((failure.get("code", "failed"), failure["what"]))

        self.kinds: list[AnyKind] = [
            JobKind("whole", FUNCTIONS + "succeed", Told, finish, fail, **whole),
            JobKind("piece", FUNCTIONS + "succeed", Told, finish_nothing),
        ]
        self.queue = self.queue_of("me")

    def queue_of(self, owner: str, *, is_alone: bool = True) -> JobQueue:
        return JobQueue(self.database, self.events, self.kinds, owner=owner, is_alone=is_alone)

    def ask(self, *weights: float, at_once: int = 64) -> int:
        with self.database.begin() as session:
            whole = Told(what="all")
            job = self.queue.ask(session, "whole", docket_id=None, subject="all", arguments=whole.model_dump())
            pieces = [Piece("piece", Told(what=f"{n}"), f"piece {n}", weight) for n, weight in enumerate(weights)]
            self.queue.divide(session, job, pieces, at_once=at_once)
            return job.id

    def job(self, number: int) -> Job:
        with self.database.begin() as session:
            return session.get_one(Job, number)

    def has_ended(self, number: int) -> Job | None:
        return job if (job := self.job(number)).state in ENDED else None

    def pieces(self, number: int) -> list[Job]:
        with self.database.begin() as session:
            return list(session.scalars(select(Job).where(Job.parent_id == number).order_by(Job.id)))

    def claim(self) -> Claim:
        claim = self.queue.claim(ALL)
        assert claim is not None
        return claim

    def claims(self) -> list[Claim]:
        """Claim all that may be."""
        return list(iter(lambda: self.queue.claim(ALL), None))


@pytest.fixture
def database(database_url: str) -> Iterator[Database]:
    database = Database(database_url)
    yield database
    database.close()


def done() -> Outcome:
    return Outcome(result={})


def test_the_pieces_are_run_and_then_the_whole_puts_them_together(database: Database) -> None:
    house = House(database)
    number = house.ask(1, 1)
    first, second = house.claims()
    assert [one.view.parent_id for one in (first, second)] == [number, number]
    house.queue.end(first, done())
    assert house.queue.claim(ALL) is None, "the whole was begun before its pieces had ended"
    house.queue.end(second, done())
    joining = house.claim()
    assert (joining.job_id, joining.view.parent_id) == (number, None)
    assert house.told == []
    house.queue.end(joining, done())
    assert house.job(number).state == "done"
    assert house.told == [("finished", "all")]


def test_a_whole_that_puts_nothing_together_ends_with_its_last_piece(database: Database) -> None:
    house = House(database, join_pieces=False)
    number = house.ask(1)
    house.queue.end(house.claim(), done())
    assert (house.job(number).state, house.told) == ("done", [("finished", "all")])
    assert house.queue.claim(ALL) is None


def test_progress_is_that_of_the_pieces_by_their_weights(database: Database) -> None:
    house = House(database)
    number = house.ask(1, 3)
    small, great = house.claims()
    heard: list[tuple[int, float]] = []
    house.events.watch(lambda item: heard.append((item["job"]["id"], item["job"]["progress"])))
    house.queue.report(great, 0.5, "half way")
    assert house.job(number).progress == pytest.approx(3 / 8)
    assert heard == [(number, pytest.approx(3 / 8)), (great.job_id, 0.5)]
    house.queue.end(small, done())
    whole = house.job(number)
    assert (whole.progress, whole.message) == (pytest.approx(5 / 8), "1 of 2 pieces")


def test_only_so_many_pieces_wait_and_each_that_ends_lets_the_next_one_in(database: Database) -> None:
    house = House(database)
    number = house.ask(1, 1, 1, 1, at_once=2)
    assert [one.state for one in house.pieces(number)] == ["waiting", "waiting", "held", "held"]
    first, _ = house.claims()
    house.queue.end(first, done())
    assert [one.state for one in house.pieces(number)] == ["done", "running", "waiting", "held"]


def test_what_is_asked_for_meanwhile_comes_before_pieces_that_are_still_held(database: Database) -> None:
    house = House(database)
    number = house.ask(1, 1, 1, at_once=1)
    with database.begin() as session:
        asked = Told(what="take in").model_dump()
        other = house.queue.ask(session, "piece", docket_id=None, subject="take in", arguments=asked).id
    begun = []
    for _ in range(4):
        claim = house.claim()
        begun.append(claim.job_id)
        house.queue.end(claim, done())
    first, *others = [one.id for one in house.pieces(number)]
    assert begun == [first, other, *others]


def test_a_whole_of_a_kind_that_is_not_known_any_more_fails_with_its_last_piece(database: Database) -> None:
    house = House(database)
    number = house.ask(1)
    del house.kinds[0]
    queue = house.queue_of("newer")
    claim = queue.claim(ALL)
    assert claim is not None
    queue.end(claim, done())
    whole = house.job(number)
    assert whole.state == "failed" and whole.failure is not None
    assert "does not know jobs of the kind 'whole'" in whole.failure["what"]


def test_a_piece_that_fails_ends_the_whole_with_its_reason_once_the_others_have_stopped(database: Database) -> None:
    house = House(database)
    number = house.ask(1, 1, 1)
    bad, running = house.claim(), house.claim()
    house.queue.end(bad, Outcome(error=Refused("the tape is torn", remedy="Mend it")))
    assert [one.state for one in house.pieces(number)] == ["failed", "running", "cancelled"]
    assert house.told == []
    assert house.queue.renew([running]) == {running.token}
    house.queue.end(running, Outcome(error=Cancelled("it was cancelled", remedy="")))
    whole = house.job(number)
    assert (whole.state, whole.failure and whole.failure["what"]) == ("failed", "the tape is torn")
    assert house.told == [("Refused", "the tape is torn")]


def test_a_whole_may_go_on_without_pieces_that_failed(database: Database) -> None:
    house = House(database, go_on_without_failed=True, join_pieces=False)
    number = house.ask(1, 1)
    bad, good = house.claims()
    house.queue.end(bad, Outcome(error=Refused("it cannot be read", remedy="")))
    house.queue.end(good, done())
    assert house.job(number).state == "done"


def test_a_cancelled_whole_takes_its_pieces_along(database: Database) -> None:
    house = House(database)
    number = house.ask(1, 1, 1, at_once=2)
    running = house.claim()
    view, to_stop = house.queue.cancel(number)
    assert (view.state, to_stop) == ("running", [number, running.job_id])
    assert [one.state for one in house.pieces(number)] == ["running", "cancelled", "cancelled"]
    house.queue.end(running, done())
    assert house.job(number).state == "cancelled"
    assert [code for code, _ in house.told] == ["Cancelled"]


def test_a_whole_of_which_nothing_runs_is_cancelled_at_once(database: Database) -> None:
    house = House(database)
    number = house.ask(1, 1)
    assert house.queue.cancel(number)[0].state == "cancelled"
    assert house.queue.claim(ALL) is None


def test_pieces_that_were_left_behind_run_again_and_the_whole_waits_for_them(database: Database) -> None:
    house = House(database)
    number = house.ask(1, 1)
    house.claims()
    assert len(house.queue.requeue_all("the server stopped")) == 2
    assert house.job(number).state == "running"
    for claim in house.claims():
        house.queue.end(claim, done())
    assert house.claim().job_id == number


@settings(max_examples=30, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    pieces=st.integers(1, 6),
    at_once=st.integers(1, 4),
    goes_on=st.booleans(),
    joins=st.booleans(),
    acts=st.lists(st.sampled_from(["end", "fail", "die", "give back", "cancel", "cancel piece"]), max_size=20),
    pick=st.randoms(use_true_random=False),
)
def test_whatever_happens_to_the_pieces_the_whole_ends_once(
    database: Database, pieces: int, at_once: int, goes_on: bool, joins: bool, acts: list[str], pick: Any
) -> None:
    house = House(database, go_on_without_failed=goes_on, join_pieces=joins)
    queues = [house.queue_of(name, is_alone=False) for name in "ab"]
    number = house.ask(*([1] * pieces), at_once=at_once)
    held: list[tuple[JobQueue, Claim]] = []

    def claim_some() -> None:
        with database.begin() as session:  # a retry need not be waited for here
            for job in session.scalars(select(Job).where(Job.retry_at.is_not(None))):
                job.retry_at = None
        for queue in queues:
            if len(held) < 3 and (claim := queue.claim(ALL)) is not None:
                held.append((queue, claim))

    for act in acts:
        claim_some()
        if act == "cancel":
            if not house.has_ended(number):
                house.queue.cancel(number)
        elif held:
            queue, claim = held.pop(pick.randrange(len(held)))
            if act == "cancel piece":
                queue.cancel(claim.job_id)
            if act == "give back":
                queue.give_back([claim])
            else:
                error = Refused("torn", remedy="") if act in ("fail", "cancel piece") else None
                queue.end(claim, Outcome(result={}, error=error, process_died=act == "die"))
        assert sum(one.state in ("waiting", "running") for one in house.pieces(number)) <= at_once
    while not house.has_ended(number):
        claim_some()
        assert held, f"nothing is left to run, and the whole is {house.job(number).state}"
        queue, claim = held.pop()
        queue.end(claim, done())
    assert len(house.told) == 1
    assert all(one.state in ENDED for one in house.pieces(number))
    assert (house.told[0][0] == "finished") == (house.job(number).state == "done")


def test_processes_run_the_pieces_beside_each_other_and_the_whole_after_them(
    database: Database, tmp_path: Path, request: pytest.FixtureRequest
) -> None:
    house = House(database)
    house.kinds[1] = JobKind("piece", FUNCTIONS + "meet_another", Told, finish_nothing)
    media = MediaStore(tmp_path / "media")
    runner = JobRunner(database, Events(), house.kinds, media, workers=2, memory_bytes=2 * 1024**3)
    request.addfinalizer(runner.close)
    runner.start()
    meeting = tmp_path / "meeting"
    meeting.mkdir()
    pieces = [Piece("piece", Told(what=name, runs=str(meeting)), name) for name in ("one", "other")]
    with database.begin() as session:
        number = runner.ask(
            session, "whole", docket_id=None, subject="all", arguments=Told(what="all"), pieces=lambda _: pieces
        ).id
    assert until(lambda: house.has_ended(number), "the whole did not end").state == "done"
    assert house.told == [("finished", "all")]
