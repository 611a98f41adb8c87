"""Every job is killed at every point where the disk or the database changes, and begun again: it ends the same.

A point is before or after a commit, rename, replace, unlink, rmdir or sync. What a claim that was given up left in its
workspace is removed first, as the engine does. `pytest -rP` shows the number of points.
"""

from __future__ import annotations

import hashlib
import json
import shutil
import sys
import zipfile
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from sqlalchemy import select
from sqlalchemy.orm import Session

from inkwell_groove.core.disc.sound import files_in
from inkwell_groove.core.fixity import sha256_of
from inkwell_groove.core.sealing.profile import Profile
from inkwell_groove.devices.drives import DriveOrder
from inkwell_groove.devices.optical import DriveProfile
from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.models import Docket, Job
from inkwell_groove.workroom.events import Events
from inkwell_groove.workroom.files.orders import CompareOrder, ListenOrder, MoveOrder, write_lines
from inkwell_groove.workroom.jobs import arguments as asked
from inkwell_groove.workroom.jobs.bringing_in import bring_in
from inkwell_groove.workroom.jobs.discs import make_disc_take, read_disc
from inkwell_groove.workroom.jobs.duplicates import compare_sounds, move_files
from inkwell_groove.workroom.jobs.engine import Outcome
from inkwell_groove.workroom.jobs.kind import Arguments, JobKind, Lane
from inkwell_groove.workroom.jobs.packages import carry, copy_package, make_image, restore_package
from inkwell_groove.workroom.jobs.parcels import unpack
from inkwell_groove.workroom.jobs.queue import JobQueue
from inkwell_groove.workroom.jobs.sealing import seal
from inkwell_groove.workroom.jobs.sides import learn_of_side, report_harm, scan, scan_some
from inkwell_groove.workroom.jobs.survey import listen_to_files, survey_files
from inkwell_groove.workroom.jobs.takes import join, keep, take_in
from inkwell_groove.workroom.transfer.recorder import Recorder
from tests.core.test_package import order_in
from tests.crashing import every_kill
from tests.discs import write_image
from tests.sounds import noise, write
from tests.tasks import TOKEN, OwnTask
from tests.workroom.test_file_steps import below
from tests.workroom.test_recorder import begun

RATE_HZ = 48_000


@dataclass
class Place:
    """A media store and folders of other people's, made anew before each kill."""

    root: Path
    media: MediaStore = field(init=False)

    def empty(self) -> None:
        self.root.mkdir(exist_ok=True)  # it may be a disk of its own
        for left in self.root.iterdir():
            shutil.rmtree(left) if left.is_dir() else left.unlink()
        self.media = MediaStore(self.root / "media")
        for name in ("source", "target", "second"):
            (self.root / name).mkdir()

    def sound(self, name: str, seed: int, samples: int = 30_000) -> Path:
        path = self.root / name
        path.parent.mkdir(parents=True, exist_ok=True)
        return write(path, noise(samples, seed=seed), RATE_HZ)

    def take(self, seed: int) -> tuple[str, Path]:
        """A take among the others."""
        path = self.sound("take.wav", seed)
        sha256 = sha256_of(path)
        return sha256, self.media.keep_take(path, sha256)

    def state(self) -> dict[str, str]:
        """Every file with its content."""
        return dict(below(self.root))


Prepared = tuple[Callable[[Any, Any], Any], Arguments]


def taking_in(place: Place) -> Prepared:
    shutil.move(place.sound("side.wav", 1), place.media.upload(1))
    return take_in, asked.TakeIn(upload_id=1, name="side.wav", who="me")


def keeping(place: Place) -> Prepared:
    recorder = Recorder(place.media.recording(1), begun())
    recorder.write(noise(30_000))
    found = recorder.finish(peak_dbtp=-6.0)
    return keep, asked.Keep(recording_id=1, name="take.wav", samples_sha256=found["samples_sha256"])


def joining(place: Place) -> Prepared:
    takes = [place.take(seed)[0] for seed in (1, 2)]
    more = {"side_id": 1, "take_ids": [1, 2], "name": "joined.wav", "note": "", "who": "me"}
    return join, asked.Join(sha256s=takes, **more)


def scanning(place: Place) -> Prepared:
    return scan, asked.ScanTake(sha256=place.take(1)[0], name="take.wav")


def scanning_some_stretches(place: Place) -> Prepared:
    return scan_some, asked.ScanTake(sha256=place.take(1)[0], name="take.wav", whole_id=7, stretches=1)


def learning(place: Place) -> Prepared:
    restoration = {"hum": {"mains_hz": 50}}
    return learn_of_side, asked.WithRestoration(sha256=place.take(1)[0], name="take.wav", restoration=restoration)


def reporting(place: Place) -> Prepared:
    return report_harm, asked.WithRestoration(sha256=place.take(1)[0], name="take.wav", restoration={})


def bringing_in_a_folder(place: Place) -> Prepared:
    for number in range(3):
        place.sound(f"source/{number}/a.wav", number, 2_000)
    return bring_in, asked.BringIn(bundle_id=1, source=str(place.root / "source"), in_place=False)


def bringing_in_a_zip(place: Place) -> Prepared:
    with zipfile.ZipFile(place.root / "files.zip", "w") as archive:
        for number in range(3):
            data = place.sound(f"source/{number}.wav", number, 2_000).read_bytes()
            archive.writestr(zipfile.ZipInfo(f"a/{number}.wav"), data)
    return bring_in, asked.BringIn(bundle_id=1, source=str(place.root / "files.zip"), in_place=False)


def unpacking(place: Place) -> Prepared:
    sound, picture = place.sound("take.wav", 1), b"a picture"
    sha256, of_picture = sha256_of(sound), hashlib.sha256(picture).hexdigest()
    with zipfile.ZipFile(place.root / "docket.zip", "w") as archive:
        parts = {f"takes/{sha256}": sound.read_bytes(), f"pictures/{of_picture}": picture, "discs/1/a.flac": b"a track"}
        for name, data in parts.items():
            archive.writestr(zipfile.ZipInfo(name), data)
    told = {"shelfmark": "P-1", "document": {}, "who": "me"}
    return unpack, asked.Unpack(
        parcel=str(place.root / "docket.zip"), takes={sha256: "take.wav"}, pictures=[of_picture], **told
    )


def _package(place: Place) -> dict[str, Any]:
    folder = place.media.package("P-1/1")
    (folder / "data" / "masters").mkdir(parents=True)
    for number in range(3):
        data = (0.1 * np.sin(np.arange(44_100 * 4 + 588) * 0.05 * (number + 1))).astype(np.float32)
        path = folder / "data" / "masters" / f"{number}.flac"
        soundfile.write(path, np.stack([data, data], axis=1), 44_100, subtype="PCM_16")
    files = sorted(path for path in folder.rglob("*") if path.is_file())
    expected = {path.relative_to(folder).as_posix(): sha256_of(path) for path in files}
    size = sum(path.stat().st_size for path in files)
    return {"package_id": 1, "folder": "P-1/1", "expected": expected, "size_bytes": size}


def copying(place: Place) -> Prepared:
    return copy_package, asked.OfPackage(**_package(place), second_root=str(place.root / "second"))


def restoring(place: Place) -> Prepared:
    arguments = asked.OfPackage(**_package(place), second_root=str(place.root / "second"))
    copy_package(arguments, OwnTask(place.media))
    masters = place.media.package("P-1/1") / "data" / "masters"
    damaged = bytearray((masters / "0.flac").read_bytes())
    damaged[2_000] ^= 1
    (masters / "0.flac").write_bytes(damaged)
    (masters / "1.flac").unlink()
    (masters / "2.flac").rename(masters.parent / "moved.flac")
    return restore_package, arguments


def carrying(place: Place) -> Prepared:
    package = _package(place)
    source = place.media.package("P-1/1")
    more = {"part": "Masters", "name": "Player", "who": "me"}
    target = str(place.root / "target" / "player")
    return carry, asked.Carry(source=str(source), target=target, files=package["expected"], **more)


def imaging(place: Place) -> Prepared:
    package = _package(place)
    masters = place.media.package("P-1/1") / "data" / "masters"
    names = [Path(name).name for name in package["expected"]]
    tracks = [
        {"path": name, "number": number, "title": name, "artist": "", "gap_sample": None}
        for number, name in enumerate(names, start=1)
    ]
    more = {"package_id": 1, "disc": "All", "title": "t", "performer": "p", "who": "me"}
    return make_image, asked.MakeImage(
        masters=str(masters), target=str(place.media.root / "images" / "1"), tracks=tracks, **more
    )


def _moves(place: Place) -> list[MoveOrder]:
    orders = []
    for number in range(3):
        source = place.sound(f"source/{number}/a.wav", number, 500)
        target = place.media.root / "holding" / "1" / f"{number}.wav"
        orders.append(MoveOrder(key=number, source=str(source), target=str(target), sha256=sha256_of(source)))
    return orders


def _in_folder(place: Place, orders: list[Any]) -> str:
    folder = place.media.root / "orders"
    folder.mkdir(exist_ok=True)
    write_lines(folder / "order", orders)
    return str(folder)


def moving(place: Place) -> Prepared:
    return move_files, asked.MoveFiles(folder=_in_folder(place, _moves(place)), who="me")


def listening(place: Place) -> Prepared:
    paths = [place.sound(f"source/{number}.wav", number) for number in range(2)]
    orders = [
        ListenOrder(file_id=number, path=str(path), audio_digest=f"{number:064x}") for number, path in enumerate(paths)
    ]
    return listen_to_files, asked.Listen(folder=_in_folder(place, orders), who="me")


def comparing(place: Place) -> Prepared:
    one = place.sound("source/one.wav", 1, 8 * RATE_HZ)
    other = shutil.copy(one, one.with_name("other.wav"))
    orders = [CompareOrder(sound_id=f"{number:032x}", path=str(path)) for number, path in enumerate((one, other))]
    folder = _in_folder(place, orders)
    for name in ("known", "titled"):
        write_lines(Path(folder) / name, [])
    return compare_sounds, asked.InFolder(folder=folder)


def surveying(place: Place) -> Prepared:
    folder = place.media.root / "surveys" / "1"
    folder.mkdir(parents=True)
    rows = []
    for number in range(3):
        path = place.sound(f"source/{number}.wav", number, 500)
        row = {"key": number, "path": f"1/{path.name}", "kind": "audio", "sha256": sha256_of(path)}
        rows.append(json.dumps({**row, "fields": {}, "facts": {"format": "WAV"}, "problem": None}) + "\n")
    (folder / "order").write_text("".join(rows))
    roots = {"1": str(place.root / "source")}
    return survey_files, asked.Survey(run_id=1, house={}, places=None, roots=roots, in_place=["1"])


def _disc(place: Place) -> asked.ReadDisc:
    sheet = write_image(place.root / "source", (0, 30, 60), 90)
    drive = DriveOrder(drive_id="image", image=str(sheet), profile=DriveProfile())
    how = {"digest": None, "numbers": [1, 2, 3], "twice": True, "slowly": False, "eject": True}
    told = {
        "offset_samples": 0,
        "offset_from": "said by the archivist",
        "register_address": None,
        "timeout_s": 1.0,
        "who": "me",
    }
    return asked.ReadDisc(
        read_id=1, drive=drive.model_dump(mode="json"), read_at="2026-01-01T00:00:00+00:00", **how, **told
    )


def reading_a_disc(place: Place) -> Prepared:
    return read_disc, _disc(place)


def making_a_take_of_a_disc(place: Place) -> Prepared:
    toc = read_disc(_disc(place), OwnTask(place.media))["record"]["toc"]
    folder = place.media.disc_read(1)
    files = {str(number): f"1/{path.name}" for number, path in files_in(folder, [1, 2, 3]).items()}
    return make_disc_take, asked.DiscTake(side_id=1, toc=toc, files=files, name="disc.flac", who="me")


EVERY = (
    surveying,
    reading_a_disc,
    making_a_take_of_a_disc,
    taking_in,
    keeping,
    joining,
    scanning,
    scanning_some_stretches,
    learning,
    reporting,
    bringing_in_a_folder,
    bringing_in_a_zip,
    unpacking,
    copying,
    restoring,
    carrying,
    imaging,
    moving,
    listening,
    comparing,
)


def tell(line: str) -> None:
    """Add a line to the table that `pytest -rP` shows."""
    sys.stdout.write(f"{line}\n")


def held(result: Any) -> str:
    """A result, without what differs from run to run."""
    return json.dumps(result, sort_keys=True, default=str)


def begun_again(place: Place, function: Callable[[Any, Any], Any], arguments: Arguments) -> Any:
    place.media.remove_workspaces(TOKEN)
    return function(arguments, OwnTask(place.media))


@pytest.mark.parametrize("prepare", EVERY, ids=lambda one: one.__name__)
def test_a_job_that_is_killed_at_any_point_ends_the_same(prepare: Callable[[Place], Prepared], tmp_path: Path) -> None:
    place = Place(tmp_path / "place")
    prepared: list[Prepared] = []

    def anew() -> None:
        place.empty()
        prepared[:] = [prepare(place)]

    def work() -> Any:
        function, arguments = prepared[0]
        return function(arguments, OwnTask(place.media))

    anew()
    result, wanted = held(work()), place.state()
    points = 0
    for point in every_kill(work, anew):
        again = begun_again(place, *prepared[0])
        assert place.state() == wanted, f"killed at point {point} and begun again"
        if prepare not in (copying, restoring, carrying, comparing):  # these tell what was left to be done
            assert held(again) == result, f"killed at point {point} and begun again"
        points = point.number + 1
    assert points >= (0 if prepare is surveying else 3), "a survey writes nothing but what it writes anew"
    tell(f"{prepare.__name__:>24}: {points} points, the same after each")


def test_a_docket_whose_sealing_is_killed_at_any_point_is_sealed_whole(tmp_path: Path) -> None:
    place = Place(tmp_path / "place")
    order = order_in(tmp_path, Profile())
    arguments = asked.Seal(order=order.model_dump(mode="json"), basis="", package="T-1/1", who="me")

    def work() -> Any:
        return seal(arguments, OwnTask(place.media))

    def names() -> list[str]:
        return sorted(below(place.media.root / "sealed"))

    place.empty()
    album, wanted = work()["album"], names()
    points = 0
    for point in every_kill(work, place.empty):
        assert names() in ([], wanted), f"killed at point {point} it is there whole or not at all"
        again = begun_again(place, seal, arguments)["album"]
        assert names() == wanted, f"killed at point {point} and begun again"
        assert [one["md5"] for one in again["tracks"]] == [one["md5"] for one in album["tracks"]]
        points = point.number + 1
    assert points > 20
    tell(f"{'sealing':>24}: {points} points, whole or not at all, whole after each")


def test_a_job_is_asked_for_claimed_and_ended_once_whenever_the_server_is_killed(database_url: str) -> None:
    """The rows of it: in the end one job, done once, with one docket made of its result."""

    def finish(session: Session, job: Job, arguments: Arguments, result: dict[str, Any]) -> None:
        session.add(Docket(shelfmark=f"made by {job.id}", folder_pattern="", file_pattern=""))

    kind = JobKind("make", "tests.workroom.job_functions:succeed", Arguments, finish)

    def with_queue(work: Callable[[Database, JobQueue], object]) -> None:
        database = Database(database_url)
        try:
            work(database, JobQueue(database, Events(), [kind], owner="test"))
        finally:
            database.close()

    def ask(database: Database, queue: JobQueue) -> None:
        with database.begin() as session:
            queue.ask(session, "make", docket_id=None, subject="one", arguments={})

    def run(database: Database, queue: JobQueue) -> None:
        while (claim := queue.claim(list(Lane))) is not None:
            queue.renew([claim])
            queue.report(claim, 0.5, "half")
            queue.end(claim, Outcome(result={}))

    def anew() -> None:
        with_queue(lambda database, queue: _clear(database))

    points = 0
    for point in every_kill(lambda: with_queue(lambda *both: (ask(*both), run(*both))), anew):

        def after_a_start(database: Database, queue: JobQueue) -> None:
            with database.begin() as session:
                if session.scalars(select(Job.id)).first() is None:
                    return
            queue.requeue_all("the server stopped")
            run(database, queue)

        with_queue(after_a_start)
        database = Database(database_url)
        with database.begin() as session:
            jobs, dockets = session.scalars(select(Job)).all(), session.scalars(select(Docket.shelfmark)).all()
        database.close()
        assert [job.state for job in jobs] in ([], ["done"]), f"killed at point {point}"
        assert dockets == [f"made by {job.id}" for job in jobs], f"killed at point {point}"
        points = point.number + 1
    assert points >= 8
    tell(f"{'asked, claimed, ended':>24}: {points} points, ended once")


def _clear(database: Database) -> None:
    with database.begin() as session:
        for row in (*session.scalars(select(Job)), *session.scalars(select(Docket))):
            session.delete(row)
