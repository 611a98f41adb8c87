"""What whoever watches over a server asks it: that it lives, whether it can work, and figures."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import closing
from pathlib import Path

import pytest
from prometheus_client.parser import text_string_to_metric_families
from sqlalchemy import text

from inkwell_groove.store.database import Database as Connection
from inkwell_groove.store.models import Job, now
from launcher.database import Database
from tests.live import Server, new_schema
from tests.patience import until
from tests.sounds import record_side


@pytest.fixture(scope="module")
def house(database_url: str, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    with Server(database_url, tmp_path_factory.mktemp("media")) as running:
        yield running


def figures(house: Server) -> dict[tuple[str, tuple[str, ...]], float]:
    """Return the figures by name and label values, as Prometheus' own parser reads them."""
    answer = house.api.get("/metrics")
    assert answer.is_success and answer.headers["Content-Type"].startswith("text/plain")
    return {
        (sample.name, tuple(sample.labels.values())): sample.value
        for family in text_string_to_metric_families(answer.text)
        for sample in family.samples
    }


def parts(house: Server) -> dict[str, bool]:
    return {one["name"]: one["is_well"] for one in house.api.get("/ready").json()["parts"]}


def test_a_server_that_can_work_is_ready(house: Server) -> None:
    until(lambda: house.api.get("/ready").status_code == 200, "the server does not become ready")
    told = house.get("/ready")
    assert told["ready"] is True
    assert parts(house) == dict.fromkeys(["database", "tables", "search index", "jobs", "disk"], True)
    assert house.get("/health") == {"status": "well", "version": told["version"]}


def test_what_is_asked_and_done_is_counted(house: Server, tmp_path: Path) -> None:
    before = figures(house)
    record_side(tmp_path / "side.wav")
    docket_id = house.open_docket("M-1")["id"]
    house.upload(docket_id, tmp_path / "side.wav")
    house.wait_for_jobs()
    assert house.api.get("/dockets/99999").status_code == 404
    after = figures(house)

    def grown(name: str, *labels: str) -> float:
        return after.get((name, labels), 0.0) - before.get((name, labels), 0.0)

    assert grown("inkwell_requests_total", "openDocket", "201") == 1
    assert grown("inkwell_requests_total", "docket", "404") == 1
    assert grown("inkwell_request_seconds_count", "openDocket") == 1
    kinds = {labels[0] for name, labels in after if name == "inkwell_jobs_ended_last_hour" and labels[1] == "done"}
    assert {job["kind"] for job in house.get("/jobs")} == kinds
    assert after["inkwell_jobs_waiting", ("quick",)] == 0 and after["inkwell_lane_served", ("bulk",)] == 1
    assert after["inkwell_disk_free_bytes", ("media",)] > 0


def test_a_lane_that_nobody_serves_and_a_job_that_waits_long_are_told_of(mariadb: Database, tmp_path: Path) -> None:
    with Server(new_schema(mariadb), tmp_path / "media") as house, closing(Connection(house.database_url)) as database:
        until(lambda: house.api.get("/ready").status_code == 200, "the server does not become ready")
        with database.begin() as session:
            job = Job(kind="of another version", lane="bulk", subject="", arguments={})
            job.state, job.progress, job.message, job.attempts, job.is_cancelled = "held", 0.0, "", 0, False
            session.add(job)
            session.flush()
            number = job.id
            asked = text("UPDATE job SET state = 'waiting', lane = 'bulk', node = 'away', asked_at = :at")
            session.execute(asked, {"at": now().replace(year=2020, tzinfo=None)})
        told = house.api.get("/ready")
        assert told.status_code == 200, "another server would have to wait for it as well"
        assert parts(house)["jobs"] is False
        assert "has waited for" in told.json()["parts"][3]["words"]
        assert figures(house)["inkwell_job_waits_seconds", ("bulk",)] > 86_400
        with database.begin() as session:
            session.execute(text("UPDATE job SET state = 'held'"))
        assert house.get(f"/jobs/{number}")["state"] == "waiting", "a piece that is held waits, for whoever asks"


def test_without_the_database_it_lives_and_is_not_ready(tmp_path: Path) -> None:
    own = Database(tmp_path / "own")
    own.ensure_running()
    try:
        with Server(new_schema(own), tmp_path / "media") as house:
            until(lambda: house.api.get("/ready").status_code == 200, "the server does not become ready")
            own.stop()
            assert house.api.get("/health").status_code == 200
            told = house.api.get("/ready")
            assert told.status_code == 503 and told.json()["ready"] is False
            wrong = {one["name"]: one["words"] for one in told.json()["parts"] if not one["is_well"]}
            assert wrong["database"] == "the database does not answer"
            refused = house.api.get("/metrics")
            assert refused.status_code == 503
            own.ensure_running()
            until(lambda: house.api.get("/ready").status_code == 200, "the server does not become ready again")
    finally:
        own.stop()


def test_a_request_has_a_number_that_its_answer_and_the_log_carry(house: Server) -> None:
    made = house.api.get("/health").headers["X-Request-Id"]
    assert len(made) == 16 and made != house.api.get("/health").headers["X-Request-Id"]
    given = house.api.get("/health", headers={"X-Request-Id": "from-a-proxy_01"})
    assert given.headers["X-Request-Id"] == "from-a-proxy_01"
    for bad in ("x", "a b c d e f g h", "<script>alert(1)", "é" * 10, "y" * 65):
        answer = house.api.get("/health", headers={"X-Request-Id": bad.encode()})
        assert answer.headers["X-Request-Id"] not in (bad, ""), "what is no number is replaced"
    refused = house.api.post("/dockets", content=b"{", headers={"Content-Type": "application/json"})
    assert refused.headers["X-Request-Id"]
