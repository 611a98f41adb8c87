"""Where folders of files came from is relative to a named root

Folders that lie below none of the roots of the settings keep their whole path.

Revision ID: 0015
Revises: 0014
"""

from __future__ import annotations

from pathlib import Path

import sqlalchemy as sa
from alembic import op

from inkwell_groove.core.errors import Missing
from inkwell_groove.store.roots import Roots
from inkwell_groove.store.settings import settings

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None

_BUNDLE = sa.table("bundle", sa.column("id", sa.Integer), sa.column("origin", sa.String))


def upgrade() -> None:
    roots = _roots()
    for number, origin in _origins():
        if origin.startswith("/"):
            _write(number, roots.name_of(Path(origin)))


def downgrade() -> None:
    roots = _roots()
    for number, origin in _origins():
        try:
            path = roots.path_of(origin)
        except (Missing, ValueError):
            continue
        if path.is_absolute():
            _write(number, str(path))


def _roots() -> Roots:
    given = settings()
    return Roots({"media": given.media_root, **given.other_roots})


def _origins() -> list[tuple[int, str]]:
    rows = op.get_bind().execute(sa.select(_BUNDLE.c.id, _BUNDLE.c.origin)).all()
    return [(number, origin) for number, origin in rows]


def _write(number: int, origin: str) -> None:
    op.get_bind().execute(sa.update(_BUNDLE).where(_BUNDLE.c.id == number).values(origin=origin))
