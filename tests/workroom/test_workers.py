"""Who runs jobs: what is seen of it, and that many may come at once."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta
from pathlib import Path

import pytest
from sqlalchemy import delete, update

from inkwell_groove import __version__
from inkwell_groove.core.errors import Conflict, Missing
from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.migrate import check_current
from inkwell_groove.store.models import Job, Worker, now
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.jobs.kind import AnyKind, JobKind, Lane, finish_nothing
from inkwell_groove.workroom.jobs.queue import JobQueue
from inkwell_groove.workroom.worker import main
from inkwell_groove.workroom.workers import WorkerFacts, Workers
from launcher.database import Database as MariaDb
from tests.live import new_schema
from tests.workroom.job_functions import Told

MakeWorkers = Callable[..., Workers]


@pytest.fixture
def database(database_url: str) -> Iterator[Database]:
    database = Database(database_url)
    with database.begin() as session:
        session.execute(delete(Worker))
        session.execute(delete(Job))
    yield database
    database.close()


@pytest.fixture
def made(database: Database, tmp_path: Path) -> Iterator[MakeWorkers]:
    """Makes the lines of processes, and takes them out after the test."""
    all_made = []

    def make(name: str, version: str = __version__, lanes: tuple[Lane, ...] = (Lane.QUICK, Lane.BULK)) -> Workers:
        facts = WorkerFacts(
            name=name,
            host="vault",
            cores=4,
            processes=2,
            lanes=list(lanes),
            version=version,
            is_server=Lane.DEVICE in lanes,
        )
        all_made.append(Workers(database, MediaStore(tmp_path / "media"), Events(), facts))
        return all_made[-1]

    yield make
    for one in all_made:
        one.close()


def kind(name: str, lane: Lane = Lane.QUICK) -> AnyKind:
    return JobKind(name, "tests.workroom.job_functions:succeed", Told, finish_nothing, lane=lane)


def test_many_that_come_at_once_are_all_in_the_list(made: MakeWorkers) -> None:
    lines = [made(f"vault {number}") for number in range(12)]
    with ThreadPoolExecutor(12) as pool:
        list(pool.map(lambda one: one.register(), lines))
    seen = lines[0].view()
    assert {one.name for one in seen.workers} == {f"vault {number}" for number in range(12)}
    assert not seen.alone


def test_a_worker_is_working_idle_draining_or_not_heard_of(made: MakeWorkers, database: Database) -> None:
    working, _, leaving, gone = (made(name) for name in ("working", "idle", "leaving", "gone"))
    for one in (working, _, leaving, gone):
        one.register()
    queue = JobQueue(database, Events(), [kind("take in"), kind("audit", Lane.BULK)], owner="working", is_alone=False)
    with database.begin() as session:
        for name in ("take in", "audit"):
            queue.ask(session, name, docket_id=None, subject="here", arguments={})
    assert queue.claim([Lane.QUICK]) is not None
    number = {one.name: one.id for one in working.view().workers}
    with database.begin() as session:
        session.execute(update(Worker).where(Worker.name == "gone").values(seen_at=now() - timedelta(minutes=1)))
    assert number["leaving"] is not None
    seen = working.drain(number["leaving"], who="Ilse Vanterroe")
    states = {one.name: one.state for one in seen.workers}
    assert states == {"working": "working", "idle": "idle", "leaving": "draining", "gone": "not heard of"}
    (job,) = next(one for one in seen.workers if one.name == "working").jobs
    assert job.kind == "take in"
    lanes = {one.lane: (one.waiting, one.running, one.has_worker) for one in seen.lanes}
    assert lanes[Lane.QUICK] == (0, 1, True) and lanes[Lane.BULK] == (1, 0, True)
    assert lanes[Lane.STEADY] == (0, 0, False), "nobody takes them"
    with pytest.raises(Missing, match="there is no worker 0"):
        working.drain(0, who="Ilse Vanterroe")


def test_a_server_is_not_drained(made: MakeWorkers) -> None:
    server = made("desk 1", lanes=(Lane.DEVICE,))
    server.register()
    (line,) = server.view().workers
    assert line.id is not None
    with pytest.raises(Conflict, match="this is a server"):
        server.drain(line.id, who="x")


def test_a_name_that_a_process_of_an_earlier_day_had_says_nothing_of_the_new_one(made: MakeWorkers) -> None:
    earlier = made("vault 7")
    earlier.register()
    (line,) = earlier.view().workers
    assert line.id is not None
    earlier.drain(line.id, who="x")
    later = made("vault 7")
    later.register()
    assert [one.state for one in later.view().workers] == ["idle"]


def test_a_server_by_itself_is_shown_with_what_it_runs(made: MakeWorkers, database: Database) -> None:
    queue = JobQueue(database, Events(), [kind("take in")], owner="alone")
    with database.begin() as session:
        queue.ask(session, "take in", docket_id=None, subject="here", arguments={})
    assert queue.claim([Lane.QUICK]) is not None
    seen = made("alone").view()
    (line,) = seen.workers
    assert seen.alone and line.id is None and line.state == "working" and len(line.jobs) == 1


def test_a_worker_of_another_version_takes_no_job_that_it_does_not_know(database: Database) -> None:
    newer = JobQueue(database, Events(), [kind("take in"), kind("polish")], owner="newer", is_alone=False)
    older = JobQueue(database, Events(), [kind("take in")], owner="older", is_alone=False)
    with database.begin() as session:
        unknown = newer.ask(session, "polish", docket_id=None, subject="here", arguments={}).id
        unreadable = newer.ask(session, "take in", docket_id=None, subject="here", arguments={"survives_try": "x"}).id
        known = newer.ask(session, "take in", docket_id=None, subject="here", arguments={}).id
    claim = older.claim(list(Lane))
    assert claim is not None and claim.job_id == known
    assert older.claim(list(Lane)) is None
    with database.begin() as session:
        assert [session.get_one(Job, one).state for one in (unknown, unreadable)] == ["waiting"] * 2
        session.get_one(Job, unreadable).arguments = {}
    claims = [newer.claim(list(Lane)), newer.claim(list(Lane))]
    assert {one.job_id for one in claims if one} == {unknown, unreadable}, "in whatever order"
    with database.begin() as session:
        for one in (unknown, unreadable):
            session.get_one(Job, one).lease_until = now() - timedelta(seconds=5)
    older.tend([])
    with database.begin() as session:
        assert session.get_one(Job, unknown).state == "running", "an older one does not end it either"
        assert session.get_one(Job, unreadable).state == "running"


def test_a_job_given_back_is_claimed_at_once_and_has_lost_no_attempt(database: Database) -> None:
    queue, other = (JobQueue(database, Events(), [kind("take in")], owner=name, is_alone=False) for name in "ab")
    with database.begin() as session:
        queue.ask(session, "take in", docket_id=None, subject="here", arguments={})
    first = queue.claim(list(Lane))
    assert first is not None
    queue.give_back([first])
    second = other.claim(list(Lane))
    assert second is not None and second.earlier_token == first.token
    with database.begin() as session:
        assert session.get_one(Job, first.job_id).attempts == 1
    queue.give_back([first])
    with database.begin() as session:
        assert session.get_one(Job, first.job_id).token == second.token, "it is somebody else's by now"


def test_tables_of_another_release_are_refused(mariadb: MariaDb) -> None:
    url = new_schema(mariadb, migrated=False)
    with pytest.raises(Conflict, match="tables are of release none, this version works with"):
        check_current(url)


@pytest.mark.parametrize(
    ("words", "told"),
    [
        (["--lanes", "device"], "there is no lane device"),
        (["--lanes", ","], "there is no lane given"),
        (["--processes", "0"], "0 is no number of processes"),
        (["--processes", "many"], "many is no number of processes"),
    ],
)
def test_words_that_make_no_sense_are_refused(words: list[str], told: str, capsys: pytest.CaptureFixture[str]) -> None:
    with pytest.raises(SystemExit):
        main(words)
    assert told in capsys.readouterr().err


def test_a_server_by_itself_starts_without_what_it_needs_seldom_or_never() -> None:
    """Celery takes half a second of a start, and scipy's statistics, which its filters bring along, most of one."""
    look = "import inkwell_groove.web.serve, sys; print(*[n for n in ('celery', 'scipy.stats') if n in sys.modules])"
    done = subprocess.run([sys.executable, "-c", look], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == ""
