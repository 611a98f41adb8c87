"""Takes and packages that are in object storage alone: fetched when they are asked for, whole and proven, or not."""

from __future__ import annotations

import os
import shutil
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from hashlib import sha256
from pathlib import Path

import pytest
from pydantic import ValidationError

from inkwell_groove.core.errors import ProofFailed
from inkwell_groove.store.bucket import Unreachable
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.media_bucket import MediaBucket, fetch_package, take_folder, was_asked_for
from inkwell_groove.store.object_storage import ObjectStorage
from inkwell_groove.store.places import Place
from inkwell_groove.store.settings import Settings
from launcher.processes import free_port
from tests.crashing import killed_at
from tests.objects import Storage, storage_in

SIDE = b"the sound of a side" * 10_000
TAKE = sha256(SIDE).hexdigest()
FOLDER = "WH-0012/3/The Band/Slack Water"
FILES = {"bagit.txt": b"BagIt", "data/masters/01 Tide & Tow (première).flac": b"one" * 9_000, "data/empty": b""}
EXPECTED = {name: sha256(data).hexdigest() for name, data in FILES.items()}


@pytest.fixture(scope="module")
def storage(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Storage]:
    with storage_in(tmp_path_factory.mktemp("storage")) as storage:
        yield storage


@pytest.fixture
def media(tmp_path: Path, storage: Storage) -> MediaStore:
    """A house of which a take and a package are in the bucket, and on no disk."""
    name = f"s3://{storage.bucket}/{tmp_path.name}"
    (tmp_path / "vault").mkdir()
    vault = Place(name="vault", path=tmp_path / "vault", kinds=("takes",))
    media = MediaStore(tmp_path / "media", object_storage=storage.how, bucket=name, places=[vault])
    source = tmp_path / "source"
    for name, data in {**FILES, TAKE: SIDE}.items():
        (source / name).parent.mkdir(parents=True, exist_ok=True)
        (source / name).write_bytes(data)
    of(media).takes.keep(take_folder(TAKE), source, {TAKE: TAKE}, lambda _: None)
    of(media).packages.keep(FOLDER, source, EXPECTED, lambda _: None)
    return media


def of(media: MediaStore) -> MediaBucket:
    assert media.bucket is not None
    return media.bucket


def left_in_work(media: MediaStore) -> list[Path]:
    return [path for room in media.places.workrooms() for path in room.iterdir()]


def test_a_take_is_fetched_to_the_disk_for_takes_when_it_is_asked_for(media: MediaStore, tmp_path: Path) -> None:
    assert not media.take_here(TAKE).exists()
    path = media.take(TAKE)
    assert path.read_bytes() == SIDE and path.is_relative_to(tmp_path / "vault")
    assert path.stat().st_mode & 0o222 == 0, "a take is never written to"
    assert media.here(media.root / "takes" / TAKE[:2] / TAKE) == path, "a job that was told another disk finds it"
    assert left_in_work(media) == []


def test_many_who_ask_at_once_get_the_same_file(media: MediaStore) -> None:
    with ThreadPoolExecutor(8) as pool:
        paths = set(pool.map(media.take, [TAKE] * 8))
        folders = set(pool.map(media.package, [FOLDER] * 8))
    assert len(paths) == len(folders) == 1
    assert next(iter(paths)).read_bytes() == SIDE
    assert left_in_work(media) == []


def test_a_package_comes_back_whole(media: MediaStore) -> None:
    folder = media.package(FOLDER)
    there = {path.relative_to(folder).as_posix(): path.read_bytes() for path in folder.rglob("*") if path.is_file()}
    assert there == FILES


def test_a_file_of_a_package_leads_to_the_whole_of_it(media: MediaStore) -> None:
    masters = media.package_here(FOLDER) / "data" / "masters"
    assert not masters.exists()
    assert media.here(masters) == masters and masters.is_dir()
    assert media.here(media.root / "uploads" / "4") == media.root / "uploads" / "4"
    elsewhere = media.root / "sealed" / "WH-0099" / "1"
    assert media.here(elsewhere) == elsewhere and not elsewhere.exists()


def test_what_was_altered_there_is_not_put_on_a_disk(media: MediaStore, storage: Storage, tmp_path: Path) -> None:
    storage.put(f"{tmp_path.name}/takes/{take_folder(TAKE)}/{TAKE}", SIDE[:-1] + b"!")
    with pytest.raises(ProofFailed, match="not what it was"):
        media.take(TAKE)
    storage.put(f"{tmp_path.name}/sealed/{FOLDER}/bagit.txt", b"BagIT")
    with pytest.raises(ProofFailed, match="not what it was"):
        media.package(FOLDER)
    assert not media.take_here(TAKE).exists() and not media.package_here(FOLDER).exists()
    assert left_in_work(media) == []


def test_a_package_that_lacks_a_file_there_is_not_half_on_a_disk(
    media: MediaStore, storage: Storage, tmp_path: Path
) -> None:
    storage.delete(f"{tmp_path.name}/sealed/{FOLDER}/data/empty")
    assert not media.package(FOLDER).exists()
    assert left_in_work(media) == []


def test_what_is_nowhere_is_where_it_would_be(media: MediaStore) -> None:
    assert media.take("0" * 64) == media.root / "takes" / "00" / ("0" * 64)
    assert media.package("WH-0099/1") == media.root / "sealed" / "WH-0099" / "1"


def test_storage_that_does_not_answer_is_said(tmp_path: Path) -> None:
    nobody = ObjectStorage(f"http://127.0.0.1:{free_port()}", "a key", "a secret")
    media = MediaStore(tmp_path, object_storage=nobody, bucket="s3://harbour")
    with pytest.raises(Unreachable, match="does not answer"):
        media.take(TAKE)
    with pytest.raises(Unreachable, match="does not answer"):
        media.package(FOLDER)


def test_asking_for_a_take_says_that_it_is_in_use_and_leaves_when_it_was_written(media: MediaStore) -> None:
    path = media.take(TAKE)
    os.utime(path, (1_000, 2_000))
    media.take(TAKE)
    assert path.stat().st_mtime == 2_000 and abs(path.stat().st_atime - time.time()) < 60
    was_asked_for(path.with_name("gone"))


def test_killed_while_it_is_fetched_a_package_is_whole_or_not_there(media: MediaStore) -> None:
    folder, data = media.package_here(FOLDER), dict(FILES)

    class Kept:
        """A bucket whose answers are at hand."""

        def expected(self, _: str) -> dict[str, str]:
            return EXPECTED

        def fetch(self, _: str, name: str, target: Path, __: str) -> bool:
            target.parent.mkdir(parents=True, exist_ok=True)
            target.write_bytes(data[name])
            return True

    kept = Kept()
    bucket = MediaBucket(takes=kept, packages=kept)  # type: ignore[arg-type]
    for number in range(1, 60):
        point = killed_at(lambda: fetch_package(media, bucket, FOLDER), number)
        there = {path.relative_to(folder).as_posix() for path in folder.rglob("*") if path.is_file()}
        assert there in (set(), FILES.keys()), str(point)
        media.clear_workspaces()
        if point is None:
            break
        shutil.rmtree(folder, ignore_errors=True)
    assert number > 3 and there == FILES.keys()


def test_settings_say_how_the_bucket_is_reached_and_that_a_second_copy_is_elsewhere() -> None:
    how = {"s3_endpoint": "http://127.0.0.1:9", "s3_key_id": "a", "s3_secret": "b"}
    assert Settings(media_bucket="s3://harbour/media", **how).media_bucket == "s3://harbour/media"  # type: ignore[arg-type]
    with pytest.raises(ValidationError, match="INKWELL_MEDIA_BUCKET needs INKWELL_S3_ENDPOINT"):
        Settings(media_bucket="s3://harbour/media")
    with pytest.raises(ValidationError, match="lies elsewhere"):
        Settings(media_bucket="s3://harbour", second_bucket="s3://harbour", **how)  # type: ignore[arg-type]
