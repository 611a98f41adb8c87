"""Numbers of rows that name folders are never given twice, though the database may be older than the folders.

An older dump that was brought back beside newer recordings would give a new step the number of another one's journal,
and a new package the folder of another one. So before a server begins, the database counts on from what is on the disk.
"""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import structlog
from sqlalchemy import text
from sqlalchemy.orm import Session

from inkwell_groove.store.database import Database
from inkwell_groove.store.media import MediaStore

# Tables whose numbers name folders below the media root.
_FOLDERS = {
    "upload": "uploads",
    "disc_read": "discs",
    "bundle": "bundles",
    "file_step": "steps",
    "job": "pieces",
    "survey_run": "surveys",
}
log = structlog.get_logger()


def count_on(database: Database, media: MediaStore) -> dict[str, int]:
    """Let each table count on from the highest number on the disk; return those that would have given one again."""
    behind = {}
    highest = {table: max(_numbers(media.root / folder), default=0) for table, folder in _FOLDERS.items()}
    highest["recording"] = max(_numbers(media.recordings), default=0)
    # A package lies in a folder that is named by the job which sealed it.
    packages = (shelf for root in media.places.folders("packages") if root.is_dir() for shelf in root.iterdir())
    highest["job"] = max(highest["job"], *(max(_numbers(shelf), default=0) for shelf in packages), 0)
    with database.begin() as session:
        for table, number in highest.items():
            if _next_of(session, table) <= number:
                session.execute(text(f"ALTER TABLE `{table}` AUTO_INCREMENT = {number + 1}"))
                behind[table] = number
    if behind:
        log.warning("the database is older than the recordings: it counts on from these", **behind)
    return behind


def _next_of(session: Session, table: str) -> int:
    told = text(
        "SELECT AUTO_INCREMENT FROM information_schema.TABLES WHERE TABLE_SCHEMA = DATABASE() AND TABLE_NAME = :t"
    )
    return int(session.execute(told, {"t": table}).scalar_one() or 1)


def _numbers(folder: Path) -> Iterator[int]:
    """Yield the numbers by which the things in a folder are named."""
    for path in folder.iterdir() if folder.is_dir() else ():
        number = path.name.partition(".")[0]
        if number.isdecimal() and number.isascii():
            yield int(number)
