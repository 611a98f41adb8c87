"""The demo archive is made whole or not at all, and put on the shelf once."""

from __future__ import annotations

import json
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest
import soundfile

from inkwell_groove.demo import archive, fill
from inkwell_groove.demo.__main__ import main
from inkwell_groove.demo.presence import SHELFMARKS, is_made, not_on_shelf
from inkwell_groove.demo.sides import SideScript
from inkwell_groove.demo.tunes import Tune
from tests.core.files.samples import picture, write_sample
from tests.live import Server
from tests.sounds import record_side

SHORT = tuple(
    SideScript(
        "WH-0012", letter, (Tune(f"{letter} one", 12.0, 1, 100, 0), Tune(f"{letter} two", 14.0, 2, 100, 0)), (2,), 1
    )
    for letter in ("A", "B")
)


def with_short_parts(monkeypatch: pytest.MonkeyPatch) -> None:
    """Have the archive made of next to nothing, in threads of this process."""

    def side(script: SideScript, folder: Path, stretch: float) -> str:
        name = archive.side_name(script)
        record_side(folder / f"{name}.wav", tracks_s=tuple(tune.duration_s for tune in script.tunes))
        sound, rate_hz = soundfile.read(folder / f"{name}.wav", dtype="int16")
        soundfile.write(folder / f"{name}.flac", sound, rate_hz)
        return name

    def imports(folder: Path) -> Path:
        (folder / "files" / "box").mkdir(parents=True)
        for number in range(2):
            write_sample(folder / "files" / "box" / f"{number}.flac", "a.flac", seconds=13.0, seed=number)
        return folder / "files" / "box"

    monkeypatch.setattr(archive, "ProcessPoolExecutor", ThreadPoolExecutor)
    for module in (archive, fill):
        monkeypatch.setattr(module, "LANTERNS", SHORT)
    monkeypatch.setattr(archive, "write_side", side)
    monkeypatch.setattr(archive, "write_imports", imports)
    monkeypatch.setattr(archive, "write_reels", lambda folder: folder)
    monkeypatch.setattr(archive, "write_sources", lambda folder, pool: None)
    monkeypatch.setattr(archive, "lanterns_cover", lambda: picture(800, 800))
    for name in ("CARRIERS", "DISCS"):
        monkeypatch.setattr(archive, name, ())


@pytest.fixture
def house(database_url: str, tmp_path: Path) -> Iterator[Server]:
    with Server(database_url, tmp_path / "media", INKWELL_FILES_ROOT=str(tmp_path / "demo" / "files")) as running:
        yield running


def test_it_is_made_and_put_on_the_shelf_and_a_second_time_nothing_is_done(
    house: Server, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    with_short_parts(monkeypatch)
    folder = tmp_path / "demo"
    main(folder, house.address, full_length=False)
    assert "WH-0012 side A recorded" in capsys.readouterr().out
    assert is_made(folder, full_length=False) and not is_made(folder, full_length=True)
    assert not_on_shelf(house.address) == []
    by_mark = {one["shelfmark"]: house.get(f"/dockets/{one['id']}") for one in house.get("/dockets")}
    assert set(by_mark) == set(SHELFMARKS)
    recorded = by_mark["WH-0012"]
    titles = [line["title"] for side in recorded["carriers"][0]["sides"] for line in side["tracks"]]
    assert titles == ["A one", "A two", "B one", "B two"]
    assert [one["role"] for one in recorded["artwork"]] == ["front"]
    assert len(by_mark["WH-0118"]["carriers"]) == 2
    assert [one["name"] for one in house.get("/bundles")] == ["box"]
    assert len(house.get("/chains")) == 2

    before = json.dumps(house.get("/dockets"))
    main(folder, house.address, full_length=False)
    assert json.dumps(house.get("/dockets")) == before
    fill.fill(folder, house.address, [])
    assert len(house.get("/bundles")) == 1 and len(house.get("/chains")) == 2


def test_an_archive_that_cannot_be_made_whole_is_not_there(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    with_short_parts(monkeypatch)

    def broken(folder: Path, pool: object) -> None:
        raise OSError("the disk is full")

    monkeypatch.setattr(archive, "write_sources", broken)
    with pytest.raises(OSError, match="full"):
        archive.make_archive(tmp_path / "demo")
    assert list(tmp_path.iterdir()) == []


def test_a_refusal_is_told_with_its_words(house: Server) -> None:
    house.api.post("/dockets", json={"shelfmark": "WH-0031", "carrier_format": "LP"})
    with pytest.raises(fill.httpx.HTTPStatusError, match="WH-0031"):
        fill.fill(Path("/nowhere"), house.address, ["WH-0031"])
