"""Headings of people, labels and works

Revision ID: 0011
Revises: 0010
"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None

_NAME = sa.String(length=700, collation="utf8mb4_bin")


def upgrade() -> None:
    op.create_table(
        "heading",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(length=12), nullable=False),
        sa.Column("name", _NAME, nullable=False),
        sa.Column("sort_name", _NAME, nullable=False),
        sa.Column("made_at", DATETIME(fsp=6), nullable=False),
        sa.Column("made_by", sa.String(length=100), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_heading")),
        sa.UniqueConstraint("kind", "name", name=op.f("uq_heading_kind_name")),
    )
    op.create_table(
        "heading_variant",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(length=12), nullable=False),
        sa.Column("value", _NAME, nullable=False),
        sa.Column("heading_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["heading_id"], ["heading.id"], name=op.f("fk_heading_variant_heading_id_heading")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_heading_variant")),
        sa.UniqueConstraint("kind", "value", name=op.f("uq_heading_variant_kind_value")),
    )
    op.create_index(op.f("ix_heading_variant_heading_id"), "heading_variant", ["heading_id"])
    op.create_table(
        "heading_merge",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(length=12), nullable=False),
        sa.Column("name", _NAME, nullable=False),
        sa.Column("variants", sa.JSON(), nullable=False),
        sa.Column("file_step_id", sa.Integer(), nullable=True),
        sa.Column("before", sa.JSON(), nullable=False),
        sa.Column("at", DATETIME(fsp=6), nullable=False),
        sa.Column("by", sa.String(length=100), nullable=False),
        sa.Column("taken_back_at", DATETIME(fsp=6), nullable=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_heading_merge")),
    )
