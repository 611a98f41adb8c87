"""The runner of jobs by itself: what comes of a job and cannot be kept ends it, and holds nobody up."""

from __future__ import annotations

import time
from typing import Any

from sqlalchemy.orm import Session

from inkwell_groove.store.database import Database
from inkwell_groove.store.models import Docket, Job
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.jobs.runner import JobKind, JobRunner


def test_what_breaks_a_rule_of_the_tables_fails_the_job_and_leaves_nothing(database_url: str) -> None:
    tries = []

    def finish(session: Session, job: Job, result: dict[str, Any]) -> None:
        tries.append(job.id)
        session.add(Docket(shelfmark="x" * 200, folder_pattern="", file_pattern=""))
        session.flush()

    database = Database(database_url)
    kind = JobKind("carry nothing", "inkwell_groove.workroom.jobs.packages:carry", finish)
    runner = JobRunner(database, Events(), [kind], workers=1)
    runner.start()
    try:
        with database.begin() as session:
            arguments = {"source": "", "target": "", "files": {}}
            job_id = runner.ask(session, kind.name, docket_id=None, subject="here", arguments=arguments).id
        runner.wake()
        until = time.monotonic() + 60
        while time.monotonic() < until:
            with database.begin() as session:
                job = session.get_one(Job, job_id)
            if job.state not in ("waiting", "running"):
                break
            time.sleep(0.05)
    finally:
        runner.close()
        database.close()
    assert job.state == "failed" and job.failure is not None and "cannot be kept" in job.failure["what"]
    assert tries == [job_id]
