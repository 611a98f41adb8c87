"""Brings the database up to date: `python -m inkwell_groove.store.migrate`. Forward only."""

from __future__ import annotations

from pathlib import Path

from alembic import command
from alembic.config import Config

from inkwell_groove.store.settings import settings


def alembic_config(url: str) -> Config:
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    config.attributes["url"] = url
    return config


def upgrade(url: str, revision: str = "head") -> None:
    command.upgrade(alembic_config(url), revision)


if __name__ == "__main__":
    upgrade(settings().database_url)
