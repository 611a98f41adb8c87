"""The doctor names every planted inconsistency, and invents none where there is none."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import TypeVar

import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session

from inkwell_groove.admin.commands import main
from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import (
    Artwork,
    Audit,
    Base,
    Bundle,
    Carrier,
    DiscRead,
    Docket,
    FileStep,
    HeldFile,
    Job,
    Package,
    Recording,
    Side,
    SurveyRun,
    Take,
    Upload,
)
from inkwell_groove.store.settings import settings
from inkwell_groove.workroom.doctor.examination import examine, mend
from launcher.database import Database as MariaDb
from tests.live import Server, new_schema

Row = TypeVar("Row")
SOUND = b"RIFF, or so"
DIGEST = hashlib.sha256(SOUND).hexdigest()
OTHER = "b" * 64


@pytest.fixture
def media(tmp_path: Path) -> MediaStore:
    return MediaStore(tmp_path / "media")


@pytest.fixture
def database(mariadb: MariaDb) -> Iterator[Database]:
    database = Database(new_schema(mariadb))
    yield database
    database.close()


class Planted:
    """A docket with one side, and what tests add to it."""

    def __init__(self, session: Session, media: MediaStore) -> None:
        self.session, self.media = session, media
        self.docket = Docket(shelfmark="T-1", folder_pattern="{title}", file_pattern="{number}")
        carrier = Carrier(number=1, format="LP")
        self.side = Side(letter="A")
        carrier.sides = [self.side]
        self.docket.carriers = [carrier]
        self.add(self.docket)

    def add(self, row: Row) -> Row:
        self.session.add(row)
        self.session.flush()
        return row

    def file(self, path: Path, data: bytes = SOUND) -> None:
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(data)

    def take(self, *, size_bytes: int = len(SOUND)) -> None:
        self.add(
            Take(
                side_id=self.side.id,
                name="side A.wav",
                sha256=DIGEST,
                size_bytes=size_bytes,
                container="WAV",
                word="s16",
                rate_hz=44_100,
                channels=2,
                samples=1,
                lossless=True,
                taken_in_by="Ilse",
            )
        )

    def upload(self, state: str = "receiving") -> Upload:
        return self.add(Upload(docket_id=self.docket.id, side_id=self.side.id, name="a.wav", size_bytes=9, state=state))

    def recording(self, state: str) -> Recording:
        return self.add(
            Recording(docket_id=self.docket.id, side_id=self.side.id, transfer_key="k", state=state, document={})
        )

    def reading(self, state: str, **more: object) -> DiscRead:
        return self.add(
            DiscRead(
                docket_id=self.docket.id,
                side_id=self.side.id,
                drive_id="d",
                state=state,
                asked={},
                began_by="Ilse",
                **more,
            )
        )

    def bundle(self, state: str = "ready") -> Bundle:
        return self.add(Bundle(name="files", origin="files", in_place=False, state=state, told={"told": []}))

    def step(self, state: str) -> FileStep:
        return self.add(FileStep(what="written", state=state, counts={"files": 1}, told={"told": []}, by="Ilse"))

    def held(self, state: str) -> HeldFile:
        bundle = self.bundle()
        self.media.bundle(bundle.id).mkdir()
        until = datetime.now(UTC).replace(tzinfo=None) + timedelta(days=1)
        return self.add(
            HeldFile(
                bundle_id=bundle.id,
                path="a.flac",
                place="1/flac",
                sha256=DIGEST,
                row={},
                reason="a copy",
                state=state,
                by="Ilse",
                until=until,
            )
        )

    def package(self) -> Package:
        return self.add(Package(docket_id=self.docket.id, folder="T-1/1", basis=OTHER, album={}, sealed_by="Ilse"))


def artwork(planted: Planted) -> None:
    planted.add(
        Artwork(
            docket_id=planted.docket.id,
            role="front",
            name="front.jpg",
            sha256=OTHER,
            mime="image/jpeg",
            width_px=1,
            height_px=1,
            bits_per_pixel=24,
            size_bytes=1,
            origin="file",
        )
    )


def altered_take(planted: Planted) -> None:
    planted.take()
    planted.file(planted.media.take(DIGEST), SOUND[::-1])


def shorter_take(planted: Planted) -> None:
    planted.take()
    planted.file(planted.media.take(DIGEST), SOUND[:-1])


def left_by_step(planted: Planted) -> None:
    planted.file(planted.media.bundle(planted.bundle().id) / ".moving-3-1")


def hanging_bundle(planted: Planted) -> None:
    planted.media.bundle(planted.bundle("coming in").id).mkdir()


def hanging_step(planted: Planted) -> None:
    planted.media.step(planted.step("under way").id).mkdir()


def hanging_upload(planted: Planted) -> None:
    planted.file(planted.media.upload(planted.upload("taking in").id))


def hanging_recording(planted: Planted) -> None:
    planted.media.recording(planted.recording("keeping").id).mkdir()


def hanging_held(planted: Planted) -> None:
    planted.held("going")


PLANTS: dict[str, Callable[[Planted], object]] = {
    "take without a docket": lambda one: one.file(one.media.take(DIGEST)),
    "derived of no take": lambda one: one.file(one.media.derived(DIGEST, "peaks")),
    "upload without a row": lambda one: one.file(one.media.upload(71)),
    "sound that no row knows": lambda one: one.file(one.media.recording(71) / "sound.wav"),
    "left of a recording": lambda one: one.file(one.media.recording(71) / "notes.jsonl"),
    "disc without a row": lambda one: one.media.disc_read(71).mkdir(),
    "bundle without a row": lambda one: one.media.bundle(71).mkdir(),
    "step without a row": lambda one: one.file(one.media.step(71) / "journal.jsonl"),
    "step never asked for": lambda one: one.file(one.media.step(71) / "order"),
    "survey that has ended": lambda one: one.file(one.media.root / "surveys" / "71" / "order"),
    "archive that nobody waits for": lambda one: one.media.new_incoming(),
    "file set aside by nobody": lambda one: one.file(one.media.root / "holding" / "71" / "flac"),
    "package without a row": lambda one: one.file(one.media.package("T-1/1") / "Album" / "bagit.txt"),
    "left by a step": left_by_step,
    "take without its file": lambda one: one.take(),
    "take of another length": shorter_take,
    "artwork without its file": artwork,
    "package without its folder": lambda one: one.package(),
    "held file that is gone": lambda one: one.held("held"),
    "folder of files that is gone": lambda one: one.bundle(),
    "reading without its folder": lambda one: one.reading("done", record={"read": 1}),
    "upload without its file": lambda one: one.upload(),
    "recording without its folder": lambda one: one.recording("refused"),
    "step without its journal": lambda one: one.step("written"),
    "step that hangs": hanging_step,
    "upload that hangs": hanging_upload,
    "folder that hangs": hanging_bundle,
    "reading that hangs": lambda one: one.reading("reading"),
    "recording that hangs": hanging_recording,
    "survey that hangs": lambda one: one.add(
        SurveyRun(house=OTHER, seen_until=datetime.now(UTC).replace(tzinfo=None), ended_at=None, files=0, by="Ilse")
    ),
    "audit that hangs": lambda one: one.add(Audit(state="under way", asked_by="Ilse", packages=1)),
    "held file that hangs": hanging_held,
}
SAFE = {
    "step never asked for",
    "derived of no take",
    "upload without a row",
    "left of a recording",
    "survey that has ended",
    "archive that nobody waits for",
}


@pytest.mark.parametrize("kind", PLANTS)
def test_what_was_planted_is_found_and_nothing_else(database: Database, media: MediaStore, kind: str) -> None:
    with database.begin() as session:
        PLANTS[kind](Planted(session, media))
    findings = examine(database, media)
    assert [one.kind for one in findings] == [kind]
    assert (findings[0].mend is not None) == (kind in SAFE)
    assert mend(findings) == (kind in SAFE)
    assert [one.kind for one in examine(database, media)] == ([] if kind in SAFE else [kind])


def test_content_is_compared_only_when_asked_to(database: Database, media: MediaStore) -> None:
    with database.begin() as session:
        altered_take(Planted(session, media))
    assert examine(database, media) == []
    assert [one.kind for one in examine(database, media, depth="thorough")] == ["take that was altered"]


def test_what_a_job_works_on_does_not_hang(database: Database, media: MediaStore) -> None:
    with database.begin() as session:
        planted = Planted(session, media)
        step, upload = planted.step("under way"), planted.upload("taking in")
        media.step(step.id).mkdir()
        planted.file(media.upload(upload.id))
        for arguments in ({"step_id": step.id}, {"upload_id": upload.id}):
            planted.add(Job(kind="x", subject="x", arguments=arguments, state="waiting"))
    assert examine(database, media) == []


def test_what_another_server_records_on_its_own_disk_is_not_missed(database: Database, tmp_path: Path) -> None:
    media = MediaStore(tmp_path / "media", recordings=tmp_path / "own")
    with database.begin() as session:
        planted = Planted(session, media)
        mine, others = planted.recording("refused"), planted.recording("refused")
        mine.node, others.node = "cellar", "attic"
    findings = examine(database, media, node="cellar")
    assert [(one.kind, one.where) for one in findings] == [
        ("recording without its folder", f"{tmp_path}/own/{mine.id}")
    ]
    planted.file(media.recording(mine.id) / "sound.wav")
    planted.file(media.recording(99) / "sound.wav")
    findings = examine(database, media, node="cellar")
    assert [(one.kind, one.where) for one in findings] == [("sound that no row knows", f"{tmp_path}/own/99")]


def test_a_take_that_a_job_is_about_to_keep_loses_nothing(database: Database, media: MediaStore) -> None:
    with database.begin() as session:
        planted = Planted(session, media)
        upload = planted.upload("taking in")
        planted.file(media.upload(upload.id))
        # The job was killed after it had moved the file, and before it had ended.
        planted.file(media.take(DIGEST))
        planted.file(media.derived(DIGEST, "peaks"))
        planted.add(Job(kind="take in", subject="x", arguments={"upload_id": upload.id}, state="waiting"))
    assert examine(database, media) == []


def test_no_row_order_or_journal_holds_a_whole_path(messy_house: Server, messy_root: Path) -> None:
    bundle = messy_house.get("/bundles")[0]["id"]
    rows = [one for one in messy_house.get("/sheet", bundle=[bundle])["rows"] if one["kind"] == "audio"][:3]
    messy_house.api.patch(
        "/sheet", json={"changes": [{"file_id": one["id"], "field": "title", "value": "Anew"} for one in rows]}
    ).raise_for_status()
    messy_house.post("/sheet/write", {"bundle_ids": [bundle]})
    messy_house.wait_for_jobs()
    database = Database(messy_house.database_url)
    try:
        with database.begin() as session:
            told = {table.name: repr(session.execute(select(table)).all()) for table in Base.metadata.sorted_tables}
    finally:
        database.close()
    told |= {
        str(path): path.read_text("utf-8", "replace")
        for path in messy_house.media_root.glob("s[tu]*/**/*")
        if path.is_file()
    }
    assert "files:messy" in told["bundle"] and any("files:messy" in text for name, text in told.items() if "/" in name)
    roots = (str(messy_root), str(messy_house.media_root))
    assert [name for name, text in told.items() if any(root in text for root in roots)] == []


def test_it_invents_nothing_on_a_house_that_was_worked_in(messy_house: Server, messy_root: Path) -> None:
    media = MediaStore(messy_house.media_root, others={"files": messy_root})
    messy_house.wait_for_jobs()
    database = Database(messy_house.database_url)
    try:
        assert [f"{one.kind}: {one.where}" for one in examine(database, media)] == []
    finally:
        database.close()


def test_the_command_says_what_it_found_and_mends_only_while_no_server_runs(
    mariadb: MariaDb, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    def doctor(*options: str) -> tuple[int, str, str]:
        settings.cache_clear()
        code = main(["doctor", *options])
        said = capsys.readouterr()
        return code, said.out, said.err

    with Server(new_schema(mariadb), tmp_path / "media") as server:
        monkeypatch.setenv("INKWELL_DATABASE_URL", server.database_url)
        monkeypatch.setenv("INKWELL_MEDIA_ROOT", str(server.media_root))
        assert doctor()[:2] == (0, "Everything is as it should be.\n")
        (server.media_root / "uploads" / "71").write_bytes(SOUND)
        code, found, _ = doctor()
        assert code == 1
        assert "upload without a row" in found and "--mend does it" in found
        code, _, refused = doctor("--mend")
        assert code == 2 and "another server works with these recordings" in refused
        server.stop()
        code, done, refused = doctor("--mend")
        assert code == 0, refused
        assert "(put right)" in done and "1 found, 1 put right." in done
        (server.media_root / "uploads" / "72").write_bytes(SOUND)
        server.start()
        assert not (server.media_root / "uploads" / "72").exists(), "what is safe is put right at the start"
