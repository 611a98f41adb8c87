"""Places on other disks: what is new goes where there is room, and what is there is found."""

from __future__ import annotations

import pickle
import re
from hashlib import sha256
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from inkwell_groove.core.errors import Refused
from inkwell_groove.store.disk import free_bytes_of_disk
from inkwell_groove.store.media import MediaStore
from inkwell_groove.store.places import Place
from inkwell_groove.store.settings import Settings, settings_or_exit
from inkwell_groove.store.settings import settings as cached
from tests.crashing import killed_at
from tests.owndisk import on_disk_of

AMPLE = 10**12


def digest(data: bytes) -> str:
    return sha256(data).hexdigest()


def store(root: Path, *places: Place, free_bytes: Any = lambda _: AMPLE, token: str = "") -> MediaStore:
    for place in places:
        place.path.mkdir(parents=True, exist_ok=True)
    others = {place.name: place.path for place in places}
    return MediaStore(root / "media", places=places, others=others, free_bytes=free_bytes, token=token)


def keep(media: MediaStore, data: bytes) -> Path:
    with media.workspace() as work:
        (work / "take.wav").write_bytes(data)
        return media.keep_take(work / "take.wav", digest(data))


def test_a_take_goes_to_the_first_place_with_room_and_is_found_there(tmp_path: Path) -> None:
    small = Place(name="small", path=tmp_path / "small", kinds=("takes",), budget_bytes=100)
    large = Place(name="large", path=tmp_path / "large", budget_bytes=1_000)
    media = store(tmp_path, small, large)
    first, second = keep(media, b"1" * 80), keep(media, b"2" * 80)
    assert (first.parents[2], second.parents[2]) == (small.path, large.path)
    assert keep(media, b"3" * 2_000).parents[2] == media.root, "where no place has room"
    assert media.take(digest(b"1" * 80)) == first and media.take(digest(b"2" * 80)) == second
    assert not media.take(digest(b"nowhere")).exists()
    assert len(list(media.takes())) == 3
    assert (media.places.used_bytes(small), media.places.left_bytes(small)) == (80, 20)


def test_a_recording_is_kept_once_wherever_it_lies(tmp_path: Path) -> None:
    before = keep(store(tmp_path), b"a side")
    media = store(tmp_path, Place(name="vault", path=tmp_path / "vault"))
    assert keep(media, b"a side") == before == media.take(digest(b"a side"))
    assert len(list(media.takes())) == 1


def test_a_full_disk_is_passed_over_before_its_budget_is_reached(tmp_path: Path) -> None:
    full = tmp_path / "full"
    media = store(
        tmp_path,
        Place(name="full", path=full, budget_bytes=10_000),
        free_bytes=lambda folder: 5 if folder == full else AMPLE,
    )
    assert keep(media, b"a side").parents[2] == media.root


def test_what_is_written_down_leads_to_it_on_a_machine_that_sees_the_place_elsewhere(tmp_path: Path) -> None:
    place = Place(name="vault", path=tmp_path / "vault")
    name = store(tmp_path, place).name_of(keep(store(tmp_path, place), b"a side"))
    assert name == f"vault:takes/{digest(b'a side')[:2]}/{digest(b'a side')}"
    (tmp_path / "vault").rename(tmp_path / "mnt")
    elsewhere = store(tmp_path, Place(name="vault", path=tmp_path / "mnt"))
    assert elsewhere.path_of(name).read_bytes() == b"a side"


def test_a_package_lies_in_one_place_and_what_is_set_aside_of_it_beside_it(tmp_path: Path) -> None:
    vault = Place(name="vault", path=tmp_path / "vault", kinds=("packages",), budget_bytes=100)
    media = store(tmp_path, vault)
    package, root = media.new_package("WH-1/1", 80)
    assert (package, root) == (vault.path / "sealed" / "WH-1/1", vault.path / "sealed")
    package.mkdir(parents=True)
    (package / "master.flac").write_bytes(b"0" * 80)
    assert media.new_package("WH-1/1", 10**6) == (package, root), "the same job, begun again"
    assert media.package("WH-1/1") == package
    assert media.set_aside("WH-1/1") == vault.path / "set aside" / "WH-1/1"
    again = store(tmp_path, vault)  # it counts what is there
    assert again.new_package("WH-1/2", 80)[1] == again.root / "sealed"
    assert again.set_aside("WH-1/2").is_relative_to(again.root)
    with pytest.raises(ValueError, match="outside"):
        media.package("../takes")


def test_workspaces_of_a_job_that_was_given_up_are_removed_on_every_disk(tmp_path: Path) -> None:
    place = Place(name="vault", path=tmp_path / "vault")
    media = store(tmp_path, place, token="0123456789abcdef")
    with media.workspace(place.path) as far, media.workspace() as near:
        (far / "half").touch()
        store(tmp_path, place).remove_workspaces("0123456789abcdef")
        assert not far.exists() and not near.exists()


def test_a_place_that_is_not_there_stops_the_start(tmp_path: Path) -> None:
    with pytest.raises(Refused, match="'vault' is not there"):
        MediaStore(tmp_path / "media", places=[Place(name="vault", path=tmp_path / "away")])
    assert not (tmp_path / "away").exists(), "a folder made there would fill the wrong disk"


def test_settings_refuse_what_cannot_be_meant() -> None:
    def given(*places: dict[str, Any]) -> Settings:
        return Settings.model_validate({"places": places})

    assert given({"name": "vault", "path": "/mnt/vault"}).other_roots["vault"] == Path("/mnt/vault")
    for wrong in (
        [{"name": "media", "path": "/mnt"}],
        [{"name": "vault", "path": "/a"}, {"name": "vault", "path": "/b"}],
        [{"name": "Vault 1", "path": "/a"}],
        [{"name": "vault", "path": "/a", "kinds": ["pictures"]}],
        [{"name": "vault", "path": "/a", "budget_bytes": 0}],
        [{"name": "vault", "path": "/a", "budgets_bytes": 5}],
    ):
        with pytest.raises(ValidationError):
            given(*wrong)


def test_a_take_is_copied_to_another_disk_and_read_back(tmp_path: Path) -> None:
    vault = tmp_path / "vault"

    def on_another_disk() -> tuple[bool, bytes, int, list[str]]:
        place = Place(name="vault", path=vault)
        media = pickle.loads(pickle.dumps(store(tmp_path, place, free_bytes=free_bytes_of_disk)))
        kept = keep(media, b"a side" * 1_000)
        assert kept.stat().st_dev != media.root.stat().st_dev
        left = [path.name for room in media.places.workrooms() for path in room.iterdir()]
        return kept.is_relative_to(vault), kept.read_bytes(), kept.stat().st_mode & 0o777, left

    is_there, data, mode, left = on_disk_of(2**20, vault, on_another_disk)
    assert is_there and data == b"a side" * 1_000
    assert (mode, left) == (0o444, [])


def test_killed_while_a_take_goes_to_another_disk_it_is_whole_on_one_of_them(tmp_path: Path) -> None:
    sound, vault = b"a side" * 1_000, tmp_path / "vault"

    def on_another_disk() -> list[str]:
        media = store(tmp_path, Place(name="vault", path=vault))
        upload, take, passed = media.upload(7), media.take(digest(sound)), []

        def work() -> None:
            media.keep_take(upload, digest(sound))

        for number in range(1, 40):
            upload.write_bytes(sound)
            point = killed_at(work, number)
            take = media.take(digest(sound))
            whole = [path for path in (upload, take) if path.exists() and path.read_bytes() == sound]
            assert whole and (not take.exists() or take in whole), str(point)
            if upload.exists():
                work()  # as the job does that is run again
            take = media.take(digest(sound))
            assert take.read_bytes() == sound and take.is_relative_to(vault) and not upload.exists(), str(point)
            media.clear_workspaces()
            assert [path for room in media.places.workrooms() for path in room.iterdir()] == []
            if point is None:
                return passed
            passed.append(point.name)
            take.unlink()
        raise AssertionError("it has more points than that")

    passed = on_disk_of(2**20, vault, on_another_disk)
    assert len(passed) > 4 and any("rename" in name for name in passed) and any("unlink" in name for name in passed)


@settings(max_examples=40, deadline=None)
@given(
    budgets=st.lists(st.none() | st.integers(1, 200), max_size=3),
    rooms=st.lists(st.integers(0, 300), min_size=3, max_size=3),
    sizes=st.lists(st.integers(1, 120), max_size=12),
)
def test_no_place_ever_holds_more_than_it_may_and_every_take_is_found(
    budgets: list[int | None], rooms: list[int], sizes: list[int]
) -> None:
    with TemporaryDirectory() as name:
        root = Path(name)
        places = [
            Place(name="abc"[at], path=root / "abc"[at], budget_bytes=budget) for at, budget in enumerate(budgets)
        ]
        sized = dict(zip("abc", rooms, strict=True))

        def free_bytes(folder: Path) -> int:
            if folder.name not in sized:
                return AMPLE
            return sized[folder.name] - sum(path.stat().st_size for path in folder.rglob("*") if path.is_file())

        media = store(root, *places, free_bytes=free_bytes)
        datas = [bytes([number]) * size for number, size in enumerate(sizes)]
        for data in datas:
            keep(media, data)
        for data in datas:
            assert media.take(digest(data)).read_bytes() == data
        for place in places:
            held = sum(path.stat().st_size for path in place.path.rglob("*") if path.is_file())
            assert held <= min(sized[place.name], place.budget_bytes or AMPLE)


@pytest.mark.parametrize(
    ("name", "value", "said"),
    [
        ("INKWELL_PLACES", "[{", 'error parsing value for field "places"'),
        ("INKWELL_PLACES", '[{"name": "media", "path": "/x"}]', "INKWELL_PLACES: the name media is taken"),
        ("INKWELL_WORKERS", "900", "INKWELL_WORKERS: Input should be less than or equal to 32"),
    ],
)
def test_settings_that_cannot_be_meant_end_the_start_with_a_sentence(
    monkeypatch: pytest.MonkeyPatch, name: str, value: str, said: str
) -> None:
    monkeypatch.setenv(name, value)
    cached.cache_clear()
    with pytest.raises(SystemExit, match=re.escape(said)):
        settings_or_exit()
    cached.cache_clear()
