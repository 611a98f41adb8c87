"""Locks by name, for work of which only one may begin at a time

Revision ID: 0013
Revises: 0012
"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None


def upgrade() -> None:
    table = op.create_table("named_lock", sa.Column("name", sa.String(40), primary_key=True))
    op.bulk_insert(table, [{"name": "files"}])


def downgrade() -> None:
    op.drop_table("named_lock")
