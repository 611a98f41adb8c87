"""From the previous release's tables, with what an archive had in them."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from alembic import command
from sqlalchemy import create_engine, text

from inkwell_groove.store.migrate import alembic_config, upgrade
from inkwell_groove.store.settings import settings
from launcher.database import Database as MariaDb
from tests.live import new_schema

ROWS = (
    "INSERT INTO docket (id, shelfmark, folder_pattern, file_pattern, created_at, changed_at) "
    "VALUES (1, 'WH-1', '{title}', '{number}', '2026-01-01', '2026-01-01')",
    "INSERT INTO carrier (id, docket_id, number, format) VALUES (1, 1, 1, 'LP')",
    "INSERT INTO side (id, carrier_id, letter) VALUES (1, 1, 'A')",
    "INSERT INTO take (id, side_id, name, sha256, size_bytes, container, word, rate_hz, channels, samples, lossless, "
    "note, taken_in_at, taken_in_by) VALUES (1, 1, 'a.wav', REPEAT('a', 64), 9, 'WAV', 's24', 96000, 2, 5, 1, '', "
    "'2026-01-01', 'x')",
    "UPDATE side SET chosen_take_id = 1",
)


def test_an_archive_of_the_first_release_comes_over_whole(mariadb: MariaDb) -> None:
    url = new_schema(mariadb, migrated=False)
    command.upgrade(alembic_config(url), "0001")
    engine = create_engine(url)
    with engine.begin() as connection:
        for statement in ROWS:
            connection.execute(text(statement))
    upgrade(url)
    with engine.begin() as connection:
        carrier = connection.execute(text("SELECT format, speed, tape_type, `condition` FROM carrier")).one()
        take = connection.execute(text("SELECT name, transferred, side_start_sample, side_end_sample FROM take")).one()
        side = connection.execute(text("SELECT chosen_take_id, expected_s FROM side")).one()
    engine.dispose()
    assert tuple(carrier) == ("LP", "", "", "")
    assert tuple(take) == ("a.wav", None, 0, None)
    assert tuple(side) == (1, None)


def test_what_entries_of_older_releases_are_taken_back_by_is_found_and_people_read_only_what_is_for_them(
    mariadb: MariaDb,
) -> None:
    url = new_schema(mariadb, migrated=False)
    command.upgrade(alembic_config(url), "0011")
    engine = create_engine(url)
    rows = {
        1: ("3 files written", None, {"file_step_id": 7}),
        2: ("taken back: 3 files written", {"file_step_id": 7}, None),
        3: ("heading merged", {"variants": ["a"]}, {"merge_id": 4, "name": "A"}),
        4: ("2 files set aside", {"files": ["a", "b"]}, {"held_ids": [5, 6]}),
        5: ("described", {"title": ""}, {"title": "Ebb"}),
    }
    insert = text("INSERT INTO ledger (id, at, who, action, `before`, `after`) VALUES (:id, NOW(), 'x', :what, :b, :a)")
    with engine.begin() as connection:
        for key, (what, before, after) in rows.items():
            told = {"b": before and json.dumps(before), "a": after and json.dumps(after)}
            connection.execute(insert, {"id": key, "what": what, **told})
    upgrade(url)
    with engine.begin() as connection:
        kept = connection.execute(text("SELECT way_back, `after` FROM ledger ORDER BY id")).all()
    engine.dispose()
    read = [tuple(json.loads(one) if one else None for one in row) for row in kept]
    assert read == [
        ({"kind": "file step", "to": 7}, None),
        (None, None),
        ({"kind": "merge", "to": 4}, {"name": "A"}),
        ({"kind": "held files", "to": [5, 6]}, None),
        (None, {"title": "Ebb"}),
    ]


def test_discs_that_wait_to_be_read_stay_with_the_machine_that_has_the_drive(mariadb: MariaDb) -> None:
    url = new_schema(mariadb, migrated=False)
    command.upgrade(alembic_config(url), "0016")
    engine = create_engine(url)
    insert = text(
        "INSERT INTO job (kind, lane, subject, arguments, state, progress, message, attempts, asked_at) "
        "VALUES (:kind, 'steady', 'x', '{}', 'waiting', 0, '', 0, NOW())"
    )
    with engine.begin() as connection:
        for kind in ("read disc", "seal", "make take of disc"):
            connection.execute(insert, {"kind": kind})
    upgrade(url)
    with engine.begin() as connection:
        lanes = list(connection.scalars(text("SELECT lane FROM job ORDER BY id")))
    engine.dispose()
    assert lanes == ["device", "steady", "device"]


def test_where_folders_came_from_is_relative_to_the_roots_of_the_settings(
    mariadb: MariaDb, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("INKWELL_FILES_ROOT", str(tmp_path / "files"))
    settings.cache_clear()
    url = new_schema(mariadb, migrated=False)
    command.upgrade(alembic_config(url), "0014")
    engine = create_engine(url)
    origins = [str(tmp_path / "files" / "Box 3"), "/elsewhere/Box 4", "box.zip"]
    insert = text(
        "INSERT INTO bundle (name, origin, in_place, state, told, made_at) VALUES ('x', :one, 0, 'ready', '{}', NOW())"
    )
    with engine.begin() as connection:
        for one in origins:
            connection.execute(insert, {"one": one})
    upgrade(url)
    with engine.begin() as connection:
        assert list(connection.scalars(text("SELECT origin FROM bundle ORDER BY id"))) == ["files:Box 3", *origins[1:]]
    command.downgrade(alembic_config(url), "0014")
    with engine.begin() as connection:
        assert list(connection.scalars(text("SELECT origin FROM bundle ORDER BY id"))) == origins
    engine.dispose()
    settings.cache_clear()
