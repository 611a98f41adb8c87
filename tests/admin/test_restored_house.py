"""A house that is backed up while it is in use, thrown away, and restored on another path and port."""

from __future__ import annotations

import shutil
import threading
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from inkwell_groove.admin.commands import main
from inkwell_groove.store.settings import settings as cached
from launcher.database import Database as MariaDb
from tests.live import Server, new_schema
from tests.sounds import record_side
from tests.web.test_packages import described, docket, fixity_of

_PIECE = 300_000


@pytest.fixture
def admin(monkeypatch: pytest.MonkeyPatch) -> Iterator[Any]:
    """Runs a command of `inkwell admin` with the settings of a server."""

    def run(server: Server, *words: str) -> int:
        for name, value in server.environment.items():
            if name.startswith("INKWELL_"):
                monkeypatch.setenv(name, value)
        cached.cache_clear()
        return main(list(words))

    yield run
    cached.cache_clear()


def begin_upload(server: Server, docket_id: int, data: bytes) -> Any:
    side_id = docket(server, docket_id)["carriers"][0]["sides"][0]["id"]
    told = {"name": "half.wav", "size_bytes": len(data), "side_id": side_id}
    upload = server.post(f"/dockets/{docket_id}/uploads", told)
    send(server, upload["id"], data[:_PIECE], 0)
    return upload


def send(server: Server, upload_id: int, data: bytes, offset: int) -> None:
    answer = server.api.patch(f"/uploads/{upload_id}", content=data, headers={"Upload-Offset": str(offset)})
    answer.raise_for_status()


def test_a_house_in_use_comes_back_whole_elsewhere(
    mariadb: MariaDb, admin: Any, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    record_side(tmp_path / "side.wav")
    data, backups = (tmp_path / "side.wav").read_bytes(), tmp_path / "backups"
    backups.mkdir()
    with Server(new_schema(mariadb), tmp_path / "media") as house:
        docket_ids = [described(house, f"B-{number}", tmp_path / "side.wav") for number in (1, 2, 3)]
        house.post(f"/dockets/{docket_ids[0]}/seal")
        house.wait_for_jobs()
        assert admin(house, "backup", str(backups)) == 0

        # People go on while the second one is made.
        half = begin_upload(house, docket_ids[2], data)
        house.post(f"/dockets/{docket_ids[1]}/seal")
        stopping = threading.Event()

        def describe() -> None:
            while not stopping.is_set():
                house.describe(docket_ids[2], ["One", "Two", "Three"], title="Again", album_artist="The Test Band")

        writing = threading.Thread(target=describe)
        writing.start()
        assert admin(house, "backup", str(backups)) == 0
        stopping.set()
        writing.join()
    told = capsys.readouterr().out
    assert "0 of them are new" not in told.splitlines()[-1]
    assert admin(house, "check-backup", str(backups)) == 0
    shutil.rmtree(tmp_path / "media")

    elsewhere = Server(new_schema(mariadb, migrated=False), tmp_path / "another place" / "media")
    assert admin(elsewhere, "restore", str(backups)) == 0
    assert "the doctor found nothing that is not as it should be" in capsys.readouterr().out
    with elsewhere:
        elsewhere.wait_for_jobs()
        assert [docket(elsewhere, one)["shelfmark"] for one in docket_ids] == ["B-1", "B-2", "B-3"]
        for docket_id in docket_ids[:2]:
            package_id = fixity_of(elsewhere, docket_id)["package_id"]
            elsewhere.post(f"/packages/{package_id}/check")
        elsewhere.wait_for_jobs()
        assert [fixity_of(elsewhere, one)["state"] for one in docket_ids[:2]] == ["sound", "sound"]
        # What was half sent goes on where it was.
        upload = elsewhere.get(f"/uploads/{half['id']}")
        assert upload["received_bytes"] == _PIECE
        send(elsewhere, half["id"], data[_PIECE:], _PIECE)
        assert [job["state"] for job in elsewhere.wait_for_jobs() if job["state"] != "done"] == []
