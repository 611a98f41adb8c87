"""A server is killed at every point of what follows from a job that has ended: its rows, then what goes with them.

A house is worked in over its API; each job is run here and now. As it ends, the server is killed before and after each
commit and each file that goes, and started again: the rows and files are those of a server that was not killed.
"""

from __future__ import annotations

import importlib
import re
import shutil
import sys
from collections.abc import Iterator
from dataclasses import replace
from functools import reduce
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import DateTime, create_engine, select, text

from inkwell_groove.demo.sleeve import lanterns_cover
from inkwell_groove.store.models import Base, Recording, UtcDateTime, now
from inkwell_groove.store.settings import Settings
from inkwell_groove.web.app import make_app
from inkwell_groove.workroom.jobs import runner
from inkwell_groove.workroom.jobs.engine import Claim, Outcome
from inkwell_groove.workroom.jobs.kind import Lane
from inkwell_groove.workroom.jobs.queue import JobQueue
from inkwell_groove.workroom.room import Workroom
from inkwell_groove.workroom.transfer.recorder import Recorder
from launcher.database import Database as MariaDb
from tests.core.files.samples import picture, write_sample
from tests.crashing import every_kill
from tests.live import new_schema
from tests.sounds import noise, record_side, write
from tests.tasks import OwnTask
from tests.workroom.test_file_steps import below
from tests.workroom.test_recorder import begun

# What a second run changes: who ran it and how often, and when.
_OF_A_RUN = {"attempts", "message", "owner", "token", "lease_until", "retry_at", "progress"}
_TIME = re.compile(r"\d{4}-\d\d-\d\d[T ]\d\d[:.]\d\d[:.]\d\d[.\d]*(Z|[+-]\d\d:\d\d)?")


_KEY = re.compile(r"'key': '(\w+)'")


class NoEngine:
    """An `Engine` that runs nothing: the test does."""

    def __init__(self, kinds: object, media: object, **_: object) -> None:
        pass

    def start(self, queue: object) -> None:
        pass

    def announce(self, lane: Lane) -> None:
        pass

    def close(self) -> None:
        pass

    def cancel(self, job_id: int) -> None:
        pass


class House:
    """A house whose server is there only while something is asked of it."""

    def __init__(self, mariadb: MariaDb, place: Path, discs: Path) -> None:
        self.place = place / "house"
        for name in ("media", "files", "second", "targets"):
            (self.place / name).mkdir(parents=True)
        self.points: dict[str, int] = {}
        self._url, self._kept_url = new_schema(mariadb), new_schema(mariadb)
        self._kept = place / "kept"
        self._engine = create_engine(mariadb.url.replace("inkwell@", "inkwell@"))
        self.settings = Settings(
            database_url=self._url,
            media_root=self.place / "media",
            files_root=self.place / "files",
            second_root=self.place / "second",
            targets_root=self.place / "targets",
            reserve_bytes=0,
            recording_bytes=0,
            discs_root=discs,
            device_speed=1_000,
            fixity_days=0,
        )
        self.app = make_app(self.settings)
        self.api = TestClient(self.app, base_url="http://127.0.0.1:8420/api/v1")
        self.room = self.app.state.workroom = Workroom(self.settings)

    def post(self, path: str, body: Any = None) -> Any:
        return self._answer(self.api.post(path, json=body))

    def send(self, path: str, content: bytes, **params: str) -> Any:
        return self._answer(self.api.post(path, content=content, params=params))

    def get(self, path: str) -> Any:
        return self._answer(self.api.get(path))

    def _answer(self, answer: Any) -> Any:
        assert answer.is_success, answer.text
        return answer.json() if answer.content else None

    def upload(self, docket_id: int, file: Path, side_id: int | None = None) -> None:
        body = {"name": file.name, "size_bytes": file.stat().st_size, "side_id": side_id}
        upload = self.post(f"/dockets/{docket_id}/uploads", body)
        answer = self.api.patch(f"/uploads/{upload['id']}", content=file.read_bytes(), headers={"Upload-Offset": "0"})
        assert answer.is_success, answer.text

    def run_jobs(self) -> None:
        """Run what waits. As the first job of each kind ends, try every kill; then go on where nobody was killed."""
        while (claim := _queue(self.room).claim(list(Lane))) is not None:
            outcome = _outcome(self.room, claim)
            assert outcome.error is None, outcome.error
            name = claim.kind.name
            if name in self.points:
                _queue(self.room).end(claim, outcome)
                continue
            self._keep()
            _queue(self.room).end(claim, outcome)
            wanted = self.state()
            ended = next(job for job in self.rows()["job"] if job["id"] == claim.job_id)
            assert ended["state"] == "done", ended["failure"]

            def end(claim: Claim = claim, outcome: Outcome = outcome) -> None:
                room = Workroom(self.settings)
                kinds = {kind.name: kind for kind in _kinds(room)}
                _queue(room).end(replace(claim, kind=kinds[claim.kind.name]), outcome)

            points = 0
            for point in every_kill(end, self._put_back):
                self._start_again(outcome)
                unlike = differences(self.state(), wanted)
                assert unlike == [], f"{claim.kind.name}: killed at point {point}, and started again"
                points = point.number + 1
            self._put_back()
            _queue(self.room).end(claim, outcome)
            self.points[name] = points

    def _start_again(self, outcome: Outcome) -> None:
        """Do what a server does as it starts, and end the job that was under way, with the same outcome.

        That it has the same one if it is begun again is tested by `test_job_crashes`.
        """
        self._number_anew()
        room = Workroom(self.settings)
        try:
            room._put_right()
            for token in _queue(room).requeue_all("the server stopped"):
                room.media.remove_workspaces(token)
            # What a job asks for as it ends waits here too: it is run in its turn.
            running = [job for job in self.rows()["job"] if job["state"] == "waiting" and job["attempts"]]
            for _ in running:
                claim = _queue(room).claim(list(Lane))
                assert claim is not None
                _queue(room).end(claim, outcome)
        finally:
            room.database.close()

    def rows(self) -> dict[str, list[dict[str, Any]]]:
        with self.room.database.begin() as session:
            return {
                table.name: [dict(row) for row in session.execute(select(table)).mappings()]
                for table in Base.metadata.sorted_tables
            }

    def state(self) -> dict[str, Any]:
        """All rows and files, without times and what tells one run of a job from another."""
        told: dict[str, Any] = {}
        rows = self.rows()
        for table in Base.metadata.sorted_tables:
            told[table.name] = [
                {
                    column.name: _TIME.sub("then", repr(row[column.name]))
                    for column in table.columns
                    if not isinstance(column.type, (DateTime, UtcDateTime))
                    and not (table.name == "job" and column.name in _OF_A_RUN)
                }
                for row in rows[table.name]
            ]
        # Keys of tracks are drawn at random.
        drawn = dict.fromkeys(_KEY.findall(repr(told).replace("\\", "")))
        names = {key: f"key {number}" for number, key in enumerate(drawn)}
        told = {table: [_renamed(row, names) for row in rows] for table, rows in told.items()}
        # Papers of a package hold the moment; its sound is compared by what the rows say of it.
        files = below(self.place)
        told["files"] = {
            _TIME.sub("then", name): "" if "/sealed/" in name or "/steps/" in name else digest
            for name, digest in files.items()
            if not name.endswith("in use")
        }
        return told

    def _keep(self) -> None:
        self._copy(self._url, self._kept_url)
        shutil.rmtree(self._kept, ignore_errors=True)
        shutil.copytree(self.place, self._kept, symlinks=True)

    def _put_back(self) -> None:
        self._copy(self._kept_url, self._url)
        self._number_anew()
        shutil.rmtree(self.place)
        shutil.copytree(self._kept, self.place, symlinks=True)

    def _copy(self, source: str, target: str) -> None:
        """Make the rows of one schema those of another."""
        here, there = _schema(source), _schema(target)
        names = [table.name for table in Base.metadata.sorted_tables]
        with self._engine.connect() as connection:
            connection.execute(text("SET SESSION foreign_key_checks = 0"))
            for name in names:
                connection.execute(text(f"DELETE FROM {there}.{name}"))
                connection.execute(text(f"INSERT INTO {there}.{name} SELECT * FROM {here}.{name}"))
            connection.commit()

    def _number_anew(self) -> None:
        """Have new rows numbered from the last that is there: deleting rows and rolling back use up numbers."""
        schema = _schema(self._url)
        numbered = (
            "SELECT table_name FROM information_schema.tables WHERE table_schema = :schema AND auto_increment > 1"
        )
        with self._engine.connect() as connection:
            for name in connection.scalars(text(numbered), {"schema": schema}).all():
                connection.execute(text(f"ALTER TABLE {schema}.{name} AUTO_INCREMENT = 1"))

    def close(self) -> None:
        self.room.database.close()
        self._engine.dispose()


def differences(found: dict[str, Any], wanted: dict[str, Any]) -> list[str]:
    """Return what one state has and the other has not: rows, and files."""

    def lines(state: dict[str, Any]) -> set[str]:
        rows = {f"{table}: {row}" for table in state if table != "files" for row in state[table]}
        return rows | {f"{name}: {digest}" for name, digest in state["files"].items()}

    here, there = lines(found), lines(wanted)
    return [f"too much: {one}" for one in here - there] + [f"missing: {one}" for one in there - here]


def _renamed(row: dict[str, str], names: dict[str, str]) -> dict[str, str]:
    def renamed(value: str) -> str:
        return reduce(lambda text, name: text.replace(name, names[name]), names, value)

    return {column: renamed(value) for column, value in row.items()}


def _schema(url: str) -> str:
    return url.rsplit("/", 1)[1].split("?", maxsplit=1)[0]


def _queue(room: Workroom) -> JobQueue:
    return room.jobs._queue


def _kinds(room: Workroom) -> list[Any]:
    return list(_queue(room)._kinds.values())


def _outcome(room: Workroom, claim: Claim) -> Outcome:
    module, _, name = claim.kind.function.partition(":")
    task = OwnTask(room.media, token=claim.token)
    try:
        return Outcome(result=getattr(importlib.import_module(module), name)(claim.arguments, task))
    except Exception as error:  # noqa: BLE001 - it is what the job ended with
        return Outcome(error=error)


@pytest.fixture
def house(mariadb: MariaDb, discs: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[House]:
    monkeypatch.setattr(runner, "LocalEngine", NoEngine)
    made = House(mariadb, tmp_path, discs)
    yield made
    made.close()


def tell(house: House) -> None:
    """Add the kinds that were run to the table that `pytest -rP` shows. No row may hold a path of this machine."""
    assert [name for name, rows in house.rows().items() if str(house.place) in repr(rows)] == []
    for name, points in house.points.items():
        sys.stdout.write(f"{name:>24}: {points} points at its end, the same after each\n")


def test_a_record_from_its_upload_to_another_house(house: House, tmp_path: Path) -> None:
    side = tmp_path / "side.wav"
    record_side(side)
    docket = house.post("/dockets", {"shelfmark": "K-1", "carrier_format": "LP"})
    here = f"/dockets/{docket['id']}"
    one, other = (line["id"] for line in docket["carriers"][0]["sides"])
    house.upload(docket["id"], side, one)
    house.run_jobs()
    for number in (1, 2):
        house.upload(docket["id"], write(tmp_path / f"{number}.wav", noise(30_000, seed=number), 48_000), other)
    house.run_jobs()
    takes = [take["id"] for take in house.get(here)["carriers"][0]["sides"][1]["takes"]]
    house.post("/comparisons", {"first_id": takes[0], "second_id": takes[1]})
    house.post(f"/sides/{other}/joined-takes", {"take_ids": takes})
    house.post(f"/sides/{one}/scan")
    house.post(f"/sides/{one}/learn")
    house.post(f"/sides/{one}/harm")
    house.run_jobs()
    point = house.get("/starting-points")[0]["point"]["name"]
    house.post("/restorations", {"docket_ids": [docket["id"]], "starting_point": point})
    house.run_jobs()
    house.send(f"{here}/artwork", lanterns_cover(), name="front.jpg")
    lines = [line for each in house.get(here)["carriers"][0]["sides"] for line in each["tracks"]]
    described = {
        "release": {"album_artist": "The Test Band", "title": "Test Record"},
        "tracks": {line["key"]: {"title": f"Track {number}"} for number, line in enumerate(lines)},
    }
    assert house.api.patch(f"{here}/description", json=described).is_success
    house.post(f"{here}/seal")
    house.run_jobs()
    package = house.get(here)["packages"][-1]
    house.post(f"/packages/{package['id']}/check")
    target = house.get("/targets")[0]["target"]["name"]
    house.send(f"/packages/{package['id']}/carry", b"", part="Masters", target=target)
    house.run_jobs()
    path = house.place / "media" / "sealed" / package["folder"] / package["album"]["package"][0]["name"]
    path.unlink()
    house.post(f"/packages/{package['id']}/check")
    house.run_jobs()
    house.post(f"/packages/{package['id']}/restore")
    house.run_jobs()
    house.send("/parcels", house.api.get(f"{here}/parcel.zip").content, shelfmark="K-2")
    house.run_jobs()
    tell(house)


def test_a_recording_that_a_stopped_server_left(house: House) -> None:
    docket = house.post("/dockets", {"shelfmark": "K-3", "carrier_format": "LP"})
    started = begun().model_copy(update={"side_ids": (docket["carriers"][0]["sides"][0]["id"],)})
    recorder = Recorder(house.room.media.recording(1), started)
    recorder.write(noise(30_000))
    recorder.finish(peak_dbtp=-6.0)
    with house.room.database.begin() as session:
        document = {"begun": started.model_dump(mode="json")}
        side_id = started.side_ids[0]
        row = {"docket_id": docket["id"], "side_id": side_id, "transfer_key": "k", "state": "recording"}
        session.add(Recording(id=1, **row, document=document, began_at=now()))
    house.room.books.open()
    house.run_jobs()
    assert len(house.get(f"/dockets/{docket['id']}")["carriers"][0]["sides"][0]["takes"]) == 1
    tell(house)


def test_files_from_the_folder_they_came_in_to_the_folder_they_are_filed_in(house: House) -> None:
    folder = house.place / "files" / "box"
    (folder / "in").mkdir(parents=True)
    for number in range(3):
        write_sample(folder / "in" / f"{number}.flac", "a.flac", seconds=12.0 if number else 0.5, seed=number)
    (folder / "in" / "list.m3u").write_text("0.flac\n1.flac\n")
    (folder / "in" / "cover.jpg").write_bytes(picture(60, 60))
    house.post("/bundles", {"folder": "box", "in_place": False})
    house.run_jobs()
    rows = [row for row in house.get("/sheet?bundle=1")["rows"] if row["kind"] == "audio"]
    changes = [
        {"file_id": row["id"], "field": "path", "value": f"out/{number}.flac"}
        for number, row in enumerate(reversed(rows))
    ]
    changes += [{"file_id": row["id"], "field": "title", "value": f"Now {row['id']}"} for row in rows]
    assert house.api.patch("/sheet", json={"changes": changes}).is_success
    step = house.post("/sheet/write", {"bundle_ids": [1]})
    house.run_jobs()
    filed = house.post("/bundles/1/file-back")
    house.run_jobs()
    for one in (filed, step):
        house.post(f"/file-steps/{one['id']}/undo")
        house.run_jobs()
    house.post("/survey")
    house.post("/survey/analyse")
    house.run_jobs()
    house.post("/duplicates/compare")
    house.post("/held-files", {"file_ids": [rows[0]["id"]], "reason": "kept twice"})
    house.run_jobs()
    house.post("/held-files/restore", {"held_ids": [one["id"] for one in house.get("/held-files")]})
    house.run_jobs()
    tell(house)


def test_a_disc_that_is_read_twice(house: House) -> None:
    docket = house.post("/dockets", {"shelfmark": "K-4", "carrier_format": "CD"})
    side = docket["carriers"][0]["sides"][0]["id"]
    for numbers in (None, [1]):
        assert house.api.put("/drives/image/disc", json={"disc": "D-2"}).is_success
        house.post(f"/sides/{side}/disc-reads", {"drive_id": "image", "numbers": numbers, "twice": False})
        house.run_jobs()
    assert house.get(f"/dockets/{docket['id']}")["carriers"][0]["sides"][0]["takes"]
    tell(house)
