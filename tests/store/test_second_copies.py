"""Second copies, in a folder and in a bucket: what is there is what was sealed, or it is said."""

from __future__ import annotations

from collections.abc import Iterator
from hashlib import sha256
from pathlib import Path

import pytest
from pydantic import ValidationError

from inkwell_groove.core.errors import ProofFailed, Refused
from inkwell_groove.store.bucket import Unreachable
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.object_storage import ObjectStorage
from inkwell_groove.store.second_copies import SecondCopies, copies_at
from inkwell_groove.store.settings import Settings
from launcher.processes import free_port
from tests.objects import Storage, storage_in

FOLDER = "WH-0012/3/Slack Water"
FILES = {
    "data/masters/01 Tide & Tow (première).flac": b"one" * 3_000_000,  # more than one part of an upload
    "data/report.html": b"",
    "manifest-sha256.txt": b"digests",
}
EXPECTED = {name: sha256(data).hexdigest() for name, data in FILES.items()}


@pytest.fixture(scope="module")
def storage(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Storage]:
    with storage_in(tmp_path_factory.mktemp("storage")) as storage:
        yield storage


@pytest.fixture
def media(tmp_path: Path, storage: Storage) -> MediaStore:
    (tmp_path / "second").mkdir()
    return MediaStore(tmp_path / "media", others={"second": tmp_path / "second"}, object_storage=storage.how)


@pytest.fixture(params=["second:", "s3://harbour/copies"])
def copies(request: pytest.FixtureRequest, media: MediaStore, tmp_path: Path) -> SecondCopies:
    place = request.param if request.param == "second:" else f"{request.param}/{tmp_path.name}"
    return copies_at(place, media)


@pytest.fixture
def package(tmp_path: Path) -> Path:
    for name, data in FILES.items():
        path = tmp_path / "package" / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(data)
    return tmp_path / "package"


def test_a_package_comes_back_byte_for_byte(copies: SecondCopies, package: Path, tmp_path: Path) -> None:
    assert not copies.has(FOLDER) and not copies.holds(FOLDER, EXPECTED)
    told: list[int] = []
    copies.keep(FOLDER, package, EXPECTED, told.append)
    assert sorted(told) == sorted(map(len, FILES.values()))
    assert copies.has(FOLDER) and copies.holds(FOLDER, EXPECTED)
    for name, data in FILES.items():
        assert copies.fetch(FOLDER, name, tmp_path / "back" / name, EXPECTED[name])
        assert (tmp_path / "back" / name).read_bytes() == data
    assert not copies.holds(FOLDER, {**EXPECTED, "more": "0" * 64}), "of another sealing"


def test_a_file_that_is_not_there_is_not_fetched(copies: SecondCopies, tmp_path: Path) -> None:
    assert not copies.fetch(FOLDER, "data/gone.flac", tmp_path / "gone", "0" * 64)
    assert not (tmp_path / "gone").exists()


def test_what_is_damaged_is_never_copied(copies: SecondCopies, package: Path) -> None:
    (package / "manifest-sha256.txt").write_bytes(b"digestz")
    with pytest.raises(ProofFailed, match="not what it was"):
        copies.keep(FOLDER, package, EXPECTED, lambda _: None)
    assert not copies.has(FOLDER), "a copy that broke off counts for nothing"
    (package / "manifest-sha256.txt").write_bytes(b"digests")
    copies.keep(FOLDER, package, EXPECTED, lambda _: None)
    assert copies.holds(FOLDER, EXPECTED)


def test_a_copy_that_was_altered_there_is_not_brought_back(
    media: MediaStore, storage: Storage, package: Path, tmp_path: Path
) -> None:
    copies = copies_at("s3://harbour", media)
    copies.keep(FOLDER, package, EXPECTED, lambda _: None)
    name = "manifest-sha256.txt"
    assert storage.get(f"{FOLDER}/{name}") == FILES[name]
    storage.put(f"{FOLDER}/{name}", b"other digests")
    with pytest.raises(ProofFailed, match="not what it was"):
        copies.fetch(FOLDER, name, tmp_path / "back", EXPECTED[name])
    assert not (tmp_path / "back").exists()
    storage.delete(f"{FOLDER}/{name}")
    assert copies.has(FOLDER) and not copies.holds(FOLDER, EXPECTED)
    copies.keep(FOLDER, package, EXPECTED, lambda _: None)
    assert copies.holds(FOLDER, EXPECTED)


def test_storage_that_cannot_be_reached_is_said_with_what_to_look_at(tmp_path: Path, package: Path) -> None:
    nobody = ObjectStorage(f"http://127.0.0.1:{free_port()}", "a key", "a secret")
    copies = copies_at("s3://harbour", MediaStore(tmp_path / "media", object_storage=nobody))
    with pytest.raises(Unreachable, match="does not answer") as refusal:
        copies.keep(FOLDER, package, EXPECTED, lambda _: None)
    assert "INKWELL_S3_ENDPOINT" in str(refusal.value) and "a secret" not in str(refusal.value) + repr(nobody)
    with pytest.raises(Unreachable):
        copies.has(FOLDER)


def test_a_bucket_that_is_not_there_is_said(media: MediaStore, package: Path) -> None:
    with pytest.raises(Unreachable, match="no such bucket"):
        copies_at("s3://nobody-made-it", media).keep(FOLDER, package, EXPECTED, lambda _: None)


def test_a_disk_that_is_away_is_said(tmp_path: Path, package: Path) -> None:
    media = MediaStore(tmp_path / "media", others={"second": tmp_path / "away"})
    with pytest.raises(Unreachable, match="is not there"):
        copies_at("second:", media).keep(FOLDER, package, EXPECTED, lambda _: None)
    with pytest.raises(Unreachable, match="is not there"):
        copies_at("second:", media).has(FOLDER)
    with pytest.raises(Unreachable, match="is not there"):
        copies_at("second:", media).fetch(FOLDER, "data/report.html", tmp_path / "back", EXPECTED["data/report.html"])


def test_a_machine_without_a_key_says_so(tmp_path: Path) -> None:
    with pytest.raises(Refused, match="not told how to reach"):
        copies_at("s3://harbour", MediaStore(tmp_path / "media"))


def test_settings_name_one_place_and_how_it_is_reached() -> None:
    reached = {"s3_endpoint": "https://storage.example/", "s3_key_id": "a key", "s3_secret": "a secret"}
    given = Settings(second_bucket="s3://harbour/copies", **reached)
    assert given.object_storage == ObjectStorage("https://storage.example", "a key", "a secret")
    assert given.second_place == "s3://harbour/copies"
    with pytest.raises(ValidationError, match="not to both"):
        Settings(second_bucket="s3://harbour", second_root=Path("/second"), **reached)
    with pytest.raises(ValidationError, match="needs INKWELL_S3_ENDPOINT"):
        Settings(second_bucket="s3://harbour")
    with pytest.raises(ValidationError):
        Settings(second_bucket="harbour", **reached)
