"""Dumps of the database, made and read by MariaDB's own programs."""

from __future__ import annotations

import gzip
import shutil
import subprocess
import tempfile
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from pathlib import Path

from sqlalchemy import NullPool, create_engine, inspect, make_url
from sqlalchemy.exc import SQLAlchemyError

from inkwell_groove.core.errors import InkwellError, Missing
from inkwell_groove.store.database import DatabaseAway, connection_options

_BLOCK_BYTES = 1 << 20


class DumpFailed(InkwellError):
    """MariaDB's program for dumps ended with an error."""


def dump(database_url: str, target: Path) -> None:
    """Write all tables as they are at one moment, as SQL packed by gzip; who works with them is not held up.

    Raises DumpFailed, or Missing if there is no such program.
    """
    options = ("--single-transaction", "--quick", "--hex-blob", "--no-tablespaces", "--skip-dump-date")
    with _client("mariadb-dump", database_url, options) as command:
        pipes = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE)
        with gzip.open(target, "wb", compresslevel=6) as file, pipes as running:
            assert running.stdout is not None and running.stderr is not None
            shutil.copyfileobj(running.stdout, file, _BLOCK_BYTES)
            told = running.stderr.read().decode(errors="replace")
        _check(running.wait(), told, "the database could not be dumped")


def load(database_url: str, source: Path) -> None:
    """Bring a dump into an empty database. Raises DumpFailed, or Missing if there is no such program."""
    with _client("mariadb", database_url) as command:
        pipes = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE)
        with gzip.open(source, "rb") as file, pipes as running:
            assert running.stdin is not None and running.stderr is not None
            with suppress(BrokenPipeError):  # it says why below
                shutil.copyfileobj(file, running.stdin, _BLOCK_BYTES)
                running.stdin.close()
            told = running.stderr.read().decode(errors="replace")
        _check(running.wait(), told, "the dump could not be read into the database")


def tables_of(database_url: str) -> list[str]:
    """Return the names of the tables that a database has. Raises DatabaseAway."""
    engine = create_engine(
        database_url, poolclass=NullPool, hide_parameters=True, connect_args=connection_options(database_url)
    )
    try:
        return sorted(inspect(engine).get_table_names())
    except SQLAlchemyError as cause:
        raise DatabaseAway(
            "the database does not answer", where="INKWELL_DATABASE_URL", remedy="Start it, then try again"
        ) from cause
    finally:
        engine.dispose()


@contextmanager
def _client(program: str, database_url: str, options: Sequence[str] = ()) -> Iterator[list[str]]:
    """Yield the command for one of MariaDB's programs. The password goes through a file that nobody else reads."""
    found = shutil.which(program)
    if found is None:
        raise Missing(
            f"there is no program {program}", where="PATH", remedy="Install MariaDB's client: mariadb-client in Debian"
        )
    url = make_url(database_url)
    lines = {
        "host": url.host or "127.0.0.1",
        "port": str(url.port or 3306),
        "user": url.username or "",
        "password": str(url.password or ""),
        "protocol": "tcp",
        "default-character-set": "utf8mb4",
    }
    with tempfile.NamedTemporaryFile("w", suffix=".cnf", encoding="utf-8") as file:
        told = "".join(f"{name}={_quoted(value)}\n" for name, value in lines.items() if value)
        file.write(f"[client]\n{told}")
        file.flush()
        yield [found, f"--defaults-file={file.name}", *options, str(url.database)]


def _quoted(value: str) -> str:
    escaped = value.replace("\\", "\\\\").replace('"', '\\"')
    return f'"{escaped}"'


def _check(code: int, told: str, what: str) -> None:
    if code:
        lines = [line for line in told.splitlines() if line.strip()]
        raise DumpFailed(what, where="MariaDB", remedy=lines[-1][:300] if lines else f"It ended with {code}")
