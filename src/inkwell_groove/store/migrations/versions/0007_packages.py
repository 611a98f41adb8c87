"""Sealing profiles, and the fixity of packages

Revision ID: 0007
Revises: 0006
"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("docket", sa.Column("profile", sa.JSON(), nullable=True))
    op.add_column("package", sa.Column("verified_at", DATETIME(fsp=6), nullable=True))
    op.add_column("package", sa.Column("fixity", sa.JSON(), nullable=True))
    op.create_table(
        "audit",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("state", sa.String(length=20), nullable=False),
        sa.Column("asked_at", DATETIME(fsp=6), nullable=False),
        sa.Column("asked_by", sa.String(length=100), nullable=False),
        sa.Column("packages", sa.Integer(), nullable=False),
        sa.Column("checked", sa.Integer(), nullable=False),
        sa.Column("ended_at", DATETIME(fsp=6), nullable=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_audit")),
    )
