"""How recordings are related; files that were set aside

Revision ID: 0010
Revises: 0009
"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "sound_relation",
        sa.Column("first", sa.String(length=64, collation="utf8mb4_bin"), nullable=False),
        sa.Column("second", sa.String(length=64, collation="utf8mb4_bin"), nullable=False),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("document", sa.JSON(), nullable=False),
        sa.Column("at", DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("first", "second", name=op.f("pk_sound_relation")),
    )
    op.create_index(op.f("ix_sound_relation_second"), "sound_relation", ["second"])
    op.create_table(
        "held_file",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("bundle_id", sa.Integer(), nullable=False),
        sa.Column("path", sa.String(length=1000, collation="utf8mb4_bin"), nullable=False),
        sa.Column("place", sa.String(length=200), nullable=False),
        sa.Column("sha256", sa.String(length=64), nullable=False),
        sa.Column("row", sa.JSON(), nullable=False),
        sa.Column("reason", sa.String(length=300), nullable=False),
        sa.Column("state", sa.String(length=20), nullable=False),
        sa.Column("at", DATETIME(fsp=6), nullable=False),
        sa.Column("by", sa.String(length=100), nullable=False),
        sa.Column("until", DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(["bundle_id"], ["bundle.id"], name=op.f("fk_held_file_bundle_id_bundle")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_held_file")),
    )
    op.create_index(op.f("ix_held_file_bundle_id"), "held_file", ["bundle_id"])
    op.create_index(op.f("ix_held_file_state"), "held_file", ["state"])
