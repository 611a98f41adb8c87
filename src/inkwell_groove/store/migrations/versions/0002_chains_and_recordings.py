"""Chains, recordings that are going on, and what is said of carriers and their sides

Revision ID: 0002
Revises: 0001
"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "chain",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("document", sa.JSON(), nullable=False),
        sa.Column("made_at", DATETIME(fsp=6), nullable=False),
        sa.Column("made_by", sa.String(length=100), nullable=False),
        sa.Column("retired_at", DATETIME(fsp=6), nullable=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_chain")),
    )
    op.create_table(
        "recording",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("docket_id", sa.Integer(), nullable=False),
        sa.Column("side_id", sa.Integer(), nullable=False),
        sa.Column("transfer_key", sa.String(length=32, collation="utf8mb4_bin"), nullable=False),
        sa.Column("state", sa.String(length=30), nullable=False),
        sa.Column("document", sa.JSON(), nullable=False),
        sa.Column("refusal", sa.JSON(), nullable=True),
        sa.Column("began_at", DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(["docket_id"], ["docket.id"], name=op.f("fk_recording_docket_id_docket")),
        sa.ForeignKeyConstraint(["side_id"], ["side.id"], name=op.f("fk_recording_side_id_side")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_recording")),
    )
    op.create_index(op.f("ix_recording_docket_id"), "recording", ["docket_id"], unique=False)
    op.create_index(op.f("ix_recording_transfer_key"), "recording", ["transfer_key"], unique=False)
    # Rows that are there get an empty text or zero, MariaDB's own defaults for columns that may not be NULL.
    op.add_column("carrier", sa.Column("speed", sa.String(length=40), nullable=False))
    op.add_column("carrier", sa.Column("equalisation", sa.String(length=80), nullable=False))
    op.add_column("carrier", sa.Column("condition", sa.Text(), nullable=False))
    op.add_column("carrier", sa.Column("playing_order", sa.String(length=40), nullable=False))
    op.add_column("carrier", sa.Column("tape_type", sa.String(length=40), nullable=False))
    op.add_column("carrier", sa.Column("noise_reduction", sa.String(length=40), nullable=False))
    op.add_column("side", sa.Column("expected_s", sa.Double(), nullable=True))
    op.add_column("take", sa.Column("transferred", sa.JSON(), nullable=True))
    op.add_column("take", sa.Column("side_start_sample", sa.BigInteger(), nullable=False))
    op.add_column("take", sa.Column("side_end_sample", sa.BigInteger(), nullable=True))
