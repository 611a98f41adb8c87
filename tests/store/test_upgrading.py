"""Tables brought up to date from every earlier release, with data in them, killed in the midst and begun again."""

from __future__ import annotations

import os
import re
import threading
from collections.abc import Iterator
from contextlib import closing, contextmanager
from pathlib import Path
from typing import Any

import pytest
from alembic.script import ScriptDirectory
from sqlalchemy import Engine, create_engine, event, inspect, text

from inkwell_groove.core.errors import Conflict
from inkwell_groove.store import upgrading
from inkwell_groove.store.migrate import alembic_config, check_current, head_revision, upgrade
from inkwell_groove.store.settings import Settings
from inkwell_groove.store.upgrading import DUMPS, bring_up_to_date
from launcher.database import Database as MariaDb
from tests.live import new_schema
from tests.store.test_migrations import ROWS

_KILLED = 9
_LOOKS = ("SELECT", "SHOW", "SET", "DO", "ROLLBACK", "COMMIT", "DESCRIBE")


def releases() -> list[str]:
    """Return the releases there were, the oldest first."""
    return [one.revision for one in reversed(list(ScriptDirectory.from_config(alembic_config("")).walk_revisions()))]


@contextmanager
def watched(at: int = 0) -> Iterator[list[str]]:
    """Yield the statements that change something, as they come; kill this process before the one with number `at`."""
    seen: list[str] = []

    def look(_: Any, __: Any, statement: str, *___: Any) -> None:
        if not statement.lstrip().upper().startswith(_LOOKS):
            seen.append(statement)
            if len(seen) == at:
                os._exit(_KILLED)

    event.listen(Engine, "before_cursor_execute", look)
    try:
        yield seen
    finally:
        event.remove(Engine, "before_cursor_execute", look)


def killed(given: Settings, revision: str, at: int) -> None:
    """Bring tables up to date in a process that is killed before its change of that number."""
    pid = os.fork()
    if pid == 0:
        try:
            with watched(at):
                bring_up_to_date(given, revision)
        finally:
            os._exit(1)
    assert os.waitstatus_to_exitcode(os.waitpid(pid, 0)[1]) == _KILLED


def state(url: str) -> dict[str, object]:
    """Return the tables, what is in them, and how they are made."""
    engine = create_engine(url)
    with closing(engine.connect()) as connection:
        names = inspect(connection).get_table_names()
        found: dict[str, object] = {}
        for name in names:
            rows = connection.execute(text(f"SELECT * FROM `{name}`")).all()
            made = str(connection.execute(text(f"SHOW CREATE TABLE `{name}`")).one()[1])
            found[name] = sorted(map(repr, rows)), re.sub(r" AUTO_INCREMENT=\d+", "", made)
    engine.dispose()
    return found


@pytest.fixture
def given(mariadb: MariaDb, tmp_path: Path) -> Settings:
    """Settings of an archive of the first release, with a docket and a take."""
    url = new_schema(mariadb, migrated=False)
    upgrade(url, "0001")
    engine = create_engine(url)
    with engine.begin() as connection:
        for statement in ROWS:
            connection.execute(text(statement))
    engine.dispose()
    return Settings(database_url=url, media_root=tmp_path / "media")


def copy_of(given: Settings, mariadb: MariaDb, root: Path) -> Settings:
    """Return settings of an archive like it."""
    url = new_schema(mariadb, migrated=False)
    upgrading.dump(given.database_url, root / "copy.sql.gz")
    upgrading.load(url, root / "copy.sql.gz")
    return Settings(database_url=url, media_root=root / "copy")


@pytest.mark.slow
def test_each_release_is_reached_from_the_one_before_though_it_is_killed_in_the_midst(
    given: Settings, mariadb: MariaDb, tmp_path: Path
) -> None:
    undisturbed = copy_of(given, mariadb, tmp_path)
    for release in releases()[1:]:
        with watched() as changes:
            upgrade(undisturbed.database_url, release)
        killed(given, release, len(changes) // 2 + 1)
        assert (given.media_root / DUMPS / "upgrade under way.json").is_file()
        bring_up_to_date(given, release)
        assert state(given.database_url) == state(undisturbed.database_url), release
    check_current(given.database_url)
    left = sorted(path.name for path in (given.media_root / DUMPS).iterdir())
    assert len(left) == 5 and all(name.endswith(".sql.gz") for name in left), "the newest dumps are kept"


def test_the_first_release_comes_over_at_once_and_a_second_start_changes_nothing(given: Settings) -> None:
    bring_up_to_date(given)
    before = state(given.database_url)
    with watched() as changes:
        bring_up_to_date(given)
    assert changes == [] and state(given.database_url) == before
    assert len(list((given.media_root / DUMPS).iterdir())) == 1


def test_an_empty_database_gets_its_tables_though_it_is_killed_while_they_are_made(
    mariadb: MariaDb, tmp_path: Path
) -> None:
    given = Settings(database_url=new_schema(mariadb, migrated=False), media_root=tmp_path)
    for at in (1, 5, 60):
        killed(given, "head", at)
    bring_up_to_date(given)
    check_current(given.database_url)
    assert list((tmp_path / DUMPS).iterdir()) == []


def test_what_somebody_wrote_since_a_broken_off_upgrade_is_never_dropped(given: Settings) -> None:
    killed(given, "head", 3)
    engine = create_engine(given.database_url)
    with engine.begin() as connection:
        connection.execute(text("INSERT INTO ledger (at, who, action) VALUES (NOW(), 'somebody', 'worked on')"))
    with pytest.raises(Conflict, match="somebody has worked with them since") as refusal:
        bring_up_to_date(given)
    assert "release 0001.sql.gz" in str(refusal.value)
    with engine.begin() as connection:
        assert connection.execute(text("SELECT action FROM ledger")).scalar_one() == "worked on"
    engine.dispose()


def test_tables_of_a_newer_version_are_refused_in_a_sentence_and_left_alone(given: Settings) -> None:
    bring_up_to_date(given)
    engine = create_engine(given.database_url)
    with engine.begin() as connection:
        connection.execute(text("UPDATE alembic_version SET version_num = '0999'"))
    engine.dispose()
    before = state(given.database_url)
    for refuse in (lambda: bring_up_to_date(given), lambda: check_current(given.database_url)):
        with pytest.raises(Conflict, match="release 0999") as refusal:
            refuse()
        assert "Start the version that it was last used with, or a newer one" in str(refusal.value)
    assert state(given.database_url) == before


def test_what_takes_longer_than_any_answer_may_is_waited_for(given: Settings, monkeypatch: pytest.MonkeyPatch) -> None:
    """Another process's upgrade here; a change of a table with very many rows goes the same way."""
    monkeypatch.setattr("inkwell_groove.store.database._ANSWER_WITHIN_S", 1)
    engine = create_engine(given.database_url)
    with closing(engine.connect()) as other:
        other.execute(text("SELECT GET_LOCK(CONCAT('inkwell upgrade ', DATABASE()), 0)"))
        letting_go = threading.Timer(2.5, lambda: other.execute(text("DO RELEASE_ALL_LOCKS()")))
        letting_go.start()
        bring_up_to_date(given)
        letting_go.join()
    engine.dispose()
    check_current(given.database_url)


def test_two_servers_that_start_at_once_take_turns(given: Settings) -> None:
    pids = []
    for _ in range(3):
        pid = os.fork()
        if pid == 0:
            try:
                bring_up_to_date(given)
                os._exit(0)
            finally:
                os._exit(1)
        pids.append(pid)
    assert [os.waitstatus_to_exitcode(os.waitpid(pid, 0)[1]) for pid in pids] == [0, 0, 0]
    assert len(list((given.media_root / DUMPS).iterdir())) == 1, "one of them made a dump and upgraded"
    assert head_revision() == releases()[-1]
    check_current(given.database_url)
