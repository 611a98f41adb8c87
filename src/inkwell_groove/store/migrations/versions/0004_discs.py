"""Drives and what they read

Revision ID: 0004
Revises: 0003
"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME, VARCHAR

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "optical_drive",
        sa.Column("id", VARCHAR(length=40, collation="utf8mb4_bin"), nullable=False),
        sa.Column("offset_samples", sa.Integer(), nullable=False),
        sa.Column("offset_from", sa.String(length=40), nullable=False),
        sa.Column("found_at", DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_optical_drive")),
    )
    op.create_table(
        "disc_read",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("docket_id", sa.Integer(), nullable=False),
        sa.Column("side_id", sa.Integer(), nullable=False),
        sa.Column("drive_id", VARCHAR(length=40, collation="utf8mb4_bin"), nullable=False),
        sa.Column("job_id", sa.Integer(), nullable=True),
        sa.Column("state", sa.String(length=20), nullable=False),
        sa.Column("asked", sa.JSON(), nullable=False),
        sa.Column("record", sa.JSON(), nullable=True),
        sa.Column("refusal", sa.JSON(), nullable=True),
        sa.Column("began_at", DATETIME(fsp=6), nullable=False),
        sa.Column("began_by", sa.String(length=100), nullable=False),
        sa.ForeignKeyConstraint(["docket_id"], ["docket.id"], name=op.f("fk_disc_read_docket_id_docket")),
        sa.ForeignKeyConstraint(["side_id"], ["side.id"], name=op.f("fk_disc_read_side_id_side")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_disc_read")),
    )
    op.create_index(op.f("ix_disc_read_docket_id"), "disc_read", ["docket_id"])
    op.create_index(op.f("ix_disc_read_side_id"), "disc_read", ["side_id"])
