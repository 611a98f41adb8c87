"""From the previous release's tables, with what an archive had in them."""

from __future__ import annotations

from alembic import command
from sqlalchemy import create_engine, text

from inkwell_groove.store.migrate import alembic_config, upgrade
from launcher.database import Database as MariaDb
from tests.live import new_schema

_ROWS = (
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
        for statement in _ROWS:
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
