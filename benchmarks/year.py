"""What a year of operation costs: pages of a house with all its dockets before and after it, and what may be pruned.

The house is made up: 2,000 dockets of two sides each, copied from one that was really taken in and sealed. A year is a
year's rows beside them: jobs, ledger, sign-ins, access log, audits, versions of plans, steps of work on files.
"""

from __future__ import annotations

import statistics
import time
from collections.abc import Iterator
from datetime import timedelta
from pathlib import Path
from typing import Any

from sqlalchemy import text

from inkwell_groove.admin.prune import prune_jobs
from inkwell_groove.store.database import Database
from inkwell_groove.store.models import now
from launcher.database import Database as MariaDb
from tests.live import Server, new_schema
from tests.sounds import record_side

_DOCKETS, _TURNS = 2_000, 15
_FLOOR_MS = 10.0  # below, what the machine does beside it decides
_NUMBERS = "(SELECT seq AS n FROM seq_1_to_{most})"
_THEN = "UTC_TIMESTAMP(6) - INTERVAL (365 * n / {most}) DAY"
# A year's rows, by table: how many, the columns, and their values, in which n goes from 1 to that many.
_YEAR: tuple[tuple[str, int, str, str], ...] = (
    (
        "job",
        300_000,
        "weight, kind, docket_id, subject, arguments, state, lane, is_cancelled, progress, message, attempts, "
        "asked_at, started_at, ended_at",
        "1, ELT(1 + n % 4, 'first-look', 'scan', 'seal', 'fixity'), 1 + n % {dockets}, CONCAT('subject ', n), '{{}}', "
        "IF(n % 97, 'done', 'failed'), 'steady', 0, 1, '', 1, {then}, {then}, {then}",
    ),
    (
        "ledger",
        300_000,
        "at, who, docket_id, action, `before`, after",
        "{then}, ELT(1 + n % 3, 'Rosa Lind', 'Jon Maskell-Obi', 'Ilse Vanterroe'), 1 + n % {dockets}, "
        'CONCAT(\'title of track \', n % 20), \'{{"title": "one"}}\', \'{{"title": "two"}}\'',
    ),
    (
        "access_entry",
        300_000,
        "at, kind, who, address, what",
        "{then}, ELT(1 + n % 3, 'signed in', 'refused', 'export'), 'Rosa Lind', '192.0.2.7', CONCAT('ledger.csv ', n)",
    ),
    ("sign_in", 100_000, "token_sha256, account_id, at, seen_at", "SHA2(n, 256), {account}, {then}, {then}"),
    ("failed_attempts", 20_000, "key_sha256, failures, last_at", "SHA2(n, 256), 3, {then}"),
    ("audit", 2_000, "state, asked_at, asked_by, packages, checked, ended_at", "'done', {then}, 'u', 9, 9, {then}"),
    (
        "plan_version",
        100_000,
        "side_id, document, action, made_at, made_by",
        "1 + n % (2 * {dockets}), '{plan}', CONCAT('edge moved ', n), {then}, 'Rosa Lind'",
    ),
)


def run(folder: Path) -> Iterator[str]:
    base = MariaDb(folder / "mariadb")
    base.ensure_running()
    try:
        with Server(new_schema(base), folder / "media") as server:
            _one_docket(server, folder)
            database = Database(server.database_url)
            _many_dockets(database)
            before = _measured(server)
            began_s = time.perf_counter()
            rows = _a_year(database)
            yield f"{rows} rows of a year beside {_DOCKETS} dockets, made in {time.perf_counter() - began_s:.0f} s"
            after = _measured(server)
            for name, was_ms in before.items():
                is_ms = after[name]
                mark = "  MORE THAN TWICE" if is_ms > 2 * max(was_ms, _FLOOR_MS) else ""
                yield f"{name:28} {was_ms:7.1f} ms, after a year {is_ms:7.1f} ms{mark}"
            began_s = time.perf_counter()
            count = prune_jobs(database, now() - timedelta(days=180))
            yield f"{count} jobs older than half a year pruned in {time.perf_counter() - began_s:.0f} s"
            database.close()
    finally:
        base.stop()


def _one_docket(server: Server, folder: Path) -> None:
    """Have one docket that went all the way, as number 1."""
    record_side(folder / "a.wav", tracks_s=(11.0, 12.0))
    docket = server.open_docket("Y-0001")
    server.upload(docket["id"], folder / "a.wav")
    server.wait_for_jobs()
    server.describe(docket["id"], ["One", "Two"])
    server.post(f"/dockets/{docket['id']}/seal")
    server.wait_for_jobs()


def _many_dockets(database: Database) -> None:
    """Copy its rows, each docket with its own: the files they speak of are the first one's."""
    with database.begin() as session:
        connection = session.connection()

        def do(statement: str) -> None:
            connection.execute(text(statement))

        numbers = f"(SELECT seq AS n FROM seq_2_to_{_DOCKETS}) AS numbers"
        do("SET FOREIGN_KEY_CHECKS = 0")
        do(
            "INSERT INTO docket (id, shelfmark, folder_pattern, file_pattern, profile, created_at, changed_at) "
            "SELECT n, CONCAT('Y-', LPAD(n, 4, '0')), folder_pattern, file_pattern, profile, created_at, changed_at "
            f"FROM docket, {numbers} WHERE id = 1"
        )
        for table, key, columns in (
            (
                "carrier",
                "docket_id",
                "number, format, speed, equalisation, `condition`, playing_order, tape_type, noise_reduction",
            ),
            ("described_value", "docket_id", "track_key, field, value, origin, changed_at"),
            ("package", "docket_id", "folder, basis, album, sealed_at, sealed_by, verified_at, fixity"),
        ):
            do(f"INSERT INTO {table} ({key}, {columns}) SELECT n, {columns} FROM {table}, {numbers} WHERE {key} = 1")
        do(
            "INSERT INTO side (carrier_id, letter, chosen_take_id, plan_version_id) SELECT carrier.id, first.letter, "
            "first.chosen_take_id, first.plan_version_id FROM carrier, side AS first WHERE first.carrier_id = 1 "
            "AND carrier.id > 1"
        )
        do("SET FOREIGN_KEY_CHECKS = 1")


def _a_year(database: Database) -> int:
    rows = 0
    with database.begin() as session:
        connection = session.connection()
        connection.execute(text("SET FOREIGN_KEY_CHECKS = 0"))
        plan = str(connection.execute(text("SELECT document FROM plan_version LIMIT 1")).scalar_one())
        connection.execute(
            text(
                "INSERT INTO account (name, name_key, role, password_hash, made_at, made_by) "
                "VALUES ('Rosa Lind', 'rosa lind', 'reader', '', UTC_TIMESTAMP(6), '')"
            )
        )
        account = connection.execute(text("SELECT MAX(id) FROM account")).scalar_one()
        for table, most, columns, values in _YEAR:
            then = _THEN.format(most=most)
            filled = values.format(then=then, dockets=_DOCKETS, account=account, plan="\x00")
            numbers = _NUMBERS.format(most=most)
            statement = f"INSERT INTO {table} ({columns}) SELECT {filled} FROM {numbers} AS numbers"
            escaped = plan.replace("\\", "\\\\").replace("'", "''").replace(":", "\\:")
            connection.execute(text(statement.replace(":", "\\:").replace("\x00", escaped)))
            rows += most
        connection.execute(text("SET FOREIGN_KEY_CHECKS = 1"))
    return rows


def _measured(server: Server) -> dict[str, float]:
    """Return how long each page's question takes, in ms, in the middle, after the server was started anew."""
    server.stop()
    server.start()
    asked: dict[str, tuple[str, dict[str, Any]]] = {
        "shelf": ("/dockets", {}),
        "shelf, searched": ("/dockets", {"search": "Y-12"}),
        "a docket": ("/dockets/7", {}),
        "jobs": ("/jobs", {}),
        "jobs of a docket": ("/jobs", {"docket_id": 7}),
        "ledger": ("/ledger", {}),
        "ledger of a docket": ("/ledger", {"docket_id": 7}),
        "ledger of a person": ("/ledger", {"who": "Ilse Vanterroe"}),
        "people of the ledger": ("/ledger/people", {}),
        "access log": ("/access-log", {}),
        "fixity": ("/fixity", {}),
        "reports": ("/reports", {}),
        "workers": ("/workers", {}),
        "ready": ("/ready", {}),
        "versions of a plan": ("/sides/7/plan/versions", {}),
        "steps on files": ("/file-steps", {}),
        "collection": ("/collection", {"text": "one"}),
    }
    found = {}
    for name, (path, params) in asked.items():
        times_ms = []
        for _ in range(_TURNS):
            began_s = time.perf_counter()
            server.get(path, **params)
            times_ms.append(1_000 * (time.perf_counter() - began_s))
        found[name] = statistics.median(times_ms)
    return found
