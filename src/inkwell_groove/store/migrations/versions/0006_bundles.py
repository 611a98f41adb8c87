"""Bundles of files brought in, the steps of work on them, and saved rules

Revision ID: 0006
Revises: 0005
"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME, VARCHAR

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def _exact(length: int) -> VARCHAR:
    return VARCHAR(length=length, collation="utf8mb4_bin")


def upgrade() -> None:
    op.create_table(
        "bundle",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("origin", sa.String(length=1000), nullable=False),
        sa.Column("in_place", sa.Boolean(), nullable=False),
        sa.Column("state", sa.String(length=20), nullable=False),
        sa.Column("told", sa.JSON(), nullable=False),
        sa.Column("made_at", DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_bundle")),
    )
    op.create_table(
        "bundle_file",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("bundle_id", sa.Integer(), nullable=False),
        sa.Column("path", _exact(1000), nullable=False),
        sa.Column("kind", sa.String(length=12), nullable=False),
        sa.Column("size_bytes", sa.BigInteger(), nullable=False),
        sa.Column("sha256", sa.String(length=64), nullable=False),
        sa.Column("audio_digest", sa.String(length=64), nullable=False),
        sa.Column("origin_path", _exact(1000), nullable=False),
        sa.Column("origin_sha256", sa.String(length=64), nullable=False),
        sa.Column("facts", sa.JSON(), nullable=False),
        sa.Column("fields", sa.JSON(), nullable=False),
        sa.Column("pending", sa.JSON(), nullable=False),
        sa.Column("problem", sa.JSON(), nullable=True),
        sa.ForeignKeyConstraint(["bundle_id"], ["bundle.id"], name=op.f("fk_bundle_file_bundle_id_bundle")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_bundle_file")),
    )
    op.create_index(op.f("ix_bundle_file_bundle_id"), "bundle_file", ["bundle_id"])
    op.create_table(
        "file_step",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("what", sa.String(length=300), nullable=False),
        sa.Column("state", sa.String(length=20), nullable=False),
        sa.Column("counts", sa.JSON(), nullable=False),
        sa.Column("told", sa.JSON(), nullable=False),
        sa.Column("at", DATETIME(fsp=6), nullable=False),
        sa.Column("by", sa.String(length=100), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_file_step")),
    )
    op.create_table(
        "house_document",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("name", sa.String(length=100), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("document", sa.JSON(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_house_document")),
        sa.UniqueConstraint("kind", "name", name=op.f("uq_house_document_kind_name")),
    )
