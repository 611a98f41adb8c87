"""The releases of the tables, and the steps from one to the next. Forward only.

`store/upgrading.py` takes these steps when a server starts.
"""

from __future__ import annotations

from pathlib import Path

from alembic import command
from alembic.config import Config
from alembic.runtime.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import Engine, NullPool, create_engine
from sqlalchemy.exc import SQLAlchemyError

from inkwell_groove.core.errors import Conflict
from inkwell_groove.store.database import DatabaseAway, connection_options


def alembic_config(url: str) -> Config:
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    config.attributes["url"] = url
    return config


def upgrade(url: str, revision: str = "head") -> None:
    command.upgrade(alembic_config(url), revision)


def head_revision() -> str:
    """Return the release of the tables that this version works with."""
    head = ScriptDirectory.from_config(alembic_config("")).get_current_head()
    assert head is not None
    return head


def knows_revision(revision: str) -> bool:
    """Return whether this version can bring tables of that release up to date, or works with them as they are."""
    return any(one.revision == revision for one in ScriptDirectory.from_config(alembic_config("")).walk_revisions())


def current_revision(engine: Engine) -> str | None:
    """Return the release of a database's tables; None if it has none. Raises DatabaseAway."""
    try:
        with engine.connect() as connection:
            return MigrationContext.configure(connection).get_current_revision()
    except SQLAlchemyError as cause:
        raise DatabaseAway(
            "the database does not answer", where="MariaDB", remedy="Start it, then try again"
        ) from cause


def check_current(url: str) -> None:
    """Raise Conflict if the tables are not those of this version: older, or of a newer one."""
    known = head_revision()
    engine = create_engine(url, poolclass=NullPool, hide_parameters=True, connect_args=connection_options(url))
    try:
        found = current_revision(engine)
    finally:
        engine.dispose()
    if found == known:
        return
    is_newer = found is not None and not knows_revision(found)
    raise Conflict(
        f"the database's tables are of release {found or 'none'}, this version works with {known}",
        where="the database",
        remedy="Start the version that it was last used with, or a newer one"
        if is_newer
        else "Bring them up to date with inkwell admin upgrade, as inkwell serve does by itself",
    )
