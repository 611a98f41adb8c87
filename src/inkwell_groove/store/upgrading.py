"""The tables brought up to date when a server starts: one at a time, after a dump, and begun again if it was killed.

`inkwell serve` and `inkwell admin upgrade` do it.

MariaDB cannot take back a change of a table. So a note says what is under way: which dump was made before, and how far
ledger and jobs went then. Whoever finds the note brings the dump back first, unless somebody worked with the tables in
between.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path

import structlog
from pydantic import BaseModel, ConfigDict
from sqlalchemy import Connection, Engine, NullPool, create_engine, inspect, text
from sqlalchemy.exc import SQLAlchemyError

from inkwell_groove.core.errors import Conflict
from inkwell_groove.store.database import DatabaseAway, connection_options
from inkwell_groove.store.dump import dump, load
from inkwell_groove.store.durable import sync_file, sync_folder
from inkwell_groove.store.migrate import current_revision, head_revision, knows_revision, upgrade
from inkwell_groove.store.settings import Settings

DUMPS = "dumps"  # below the media root
_NOTE = "upgrade under way.json"
_KEPT = 5
_WAIT_S = 600  # for another server that brings the same tables up to date
_GROWING = ("ledger", "job")  # nobody works without adding to one of them
log = structlog.get_logger()


class Note(BaseModel):
    """What an upgrade began with."""

    model_config = ConfigDict(frozen=True)

    revision: str | None  # None for a database without tables
    dump: str | None
    last: dict[str, int]  # the highest numbers in the tables that grow


def bring_up_to_date(given: Settings, revision: str = "head") -> None:
    """Bring the tables of the settings' database to this version's release.

    Raises Conflict for tables of a newer version, or if somebody worked with tables that are half changed, DumpFailed,
    Missing if there is no program for dumps, DatabaseAway.
    """
    wanted = head_revision() if revision == "head" else revision
    folder = given.media_root / DUMPS
    folder.mkdir(parents=True, exist_ok=True)
    with _alone(given.database_url) as engine:
        if current_revision(engine) == wanted:
            (folder / _NOTE).unlink(missing_ok=True)
            return
        if (note := _read(folder / _NOTE)) is not None:
            log.warning("an upgrade of the tables was broken off: it begins again", dump=note.dump)
            _bring_back(given, engine, folder, note)
        found = current_revision(engine)
        if found is not None and not knows_revision(found):
            raise Conflict(
                f"the database's tables are of release {found}, which is newer than this version",
                where="the database",
                remedy="Start the version that it was last used with, or a newer one",
            )
        _write(folder, _note(given, engine, folder, found))
        upgrade(given.database_url, wanted)
        (folder / _NOTE).unlink()
        for old in sorted(folder.glob("*.sql.gz"))[:-_KEPT]:
            old.unlink()


def _note(given: Settings, engine: Engine, folder: Path, found: str | None) -> Note:
    """Return what an upgrade begins with, after the dump was made."""
    if found is None:
        return Note(revision=None, dump=None, last={})
    name = f"{datetime.now(UTC):%Y%m%dT%H%M%S.%f}Z, release {found}.sql.gz"
    dump(given.database_url, folder / f"{name}.part")
    sync_file(folder / f"{name}.part")
    (folder / f"{name}.part").rename(folder / name)
    sync_folder(folder)
    return Note(revision=found, dump=name, last=_last(engine))


def _bring_back(given: Settings, engine: Engine, folder: Path, note: Note) -> None:
    """Make the tables what they were before the upgrade that was broken off."""
    grown = {name: number for name, number in _last(engine).items() if number > note.last.get(name, 0)}
    if grown:
        raise Conflict(
            "an upgrade of the tables was broken off, and somebody has worked with them since",
            where=str(folder / _NOTE),
            remedy=f"Bring back {note.dump or 'an empty database'} by hand, or delete that note to go on as they are",
        )
    with engine.begin() as connection:
        connection.execute(text("SET FOREIGN_KEY_CHECKS = 0"))
        for table in inspect(connection).get_table_names():
            connection.execute(text(f"DROP TABLE `{table}`"))
        connection.execute(text("SET FOREIGN_KEY_CHECKS = 1"))
    if note.dump is not None:
        load(given.database_url, folder / note.dump)


def _last(engine: Engine) -> dict[str, int]:
    with engine.connect() as connection:
        tables = set(inspect(connection).get_table_names())
        return {name: _highest(connection, name) for name in _GROWING if name in tables}


def _highest(connection: Connection, table: str) -> int:
    return int(connection.execute(text(f"SELECT COALESCE(MAX(id), 0) FROM `{table}`")).scalar_one())


def _read(path: Path) -> Note | None:
    return Note.model_validate_json(path.read_bytes()) if path.is_file() else None


def _write(folder: Path, note: Note) -> None:
    beside = folder / f"{_NOTE}.part"
    beside.write_text(note.model_dump_json(), "utf-8")
    sync_file(beside)
    beside.rename(folder / _NOTE)
    sync_folder(folder)


@contextmanager
def _alone(database_url: str) -> Iterator[Engine]:
    """Yield an engine while no other process brings these tables up to date."""
    options = connection_options(database_url, has_time=True)
    engine = create_engine(database_url, poolclass=NullPool, hide_parameters=True, connect_args=options)
    try:
        with engine.connect() as connection:
            name = connection.execute(text("SELECT CONCAT('inkwell upgrade ', DATABASE())")).scalar_one()
            got = connection.execute(text("SELECT GET_LOCK(:name, :wait_s)"), {"name": name, "wait_s": _WAIT_S})
            if got.scalar_one() != 1:
                raise Conflict(
                    "another process brings the tables up to date", where="the database", remedy="Wait for its end"
                )
            try:
                yield engine
            finally:
                connection.execute(text("DO RELEASE_ALL_LOCKS()"))
    except SQLAlchemyError as cause:
        raise DatabaseAway(
            "the database does not answer as it should", where="INKWELL_DATABASE_URL", remedy=str(cause)[:300]
        ) from cause
    finally:
        engine.dispose()
